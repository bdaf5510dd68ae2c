#include "apps/desktop/space/region_handles.h"

#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/paint/view_note.h"
#include "core/scene/scene_handles.h"

namespace dusky::desktop {
namespace {

constexpr double kGrip_px = 9;

Vec3 middleOf(const RegionBox& box, int axis, bool high) {
  Vec3 middle = (box.low + box.high) / 2;
  middle[axis] = (high ? box.high : box.low)[axis];
  return middle;
}

SceneHandle alongAxis(int axis) { return axis == 0 ? SceneHandle::MoveX : axis == 1 ? SceneHandle::MoveY : SceneHandle::MoveZ; }

}  // namespace

std::optional<RegionBox> RegionHandles::box() const {
  if (held_) return held_->now;
  if (session_.view.denseShown() == ViewSettings::DenseShown::Nothing || !session_.dense.points() || !session_.model.scene()) return std::nullopt;
  return session_.model.document().dense.clean.region;
}

std::optional<QPointF> RegionHandles::handlePlace(const SceneSight& sight, int axis, bool high) const {
  const auto now = box();
  return now ? sight.see(middleOf(*now, axis, high)) : std::nullopt;
}

std::optional<RegionHandles::Face> RegionHandles::faceAt(const SceneSight& sight, const QPointF& at) const {
  std::optional<Face> nearest;
  double least = kGrip_px;
  for (int axis = 0; axis < 3; ++axis) {
    for (const bool high : {false, true}) {
      const auto seen = handlePlace(sight, axis, high);
      const double away = seen ? std::hypot(seen->x() - at.x(), seen->y() - at.y()) : 1e9;
      if (away < least) least = away, nearest = Face{axis, high};
    }
  }
  return nearest;
}

bool RegionHandles::press(const SceneSight& sight, const QPointF& at) {
  const auto face = faceAt(sight, at);
  const auto ray = face ? sight.ray(at) : std::nullopt;
  if (!ray) return false;
  held_ = Held{*face, *box(), *box(), *ray};
  return true;
}

void RegionHandles::drag(const SceneSight& sight, const QPointF& at, Qt::KeyboardModifiers keys) {
  const auto ray = held_ ? sight.ray(at) : std::nullopt;
  if (!ray) return;
  const auto [axis, high] = held_->face;
  const RegionBox& begun = held_->begun;
  const double step = keys & Qt::ShiftModifier ? (begun.high[axis] - begun.low[axis]) / 10 : 0;
  const double by = draggedBy(alongAxis(axis), middleOf(begun, axis, high), held_->from, *ray, step).shift[axis];
  RegionBox& now = held_->now = begun;
  if (high)
    now.high[axis] = std::max(begun.high[axis] + by, begun.low[axis]);
  else
    now.low[axis] = std::min(begun.low[axis] + by, begun.high[axis]);
}

void RegionHandles::release() {
  if (!held_) return;
  DenseSettings settings = session_.model.document().dense;
  const bool moved = settings.clean.region && !(held_->now == held_->begun);
  settings.clean.region = held_->now;
  held_.reset();
  if (moved) session_.model.set("Drag region of dense points", &Document::dense, settings);
}

std::optional<Qt::CursorShape> RegionHandles::cursorAt(const SceneSight& sight, const QPointF& at) const {
  return faceAt(sight, at) ? std::optional(Qt::PointingHandCursor) : std::nullopt;
}

void RegionHandles::draw(QPainter& painter, const SceneSight& sight) const {
  const auto now = box();
  if (!now) return;
  if (held_) {
    painter.setPen(QPen(color::Lamp, 1));
    const auto corner = [&](int k) {
      return sight.see(Vec3(k & 1 ? now->high.x() : now->low.x(), k & 2 ? now->high.y() : now->low.y(), k & 4 ? now->high.z() : now->low.z()));
    };
    for (int k = 0; k < 8; ++k) {
      for (const int axis : {1, 2, 4}) {
        const auto a = corner(k), b = corner(k | axis);
        if (!(k & axis) && a && b) painter.drawLine(*a, *b);
      }
    }
  }
  for (int axis = 0; axis < 3; ++axis) {
    for (const bool high : {false, true}) {
      const auto at = handlePlace(sight, axis, high);
      if (!at) continue;
      const bool this_one = held_ && held_->face.axis == axis && held_->face.high == high;
      painter.setPen(QPen(color::Night, 1.2));
      painter.setBrush(this_one ? color::Lamp : color::Text);
      painter.drawRect(QRectF(at->x() - 4, at->y() - 4, 8, 8));
      if (!this_one) continue;
      const double place = (high ? now->high : now->low)[axis];
      drawNote(painter, QObject::tr("%1 from %2").arg(QString("XYZ"[axis]), sceneLengthText(*session_.model.scene(), place, 3)),
               (*at + QPointF(14, -10)).toPoint());
    }
  }
}

}  // namespace dusky::desktop
