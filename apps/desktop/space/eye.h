#pragma once
#include <QMatrix4x4>
#include <QVector3D>
#include <QVector4D>

#include "core/geometry/pose.h"
#include "core/lens/lens.h"

namespace dusky::desktop {

/// Where Space is looked at from: round a target, along one of the scene's axes without perspective, or through the solved camera.
class Eye {
 public:
  enum class Mode { Orbit, Top, Front, Side, Camera };

  Mode mode = Mode::Orbit;
  QVector3D target;
  float distance = 10, yaw_rad = 0.6f, pitch_rad = 0.5f;

  /// Whether it looks along an axis: lengths can be read.
  bool alongAxis() const { return mode == Mode::Top || mode == Mode::Front || mode == Mode::Side; }
  /// From behind this heading (rad about Y) and to its side; along an axis: from behind what lies nearest to it.
  void home(float behind_rad);
  /// About a pivot, which stays where it is on the screen. One that looks along an axis orbits from then on.
  void turn(float right_px, float down_px, const QVector3D& pivot);
  /// Moves the target so that the set follows the pointer; `height_px` of the view.
  void move(float right_px, float down_px, float height_px);
  void approach(float wheel_degrees);
  void look(const QVector3D& middle, float reach);

  /// Scene units of a px at the target, in a view of this height.
  float unitsPerPx(float height_px) const;
  /// The directions on the screen, in the scene.
  QVector3D right() const;
  QVector3D up() const;
  /// How far before the eye (before the target where it looks along an axis) a place in clip coordinates lies, scene units.
  float depthOf(const QVector4D& clip) const;

  /// World to clip coordinates. Camera mode needs the camera; without one it is an orbit.
  QMatrix4x4 matrix(float aspect, const Pose* camera, const Lens* lens) const;

 private:
  QVector3D direction() const;  ///< From target to eye.
  /// The target in the screen's directions, seen from the pivot.
  QVector3D apart(const QVector3D& pivot) const;
};

}  // namespace dusky::desktop
