#include "apps/desktop/plate/mask_tool.h"

#include <algorithm>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "core/mask/mask_keys.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

using Tool = ViewSettings::Tool;

constexpr double kGrip_px = 8;         // of the screen
constexpr double kHandleAway_px = 22;  // of the turning and scaling handles from the line
constexpr double kLeast_px = 4;        // half a side of a new shape, px of the footage

double away(const QPointF& a, const QPointF& b) { return std::hypot(a.x() - b.x(), a.y() - b.y()); }

QPolygonF onScreen(const PlatePlace& place, const std::vector<Vec2>& line) {
  QPolygonF polygon;
  for (const Vec2& p : line) polygon << place.toWidget(p);
  return polygon;
}

MaskShape shapeOf(Tool tool) { return tool == Tool::MaskEllipse ? MaskShape::Ellipse : tool == Tool::MaskBox ? MaskShape::Box : MaskShape::Curve; }

}  // namespace

bool MaskTool::active() const {
  const Tool tool = session_.view.tool();
  return tool == Tool::MaskEllipse || tool == Tool::MaskBox || tool == Tool::MaskCurve || tool == Tool::MaskEdit;
}

const Mask* MaskTool::chosen() const { return working_ ? &*working_ : session_.chosenMask(); }

std::vector<QPointF> MaskTool::corners(const PlatePlace& place, const Mask& mask) const {
  const MaskKey key = maskAt(mask, place.frame);
  std::vector<Vec2> own = key.points;
  if (mask.shape != MaskShape::Curve) {
    const Vec2 half = key.points.empty() ? Vec2(0, 0) : key.points.front();
    own = {{-half.x(), -half.y()}, {half.x(), -half.y()}, {half.x(), half.y()}, {-half.x(), half.y()}};
  }
  std::vector<QPointF> all;
  for (const Vec2& p : own) all.push_back(place.toWidget(toPicture(key, p)));
  return all;
}

/// Over the top of what is on the screen.
QPointF MaskTool::turnHandle(const PlatePlace& place, const Mask& mask) const {
  const QRectF box = onScreen(place, outlineOf(mask, place.frame)).boundingRect();
  return {box.center().x(), box.top() - kHandleAway_px};
}

QPointF MaskTool::scaleHandle(const PlatePlace& place, const Mask& mask) const {
  const QRectF box = onScreen(place, outlineOf(mask, place.frame)).boundingRect();
  return {box.right() + kHandleAway_px * 0.7, box.bottom() + kHandleAway_px * 0.7};
}

MaskTool::Hold MaskTool::gripAt(const PlatePlace& place, const QPointF& at) const {
  const Mask* mask = chosen();
  if (!mask || !mask->holdsIn(place.frame)) return {};
  if (away(turnHandle(place, *mask), at) < kGrip_px) return {Grip::Turn};
  if (away(scaleHandle(place, *mask), at) < kGrip_px) return {Grip::Scale};
  const auto all = corners(place, *mask);
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (away(all[i], at) < kGrip_px) return {Grip::Corner, static_cast<int>(i)};
  }
  return covers(*mask, place.frame, place.toPicture(at)) ? Hold{Grip::Inside} : Hold{};
}

/// The smallest mask there, so that one within another can be reached.
int MaskTool::maskAtPoint(const PlatePlace& place, const QPointF& at) const {
  int found = 0;
  double least = 0;
  for (const Mask& mask : session_.model.document().masks.shapes) {
    if (!mask.holdsIn(place.frame) || !covers(mask, place.frame, place.toPicture(at))) continue;
    const QRectF box = onScreen(place, outlineOf(mask, place.frame)).boundingRect();
    const double area = box.width() * box.height();
    if (!found || area < least) found = mask.id, least = area;
  }
  return found;
}

bool MaskTool::pressDrawing(const PlatePlace& place, const QPointF& at) {
  const Tool tool = session_.view.tool();
  if (tool == Tool::MaskCurve) {
    if (line_.size() >= 3 && away(place.toWidget(line_.front()), at) < kGrip_px)
      closeCurve(place.frame);
    else
      line_.push_back(place.toPicture(at));
    return true;
  }
  Mask mask = newMask(session_.model.document(), shapeOf(tool));
  mask.keys = {{place.frame, place.toPicture(at), 1, 0, {Vec2(0, 0)}}};
  working_ = mask;
  return true;
}

bool MaskTool::press(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) {
  pressed_ = at;
  if (session_.view.tool() != Tool::MaskEdit) return pressDrawing(place, at);
  hold_ = gripAt(place, at);
  if (hold_.grip == Grip::None) {
    session_.view.chooseMask(maskAtPoint(place, at));
    hold_ = gripAt(place, at);
  }
  const Mask* mask = chosen();
  if (!mask || hold_.grip == Grip::None) return true;
  if (hold_.grip == Grip::Corner && keys & Qt::AltModifier && mask->shape == MaskShape::Curve) {
    Mask fewer = *mask;
    if (removePoint(fewer, hold_.corner)) take(std::move(fewer), "Remove a mask corner");
    hold_ = {};
    return true;
  }
  key_at_press_ = maskAt(*mask, place.frame);
  return true;
}

void MaskTool::pull(const PlatePlace& place, const QPointF& at) {
  if (!working_) {
    const Mask* mask = chosen();
    if (!mask) return;
    working_ = *mask;
  }
  MaskKey key = key_at_press_;
  const Vec2 here = place.toPicture(at), from = place.toPicture(pressed_);
  switch (hold_.grip) {
    case Grip::Inside: key.position += here - from; break;
    case Grip::Corner: {
      const Vec2 own = toOwn(key, here);
      if (working_->shape == MaskShape::Curve)
        key.points[static_cast<std::size_t>(hold_.corner)] = own;
      else
        key.points.front() = own.cwiseAbs().cwiseMax(kLeast_px / key.scale);
      break;
    }
    case Grip::Turn: {
      const Vec2 a = from - key.position, b = here - key.position;
      key.rotation_rad += std::atan2(a.x() * b.y() - a.y() * b.x(), a.dot(b));
      break;
    }
    case Grip::Scale: key.scale = std::clamp(key.scale * (here - key.position).norm() / std::max(1e-6, (from - key.position).norm()), 0.02, 50.0); break;
    case Grip::None: return;
  }
  putKey(*working_, key);
}

void MaskTool::drag(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers) {
  const Tool tool = session_.view.tool();
  if (tool == Tool::MaskEdit) {
    if (hold_.grip != Grip::None && (working_ || away(at, pressed_) > 2)) pull(place, at);
  } else if (working_) {
    // A new ellipse or box is drawn from corner to corner.
    const Vec2 a = place.toPicture(pressed_), b = place.toPicture(at);
    working_->keys.front().position = 0.5 * (a + b);
    working_->keys.front().points = {0.5 * (b - a).cwiseAbs()};
  }
}

void MaskTool::release(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) {
  const Tool tool = session_.view.tool();
  if (tool == Tool::MaskCurve) return;
  drag(place, at, keys);
  hold_ = {};
  if (!working_) return;
  Mask done = *working_;
  const bool drawn = tool != Tool::MaskEdit;
  if (drawn && done.keys.front().points.front().minCoeff() < kLeast_px) return working_.reset();
  take(std::move(done), drawn ? "Draw mask" : "Change mask");
  if (drawn) session_.view.setTool(Tool::MaskEdit);
}

void MaskTool::closeCurve(int frame) {
  Vec2 middle = Vec2::Zero();
  for (const Vec2& p : line_) middle += p / static_cast<double>(line_.size());
  Mask mask = newMask(session_.model.document(), MaskShape::Curve);
  MaskKey key{frame, middle, 1, 0, {}};
  for (const Vec2& p : line_) key.points.push_back(p - middle);
  mask.keys = {key};
  line_.clear();
  take(std::move(mask), "Draw mask");
  session_.view.setTool(Tool::MaskEdit);
}

/// On the line: a new corner there. While a curve is drawn: it is closed.
bool MaskTool::doubleClick(const PlatePlace& place, const QPointF& at) {
  if (session_.view.tool() == Tool::MaskCurve) {
    if (line_.size() > 3) line_.pop_back();  // the double click's second press
    if (line_.size() >= 3) closeCurve(place.frame);
    return true;
  }
  const Mask* mask = chosen();
  if (!mask || mask->shape != MaskShape::Curve) return true;
  const auto all = corners(place, *mask);
  std::size_t nearest = 0;
  double least = 1e9;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const double distance = away(0.5 * (all[i] + all[(i + 1) % all.size()]), at);
    if (distance < least) least = distance, nearest = i;
  }
  Mask more = *mask;
  insertPoint(more, static_cast<int>(nearest));
  take(std::move(more), "Add a mask corner");
  return true;
}

void MaskTool::take(Mask mask, const char* name) {
  working_.reset();
  session_.view.chooseMask(mask.id);
  session_.model.run(changeMask(name, session_.model.document(), std::move(mask)));
}

void MaskTool::cancel() {
  working_.reset();
  line_.clear();
  hold_ = {};
}

Qt::CursorShape MaskTool::cursorAt(const PlatePlace& place, const QPointF& at) const {
  if (session_.view.tool() != Tool::MaskEdit) return Qt::CrossCursor;
  switch (gripAt(place, at).grip) {
    case Grip::Inside: return Qt::SizeAllCursor;
    case Grip::Corner: return Qt::PointingHandCursor;
    case Grip::Turn: return Qt::PointingHandCursor;
    case Grip::Scale: return Qt::SizeFDiagCursor;
    case Grip::None: break;
  }
  return Qt::ArrowCursor;
}

QString MaskTool::hint() const {
  switch (session_.view.tool()) {
    case Tool::MaskEllipse:
    case Tool::MaskBox: return QObject::tr("Drag from corner to corner.");
    case Tool::MaskCurve:
      return line_.empty() ? QObject::tr("Click the first corner of the curve.") : QObject::tr("Click corners; click the first one or double-click to close.");
    default: break;
  }
  const Mask* mask = chosen();
  if (!mask) return session_.model.document().masks.shapes.empty() ? QString() : QObject::tr("Click in a mask to choose it.");
  return mask->shape == MaskShape::Curve ? QObject::tr("Double-click: new corner. Alt-click a corner: remove it.") : QString();
}

void MaskTool::drawOutline(QPainter& painter, const PlatePlace& place, const Mask& mask, bool chosen) const {
  QColor paint = chosen ? color::Lamp : color::Text;
  if (!mask.holdsIn(place.frame)) paint = color::Calm;
  const QPolygonF line = onScreen(place, outlineOf(mask, place.frame));
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(QColor(12, 8, 16, 170), 3.2));
  painter.drawPolygon(line);
  painter.setPen(QPen(paint, 1.5, mask.only_inside != mask.inverted ? Qt::DashLine : Qt::SolidLine));
  painter.drawPolygon(line);
  const QRectF box = line.boundingRect();
  painter.setPen(paint);
  painter.drawText(box.topLeft() + QPointF(0, -5), QString::fromStdString(mask.name) + (mask.holdsIn(place.frame) ? "" : QObject::tr(" (off here)")));
}

void MaskTool::drawHandles(QPainter& painter, const PlatePlace& place, const Mask& mask) const {
  if (!mask.holdsIn(place.frame)) return;
  const QPointF middle = place.toWidget(maskAt(mask, place.frame).position);
  const bool keyed = std::any_of(mask.keys.begin(), mask.keys.end(), [&](const MaskKey& k) { return k.frame == place.frame; });
  const QPointF turn = turnHandle(place, mask), scale = scaleHandle(place, mask);
  painter.setPen(QPen(color::Lamp, 1, Qt::DotLine));
  painter.drawLine(middle, turn);
  painter.setPen(QPen(color::Night, 1));
  painter.setBrush(color::Lamp);
  for (const QPointF& corner : corners(place, mask)) painter.drawRect(QRectF(corner.x() - 3, corner.y() - 3, 6, 6));
  painter.drawEllipse(turn, 4.5, 4.5);
  painter.drawPolygon(QPolygonF({scale + QPointF(-5, 5), scale + QPointF(5, 5), scale + QPointF(5, -5)}));
  // The middle is full where this frame has a key.
  painter.setPen(QPen(color::Lamp, 1.5));
  painter.setBrush(keyed ? QBrush(color::Lamp) : QBrush(Qt::NoBrush));
  painter.drawEllipse(middle, 4, 4);
}

void MaskTool::draw(QPainter& painter, const PlatePlace& place) const {
  const Mask* mine = chosen();
  for (const Mask& mask : session_.model.document().masks.shapes) {
    if (!mine || mask.id != mine->id) drawOutline(painter, place, mask, false);
  }
  if (mine) {
    drawOutline(painter, place, *mine, true);
    if (session_.view.tool() == Tool::MaskEdit) drawHandles(painter, place, *mine);
  }
  if (line_.empty()) return;
  painter.setPen(QPen(color::Lamp, 1.5));
  painter.setBrush(Qt::NoBrush);
  painter.drawPolyline(onScreen(place, line_));
  painter.setBrush(color::Lamp);
  for (const Vec2& p : line_) painter.drawEllipse(place.toWidget(p), 3, 3);
}

}  // namespace dusky::desktop
