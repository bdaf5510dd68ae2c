#pragma once
#include "apps/desktop/paint/object_tool.h"

namespace dusky::desktop {

/// Turns the plane or line that is being edited (EditedSet) by the tip of its normal or direction; the same in every view that shows the scene.
class SetTool {
 public:
  explicit SetTool(Session& session) : session_(session) {}

  /// The left button goes down; true where it holds the tip.
  bool press(const SceneSight& sight, const QPointF& at);
  /// Shift: by steps of 5 degrees.
  void drag(const QPointF& at, Qt::KeyboardModifiers keys);
  void release() { held_.reset(); }
  bool holds() const { return held_.has_value(); }
  bool over(const SceneSight& sight, const QPointF& at) const;
  void draw(QPainter& painter, const SceneSight& sight) const;
  /// Where the tip is seen; nothing where it is not.
  std::optional<QPointF> tipPlace(const SceneSight& sight) const;

 private:
  /// How far out the tip stands, scene units: equally far in the picture at any distance.
  std::optional<double> reachFor(const SceneSight& sight) const;

  Session& session_;
  struct Held {
    SceneSight sight;
    double reach;
  };
  std::optional<Held> held_;
};

}  // namespace dusky::desktop
