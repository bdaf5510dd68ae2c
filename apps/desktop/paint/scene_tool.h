#pragma once
#include "apps/desktop/paint/object_tool.h"
#include "apps/desktop/paint/set_tool.h"
#include "core/scene/scene_handles.h"

namespace dusky::desktop {

/// What can be held in a view that shows the scene: the scene itself by its handles, where these are shown, a plane or line that is being edited, and test
/// objects.
class SceneTool {
 public:
  /// `through_camera`: the picture stays and the world's axes are dragged over it; else the set is dragged and the axes stay.
  SceneTool(Session& session, bool through_camera) : session_(session), objects_(session), set_(session), through_camera_(through_camera) {}
  void setThroughCamera(bool on) { through_camera_ = on; }

  /// The left button goes down; true where it holds something.
  bool press(const SceneSight& sight, const QPointF& at);
  /// Shift: by steps.
  void drag(const SceneSight& sight, const QPointF& at, Qt::KeyboardModifiers keys);
  void release();
  bool holds() const { return held_.has_value() || set_.holds() || objects_.holds(); }
  /// A click that held nothing; see ObjectTool.
  void choose(const SceneSight& sight, const QPointF& at, bool on_track) { objects_.choose(sight, at, on_track); }
  std::optional<Qt::CursorShape> cursorAt(const SceneSight& sight, const QPointF& at) const;
  void draw(QPainter& painter, const SceneSight& sight) const;
  /// Where a handle is seen; nothing where it is not.
  std::optional<QPointF> handlePlace(const SceneSight& sight, SceneHandle handle) const;
  std::optional<QPointF> setTipPlace(const SceneSight& sight) const { return set_.tipPlace(sight); }

 private:
  /// Where the handles stand and how far out, so that they are equally large at any distance.
  struct Stand {
    Vec3 pivot;
    double reach;
  };
  std::optional<Stand> standFor(const SceneSight& sight) const;
  bool offered(SceneHandle handle) const;
  std::optional<SceneHandle> handleAt(const SceneSight& sight, const QPointF& at) const;
  void drawHandle(QPainter& painter, const SceneSight& sight, const Stand& stand, SceneHandle handle) const;
  /// Takes where the mesh is clicked as the place of the selected track.
  bool pickMesh(const SceneSight& sight, const QPointF& at);
  QString axisName(SceneHandle handle) const;
  QString note() const;

  Session& session_;
  ObjectTool objects_;
  SetTool set_;
  bool through_camera_;
  struct Held {
    SceneHandle handle;
    Vec3 pivot, pivot_now;
    SceneRay from;
    SceneSight sight;  ///< As it was: what is dragged moves under it.
    Similarity by;
  };
  std::optional<Held> held_;
};

}  // namespace dusky::desktop
