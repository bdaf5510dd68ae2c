#include "apps/desktop/paint/scene_tool.h"

#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/paint/view_note.h"
#include "core/project/edits.h"
#include "core/scene/mesh_in_scene.h"
#include "core/scene/test_object.h"

namespace dusky::desktop {
namespace {

constexpr double kGrip_px = 11, kReach_px = 92;

}  // namespace

bool SceneTool::offered(SceneHandle handle) const {
  return session_.view.handlesShown() && session_.model.scene() && !session_.model.partial() && isFree(handle, session_.model.scene()->free);
}

std::optional<SceneTool::Stand> SceneTool::standFor(const SceneSight& sight) const {
  const auto pivot = held_ ? std::optional(held_->pivot_now) : session_.mover.pivot();
  const auto reach = pivot ? acrossAt(sight, *pivot, kReach_px) : std::nullopt;
  return reach ? std::optional(Stand{*pivot, *reach}) : std::nullopt;
}

std::optional<QPointF> SceneTool::handlePlace(const SceneSight& sight, SceneHandle handle) const {
  const auto stand = offered(handle) ? standFor(sight) : std::nullopt;
  return stand ? sight.see(placeOf(handle, stand->pivot, stand->reach)) : std::nullopt;
}

std::optional<SceneHandle> SceneTool::handleAt(const SceneSight& sight, const QPointF& at) const {
  std::optional<SceneHandle> found;
  const auto stand = session_.view.handlesShown() ? standFor(sight) : std::nullopt;
  if (!stand) return found;
  double nearest = kGrip_px;
  for (const SceneHandle handle : kSceneHandles) {
    const auto seen = offered(handle) ? sight.see(placeOf(handle, stand->pivot, stand->reach)) : std::nullopt;
    const double away = seen ? std::hypot(seen->x() - at.x(), seen->y() - at.y()) : nearest;
    if (away < nearest) nearest = away, found = handle;
  }
  return found;
}

bool SceneTool::pickMesh(const SceneSight& sight, const QPointF& at) {
  constexpr double kPointer_px = 1.5, kPoint_px = 6;
  const auto ray = sight.ray(at), beside = sight.ray(at + QPointF(1, 0));
  const MeshSurfacePtr& surface = session_.mesh.mesh().surface;
  if (!surface || session_.selection.ids().size() != 1) {  // let go of meanwhile
    session_.view.setTool(ViewSettings::Tool::Box);
    return false;
  }
  if (!ray || !beside) return true;
  // Without perspective lines of sight run side by side: what a px is worth is how far apart they are.
  const double apart = (beside->from - ray->from).norm(), angle = std::acos(std::min(1.0, ray->direction.dot(beside->direction)));
  const auto found = pickOnMesh(*surface, session_.model.document().mesh, *ray, kPoint_px * std::max(angle, 1e-4));
  if (!found) return true;
  const double away = (*found - ray->from).norm(), px = angle > 1e-9 ? away * angle : apart;
  Knowledge known = withPick(session_.model.document().picks.knowledge, session_.selection.ids().front(), *found, px, kPointer_px);
  session_.view.setTool(ViewSettings::Tool::Box);
  session_.model.run(changeKnowledge("Pick on the mesh", session_.model.document(), std::move(known)));
  return true;
}

bool SceneTool::press(const SceneSight& sight, const QPointF& at) {
  if (session_.view.tool() == ViewSettings::Tool::MeshPick) return pickMesh(sight, at);
  if (set_.press(sight, at)) return true;
  const auto handle = handleAt(sight, at);
  const auto ray = handle ? sight.ray(at) : std::nullopt;
  if (!ray) return objects_.press(sight, at);
  const Vec3 pivot = *session_.mover.pivot();
  held_ = Held{*handle, pivot, pivot, *ray, sight, {}};
  session_.mover.begin();
  return true;
}

void SceneTool::drag(const SceneSight& sight, const QPointF& at, Qt::KeyboardModifiers keys) {
  if (set_.holds()) return set_.drag(at, keys);
  if (!held_) return objects_.drag(sight, at, keys);
  if (!session_.mover.dragging()) return;  // given up meanwhile
  const auto ray = held_->sight.ray(at);
  const SolutionPtr solution = session_.model.solution();
  if (!ray || !solution) return;
  constexpr double kSteps = 10;  // of a square of the grid
  const double step = keys & Qt::ShiftModifier ? gridSpacing(*solution, *session_.model.scene()) / kSteps : 0;
  held_->by = draggedBy(held_->handle, held_->pivot, held_->from, *ray, step);
  held_->pivot_now = through_camera_ ? held_->pivot : held_->by * held_->pivot;
  session_.mover.drag(through_camera_ ? held_->by.inverse() : held_->by);
}

void SceneTool::release() {
  if (set_.holds()) return set_.release();
  if (!held_) return objects_.release();
  held_.reset();
  session_.mover.letGo();
}

std::optional<Qt::CursorShape> SceneTool::cursorAt(const SceneSight& sight, const QPointF& at) const {
  if (session_.view.tool() == ViewSettings::Tool::MeshPick) return Qt::CrossCursor;
  if (set_.over(sight, at)) return Qt::PointingHandCursor;
  if (const auto handle = handleAt(sight, at)) return turns(*handle) || handle == SceneHandle::Scale ? Qt::PointingHandCursor : Qt::SizeAllCursor;
  return objects_.cursorAt(sight, at);
}

/// As numbers call it: where Z is up, the scene's third axis is Y the other way.
QString SceneTool::axisName(SceneHandle handle) const {
  const auto axis = axisOf(handle);
  if (!axis) return {};
  const Vec3 told = toUpAxis(session_.model.scene()->up, *axis);
  Eigen::Index which = 0;
  told.cwiseAbs().maxCoeff(&which);
  return (told[which] < 0 ? QString(QChar(0x2212)) : QString()) + QChar('X' + static_cast<int>(which));
}

QString SceneTool::note() const {
  const SceneFrame& scene = *session_.model.scene();
  if (held_->handle == SceneHandle::Scale) return QObject::tr("× %1").arg(held_->by.scale, 0, 'f', 3);
  if (turns(held_->handle)) {
    const Eigen::AngleAxisd turn(held_->by.rotation);
    const double sign = turn.axis().dot(*axisOf(held_->handle)) < 0 ? -1 : 1;
    return QObject::tr("turned by %1° about %2").arg(sign * turn.angle() * 180 / M_PI, 0, 'f', 1).arg(axisName(held_->handle));
  }
  return QObject::tr("moved %1").arg(sceneLengthText(scene, held_->by.shift.norm(), 3));
}

/// Letters move along an axis, rings on their arcs turn about one, the square scales, the cross moves over the ground.
void SceneTool::drawHandle(QPainter& painter, const SceneSight& sight, const Stand& stand, SceneHandle handle) const {
  const auto at = sight.see(placeOf(handle, stand.pivot, stand.reach)), from = sight.see(stand.pivot);
  if (!at || !from) return;
  const bool held = held_ && held_->handle == handle;
  const QColor paint = held ? color::Text : color::Lamp;
  QPolygonF line;
  if (turns(handle)) {
    for (const Vec3& place : arcOf(handle, stand.pivot, stand.reach)) {
      if (const auto seen = sight.see(place)) line << *seen;
    }
  } else if (handle != SceneHandle::MoveLevel) {
    line << *from << *at;
  }
  painter.setBrush(Qt::NoBrush);
  for (const QPen& pen : {QPen(QColor(12, 8, 16, 170), 3.2), QPen(paint, turns(handle) ? 1.0 : 1.4)}) {
    painter.setPen(pen);
    painter.drawPolyline(line);
    if (handle == SceneHandle::MoveLevel) {
      painter.drawLine(*at - QPointF(7, 0), *at + QPointF(7, 0));
      painter.drawLine(*at - QPointF(0, 7), *at + QPointF(0, 7));
    }
  }
  painter.setPen(QPen(turns(handle) ? paint : color::Night, 1.6));
  painter.setBrush(turns(handle) ? QBrush(color::Night) : QBrush(paint));
  if (handle == SceneHandle::Scale) painter.drawRect(QRectF(at->x() - 4.5, at->y() - 4.5, 9, 9));
  if (turns(handle)) painter.drawEllipse(*at, 5, 5);
  if (turns(handle) || handle == SceneHandle::Scale || handle == SceneHandle::MoveLevel) return;
  painter.drawEllipse(*at, 9, 9);
  painter.drawText(QRectF(at->x() - 12, at->y() - 9, 24, 18), Qt::AlignCenter, axisName(handle));
}

void SceneTool::draw(QPainter& painter, const SceneSight& sight) const {
  objects_.draw(painter, sight);
  set_.draw(painter, sight);
  if (session_.view.tool() == ViewSettings::Tool::MeshPick && session_.selection.ids().size() == 1)
    drawNote(painter, QObject::tr("Click where track %1 lies on the mesh.").arg(session_.selection.ids().front()), {8, 30});
  if (session_.view.handlesShown() && session_.model.scene() && session_.model.scene()->surveyed)
    drawNote(painter, QObject::tr("The survey says where the set stands: it is not moved by hand."), {8, 30});
  const auto stand = session_.view.handlesShown() ? standFor(sight) : std::nullopt;
  if (!stand) return;
  for (const SceneHandle handle : kSceneHandles) {
    if (offered(handle)) drawHandle(painter, sight, *stand, handle);
  }
  if (held_) drawNote(painter, note(), (*sight.see(stand->pivot) + QPointF(14, -10)).toPoint());
}

}  // namespace dusky::desktop
