#include "apps/desktop/paint/set_tool.h"

#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "core/scene/axis_handle.h"

namespace dusky::desktop {

std::optional<double> SetTool::reachFor(const SceneSight& sight) const {
  constexpr double kReach_px = 84;
  const auto& given = session_.edited_set.given();
  if (held_) return held_->reach;
  return given ? acrossAt(sight, given->foot, kReach_px) : std::nullopt;
}

std::optional<QPointF> SetTool::tipPlace(const SceneSight& sight) const {
  const auto& given = session_.edited_set.given();
  const auto reach = given ? reachFor(sight) : std::nullopt;
  return reach ? sight.see(given->foot + *reach * given->axis) : std::nullopt;
}

bool SetTool::over(const SceneSight& sight, const QPointF& at) const {
  constexpr double kGrip_px = 11;
  const auto tip = tipPlace(sight);
  return tip && std::hypot(tip->x() - at.x(), tip->y() - at.y()) < kGrip_px;
}

bool SetTool::press(const SceneSight& sight, const QPointF& at) {
  if (!over(sight, at)) return false;
  held_ = Held{sight, *reachFor(sight)};
  return true;
}

void SetTool::drag(const QPointF& at, Qt::KeyboardModifiers keys) {
  constexpr double kStep_rad = 5 * M_PI / 180;
  const auto& given = session_.edited_set.given();
  const auto ray = held_ && given ? held_->sight.ray(at) : std::nullopt;
  if (ray) session_.edited_set.turn(axisDraggedTo(*ray, given->foot, held_->reach, given->axis, keys & Qt::ShiftModifier ? kStep_rad : 0));
}

void SetTool::draw(QPainter& painter, const SceneSight& sight) const {
  const auto& given = session_.edited_set.given();
  const auto reach = given ? reachFor(sight) : std::nullopt;
  if (!reach) return;
  QPolygonF circle, normal;
  const auto put = [&sight](QPolygonF& line, const Vec3& place) {
    if (const auto seen = sight.see(place)) line << *seen;
  };
  if (!given->line) {
    for (const Vec3& place : circleAbout(given->foot, given->axis, 0.7 * *reach)) put(circle, place);
  }
  put(normal, given->line ? Vec3(given->foot - *reach * given->axis) : given->foot);
  put(normal, given->foot + *reach * given->axis);
  painter.setBrush(Qt::NoBrush);
  for (const QPen& pen : {QPen(QColor(12, 8, 16, 170), 3.2), QPen(holds() ? color::Text : color::Lamp, 1.4)}) {
    painter.setPen(pen);
    painter.drawPolyline(circle);
    painter.drawPolyline(normal);
  }
  const auto tip = tipPlace(sight);
  if (!tip) return;
  painter.setBrush(color::Night);
  painter.drawEllipse(*tip, 5, 5);
}

}  // namespace dusky::desktop
