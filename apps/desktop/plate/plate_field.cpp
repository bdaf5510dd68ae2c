#include <QPainter>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/plate/plate_view.h"
#include "core/base/numbers.h"

namespace dusky::desktop {
namespace {

constexpr double kHead = 0.28;  // of an arrow, share of its length

void drawArrow(QPainter& painter, const QPointF& from, const QPointF& to) {
  const QPointF along = to - from, across(-along.y(), along.x());
  painter.drawLine(from, to);
  painter.drawLine(to, to - kHead * along + 0.5 * kHead * across);
  painter.drawLine(to, to - kHead * along - 0.5 * kHead * across);
}

}  // namespace

/// So many times enlarged that the longest arrow spans its cell.
double PlateView::fieldScale() const {
  const ResidualField& field = session_.facts.now()->field;
  const double longest = field.longest();
  return longest > 0 ? roundTo125(0.8 * field.cell_px / longest) : 1;
}

QString PlateView::fieldNote() const {
  const ResidualField& field = session_.facts.now()->field;
  if (field.cells.empty()) return tr("mean errors over the picture: solve the shot first");
  const int clear = field.clearCells();
  return clear > 0 ? tr("mean errors of the shot ×%1 · %2 of %3 cells clear over chance (bright), up to %4 px")
                         .arg(fieldScale())
                         .arg(clear)
                         .arg(field.cells.size())
                         .arg(field.longest(), 0, 'f', 2)
                   : tr("mean errors of the shot ×%1 · no cell is clear over chance").arg(fieldScale());
}

void PlateView::drawField(QPainter& painter) const {
  if (!session_.view.fieldShown()) return;
  const double times = fieldScale();
  for (const FieldCell& cell : session_.facts.now()->field.cells) {
    const QPointF at = asShown(cell.middle);
    const bool clear = cell.sigmas >= kClearCell_sigmas;
    painter.setBrush(clear ? color::Lamp : color::Quiet);
    painter.setPen(QPen(QColor(12, 8, 16, clear ? 190 : 90), clear ? 4 : 2.4, Qt::SolidLine, Qt::RoundCap));
    const QPointF from = toWidget(at), to = toWidget(at + times * QPointF(cell.mean.x(), cell.mean.y()));
    drawArrow(painter, from, to);
    painter.setPen(QPen(clear ? color::Lamp : color::Quiet, clear ? 1.8 : 1, Qt::SolidLine, Qt::RoundCap));
    drawArrow(painter, from, to);
  }
}

/// How deep a keyframe's depth map is, over its picture.
void PlateView::drawDepths(QPainter& painter) const {
  if (!session_.view.depthShown() || straight_ || picture_.isNull()) return;
  const QImage depths = session_.dense.depthPicture(picture_frame_);
  if (!depths.isNull()) painter.drawImage(QRectF(offset_, scale_ * QSizeF(picture_.size())), depths);
}

QString PlateView::depthNote() const {
  const std::vector<int> keys = session_.dense.keyframes();
  if (keys.empty()) return tr("no depth maps yet: make the dense points first");
  if (std::binary_search(keys.begin(), keys.end(), picture_frame_))
    return (session_.dense.depthPicture(picture_frame_).isNull() ? tr("reading the depth of keyframe %1 …") : tr("depth of keyframe %1: near is light"))
        .arg(picture_frame_);
  const auto nearest = std::min_element(keys.begin(), keys.end(), [this](int a, int b) { return std::abs(a - picture_frame_) < std::abs(b - picture_frame_); });
  return tr("no keyframe: the nearest one with a depth map is frame %1").arg(*nearest);
}

/// Where it was, and fainter where it will be.
void PlateView::drawPaths(QPainter& painter, const PlateMark& mark, double seen) const {
  painter.setBrush(Qt::NoBrush);
  const auto draw = [&](const std::vector<QPointF>& path, double light) {
    if (path.size() < 2) return;
    painter.setPen(QPen(QColor(198, 181, 220, static_cast<int>(150 * light)), 1));
    painter.drawPolyline(toWidget(path));
  };
  draw(mark.before, seen);
  draw(mark.after, 0.5 * seen);
}

}  // namespace dusky::desktop
