#include "apps/desktop/paint/region_gesture.h"

#include "apps/desktop/paint/theme.h"

namespace dusky::desktop {

void RegionGesture::begin(const QPointF& at, ViewSettings::Tool tool) {
  active_ = true;
  tool_ = tool, brush_ = 0;
  path_ = QPolygonF({at});
}

void RegionGesture::beginStroke(const QPointF& at, double radius) {
  begin(at, ViewSettings::Tool::Lasso);
  brush_ = radius;
}

void RegionGesture::move(const QPointF& at) {
  // A brush's way is looked at for every point: what it hardly moves by is left out.
  if (active_ && (brush_ == 0 || (at - path_.back()).manhattanLength() > brush_ / 6)) path_.push_back(at);
}

bool RegionGesture::isClick() const {
  if (brush_ > 0) return false;
  const QRectF bounds = path_.boundingRect();
  return bounds.width() < 4 && bounds.height() < 4;
}

QPolygonF RegionGesture::outline() const { return tool_ == ViewSettings::Tool::Box ? QPolygonF(QRectF(path_.front(), path_.back()).normalized()) : path_; }

QPolygonF RegionGesture::end() {
  const QPolygonF drawn = region();
  active_ = false;
  return drawn;
}

void RegionGesture::draw(QPainter& painter) const {
  if (!active_ || isClick()) return;
  QColor fill = color::Lamp;
  if (brush_ > 0) {
    fill.setAlpha(70);
    painter.setPen(QPen(fill, 2 * brush_, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    path_.size() > 1 ? painter.drawPolyline(path_) : painter.drawPoint(path_.front());
    return;
  }
  fill.setAlpha(28);
  painter.setPen(QPen(color::Lamp, 1, Qt::DashLine));
  painter.setBrush(fill);
  painter.drawPolygon(outline());
}

}  // namespace dusky::desktop
