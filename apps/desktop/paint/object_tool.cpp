#include "apps/desktop/paint/object_tool.h"

#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/paint/view_note.h"

namespace dusky::desktop {
namespace {

constexpr double kGrip_px = 9, kSnap_deg = 15;

}  // namespace

std::optional<ObjectHandles> ObjectTool::handles() const {
  const auto chosen = session_.objects.chosen();
  const SolutionPtr solution = session_.model.solution();
  if (!chosen || !solution || !session_.model.scene() || !session_.view.objectsShown()) return std::nullopt;
  return handlesOf(*chosen, *solution, *session_.model.scene());
}

/// The handles for turning and scaling before the one in the middle: of a small object they lie closest together.
std::optional<ObjectHandle> ObjectTool::handleAt(const SceneSight& sight, const QPointF& at) const {
  const auto places = handles();
  if (!places) return std::nullopt;
  for (const auto& [handle, place] : {std::pair(ObjectHandle::Turn, places->turn), {ObjectHandle::Size, places->size}, {ObjectHandle::Move, places->move}}) {
    const auto seen = sight.see(place);
    if (seen && std::hypot(seen->x() - at.x(), seen->y() - at.y()) < kGrip_px) return handle;
  }
  return std::nullopt;
}

int ObjectTool::objectUnder(const SceneSight& sight, const QPointF& at) const {
  const SolutionPtr solution = session_.model.solution();
  const auto ray = solution && session_.model.scene() && session_.view.objectsShown() ? sight.ray(at) : std::nullopt;
  return ray ? objectAt(*ray, session_.objects.shown(), *solution, *session_.model.scene()) : 0;
}

bool ObjectTool::press(const SceneSight& sight, const QPointF& at) {
  const auto chosen = session_.objects.chosen();
  const auto ray = chosen ? sight.ray(at) : std::nullopt;
  if (!ray) return false;
  auto handle = handleAt(sight, at);
  if (!handle && objectUnder(sight, at) == chosen->id) handle = ObjectHandle::Move;
  if (!handle) return false;
  held_ = Held{*handle, *chosen, *ray};
  return true;
}

void ObjectTool::drag(const SceneSight& sight, const QPointF& at, Qt::KeyboardModifiers keys) {
  const auto chosen = session_.objects.chosen();
  if (held_ && (!chosen || chosen->id != held_->begun.id)) held_.reset();  // let go of meanwhile
  const auto ray = held_ ? sight.ray(at) : std::nullopt;
  const SolutionPtr solution = session_.model.solution();
  if (!ray || !solution || !session_.model.scene()) return;
  TestObject now = draggedObject(held_->begun, held_->handle, held_->from, *ray, *solution, *session_.model.scene());
  if (held_->handle == ObjectHandle::Turn && keys & Qt::ShiftModifier) now.turn_deg = kSnap_deg * std::round(now.turn_deg / kSnap_deg);
  session_.objects.drag(now);
}

void ObjectTool::release() {
  held_.reset();
  session_.objects.letGo();
}

void ObjectTool::choose(const SceneSight& sight, const QPointF& at, bool on_track) { session_.objects.choose(on_track ? 0 : objectUnder(sight, at)); }

std::optional<Qt::CursorShape> ObjectTool::cursorAt(const SceneSight& sight, const QPointF& at) const {
  if (const auto handle = handleAt(sight, at)) return *handle == ObjectHandle::Move ? Qt::SizeAllCursor : Qt::PointingHandCursor;
  const auto chosen = session_.objects.chosen();
  if (!chosen || objectUnder(sight, at) != chosen->id) return std::nullopt;
  return Qt::SizeAllCursor;
}

QString ObjectTool::note() const {
  const auto chosen = session_.objects.chosen();
  const SceneFrame& scene = *session_.model.scene();
  switch (held_->handle) {
    case ObjectHandle::Move: {
      const double by = std::hypot(chosen->along - held_->begun.along, chosen->across - held_->begun.across);
      return QObject::tr("moved %1").arg(sceneLengthText(scene, by, 3));
    }
    case ObjectHandle::Turn: return QObject::tr("turned to %1°").arg(chosen->turn_deg, 0, 'f', 0);
    case ObjectHandle::Size: return QObject::tr("size %1").arg(sceneLengthText(scene, chosen->size, 3));
  }
  return {};
}

/// A cross in the middle moves it, the disc on the ring turns it, the square on the other side scales it.
void ObjectTool::draw(QPainter& painter, const SceneSight& sight) const {
  const auto places = handles();
  if (!places) return;
  const auto move = sight.see(places->move), turn = sight.see(places->turn), size = sight.see(places->size);
  if (!move || !turn || !size) return;
  QPolygonF ring;
  for (const Vec3& place : places->ring) {
    if (const auto at = sight.see(place)) ring << *at;
  }
  painter.setBrush(Qt::NoBrush);
  for (const QPen& pen : {QPen(QColor(12, 8, 16, 170), 3.4), QPen(color::Lamp, 1.4)}) {
    painter.setPen(pen);
    painter.drawPolyline(ring);
    painter.drawLine(*move - QPointF(6, 0), *move + QPointF(6, 0));
    painter.drawLine(*move - QPointF(0, 6), *move + QPointF(0, 6));
  }
  painter.setPen(QPen(color::Night, 1.4));
  painter.setBrush(color::Lamp);
  painter.drawEllipse(*turn, 5, 5);
  painter.drawRect(QRectF(size->x() - 4.5, size->y() - 4.5, 9, 9));
  if (held_) drawNote(painter, note(), (*move + QPointF(14, -10)).toPoint());
}

}  // namespace dusky::desktop
