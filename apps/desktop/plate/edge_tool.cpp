#include "apps/desktop/plate/edge_tool.h"

#include <cmath>

#include "apps/desktop/paint/theme.h"

namespace dusky::desktop {
namespace {

constexpr std::size_t kMost = 12;
constexpr int kPieces = 48;
constexpr double kShort_px = 8;  // a click, not a line

}  // namespace

std::optional<Lens> EdgeTool::lensAt(int frame) const {
  const SolutionPtr solution = session_.model.solution();
  return solution ? std::optional(solution->lensIn(frame)) : std::nullopt;
}

/// The Plate may show the footage without its distortion.
Vec2 EdgeTool::footagePlace(const PlatePlace& place, const QPointF& at) const {
  const Vec2 shown = place.toPicture(at);
  const auto lens = lensAt(place.frame);
  if (!session_.view.straight() || !lens) return shown;
  return lens->distort(lens->straightRay(shown));
}

bool EdgeTool::press(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers) {
  const Vec2 from = footagePlace(place, at);
  std::erase_if(lines_, [&](const Line& line) { return line.frame != place.frame; });
  if (lines_.size() >= kMost) lines_.erase(lines_.begin());
  lines_.push_back({place.frame, from, from});
  return true;
}

void EdgeTool::drag(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers) {
  if (!lines_.empty()) lines_.back().b = footagePlace(place, at);
}

void EdgeTool::release(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) {
  drag(place, at, keys);
  if (!lines_.empty() && (lines_.back().b - lines_.back().a).norm() * place.scale < kShort_px) lines_.pop_back();
}

std::vector<EdgeTool::Curve> EdgeTool::curves(int frame) const {
  std::vector<Curve> all;
  const auto lens = lensAt(frame);
  for (const Line& line : lines_) {
    if (line.frame != frame || !lens) continue;
    const auto a = lens->undistort(line.a), b = lens->undistort(line.b);
    if (!a || !b) continue;
    Curve curve;
    const Vec2 along = (line.b - line.a).normalized(), across(-along.y(), along.x());
    for (int i = 0; i <= kPieces; ++i) {
      const Vec2 n = *a + (*b - *a) * (static_cast<double>(i) / kPieces);
      const Vec2 seen = lens->distort(n);
      curve.sag_px = std::max(curve.sag_px, std::abs(across.dot(seen - line.a)));
      curve.places.push_back(session_.view.straight() ? lens->straightPixel(n) : seen);
    }
    all.push_back(std::move(curve));
  }
  return all;
}

void EdgeTool::draw(QPainter& painter, const PlatePlace& place) const {
  for (const Curve& curve : curves(place.frame)) {
    QPolygonF line;
    for (const Vec2& p : curve.places) line.push_back(place.toWidget(p));
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(QColor(12, 8, 16, 190), 3.4));
    painter.drawPolyline(line);
    painter.setPen(QPen(color::Text, 1.3));
    painter.drawPolyline(line);
    painter.setPen(QPen(QColor(198, 181, 220, 180), 1, Qt::DashLine));
    painter.drawLine(line.front(), line.back());
    const QString text = QObject::tr("bent by %1 px").arg(curve.sag_px, 0, 'f', 1);
    const QRectF box = QRectF(painter.fontMetrics().boundingRect(text)).adjusted(-5, -2, 5, 2);
    const QRectF placed(line[kPieces / 2] + QPointF(8, -box.height() - 4), box.size());
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(20, 16, 26, 200));
    painter.drawRoundedRect(placed, 4, 4);
    painter.setPen(color::Text);
    painter.drawText(placed, Qt::AlignCenter, text);
  }
}

QString EdgeTool::hint() const {
  if (!session_.model.solution()) return QObject::tr("Solve the shot first: then a line shows how its lens bends what is straight.");
  return lines_.empty() ? QObject::tr("Draw from end to end of something straight on the set.")
                        : QObject::tr("Solid: as the lens bends a straight edge. Backspace takes the lines away.");
}

}  // namespace dusky::desktop
