#pragma once
#include <QPainter>
#include <functional>
#include <optional>

#include "apps/desktop/model/session.h"
#include "core/scene/object_handles.h"

namespace dusky::desktop {

/// How a view shows the scene: where a place lies in the widget, and what lies under a place of the widget.
struct SceneSight {
  std::function<std::optional<QPointF>(const Vec3&)> see;
  std::function<std::optional<SceneRay>(const QPointF&)> ray;
};

/// How far from a place, across the line of sight, so many px to its side lie, scene units: handles that stand so far out are equally large at any distance.
inline std::optional<double> acrossAt(const SceneSight& sight, const Vec3& place, double px) {
  const auto at = sight.see(place);
  const auto eye = at ? sight.ray(*at) : std::nullopt, beside = at ? sight.ray(*at + QPointF(px, 0)) : std::nullopt;
  const auto out = eye && beside ? met(*beside, place, eye->direction) : std::nullopt;
  return out ? std::optional((*out - place).norm()) : std::nullopt;
}

/// Chooses a test object with a click, and moves, turns and scales it by its handles; the same in every view that shows the scene.
class ObjectTool {
 public:
  explicit ObjectTool(Session& session) : session_(session) {}

  /// The left button goes down; true where it holds the chosen object, by a handle or by its body.
  bool press(const SceneSight& sight, const QPointF& at);
  /// Shift: turned by steps of 15 degrees.
  void drag(const SceneSight& sight, const QPointF& at, Qt::KeyboardModifiers keys);
  void release();
  bool holds() const { return held_.has_value(); }
  /// A click: the object there is chosen, or none; none where the click means a track.
  void choose(const SceneSight& sight, const QPointF& at, bool on_track);
  /// Nothing where there is nothing to hold.
  std::optional<Qt::CursorShape> cursorAt(const SceneSight& sight, const QPointF& at) const;
  void draw(QPainter& painter, const SceneSight& sight) const;

 private:
  std::optional<ObjectHandle> handleAt(const SceneSight& sight, const QPointF& at) const;
  int objectUnder(const SceneSight& sight, const QPointF& at) const;
  std::optional<ObjectHandles> handles() const;
  QString note() const;

  Session& session_;
  struct Held {
    ObjectHandle handle;
    TestObject begun;
    SceneRay from;
  };
  std::optional<Held> held_;
};

}  // namespace dusky::desktop
