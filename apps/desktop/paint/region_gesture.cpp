#include "apps/desktop/paint/region_gesture.h"

#include "apps/desktop/paint/theme.h"

namespace dusky::desktop {

void RegionGesture::begin(const QPointF& at, ViewSettings::Tool tool) {
  active_ = true;
  tool_ = tool;
  path_ = QPolygonF({at});
}

void RegionGesture::move(const QPointF& at) {
  if (active_) path_.push_back(at);
}

bool RegionGesture::isClick() const {
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
  fill.setAlpha(28);
  painter.setPen(QPen(color::Lamp, 1, Qt::DashLine));
  painter.setBrush(fill);
  painter.drawPolygon(outline());
}

}  // namespace dusky::desktop
