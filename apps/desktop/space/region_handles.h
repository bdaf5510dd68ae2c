#pragma once
#include "apps/desktop/paint/object_tool.h"
#include "core/dense/dense_settings.h"

namespace dusky::desktop {

/// The faces of the dense points' region, each drawn along its axis by a handle in its middle, where dense points are shown. The region changes once, when the
/// handle is let go.
class RegionHandles {
 public:
  explicit RegionHandles(Session& session) : session_(session) {}

  /// The left button goes down; true where it holds a face.
  bool press(const SceneSight& sight, const QPointF& at);
  /// Shift: by tenths of the region's size there.
  void drag(const SceneSight& sight, const QPointF& at, Qt::KeyboardModifiers keys);
  void release();
  bool holds() const { return held_.has_value(); }
  std::optional<Qt::CursorShape> cursorAt(const SceneSight& sight, const QPointF& at) const;
  void draw(QPainter& painter, const SceneSight& sight) const;
  /// Where a face's handle is seen; nothing where it is not.
  std::optional<QPointF> handlePlace(const SceneSight& sight, int axis, bool high) const;

 private:
  struct Face {
    int axis = 0;
    bool high = false;
  };
  /// As it is dragged now; nothing where none is shown.
  std::optional<RegionBox> box() const;
  std::optional<Face> faceAt(const SceneSight& sight, const QPointF& at) const;

  Session& session_;
  struct Held {
    Face face;
    RegionBox begun, now;
    SceneRay from;
  };
  std::optional<Held> held_;
};

}  // namespace dusky::desktop
