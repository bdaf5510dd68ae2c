#pragma once
#include <QMatrix4x4>
#include <QVector3D>

#include "core/geometry/pose.h"
#include "core/lens/lens.h"

namespace dusky::desktop {

/// Where Space is looked at from: round a target, straight down, or through the solved camera.
class Eye {
 public:
  enum class Mode { Orbit, Top, Camera };

  Mode mode = Mode::Orbit;
  QVector3D target;
  float distance = 10, yaw_rad = 0.6f, pitch_rad = 0.5f;

  void turn(float right_px, float down_px);
  /// Moves the target so that the set follows the pointer; `height_px` of the view.
  void move(float right_px, float down_px, float height_px);
  void approach(float wheel_degrees);
  void look(const QVector3D& middle, float reach);

  /// World to clip coordinates. Camera mode needs the camera; without one it is an orbit.
  QMatrix4x4 matrix(float aspect, const Pose* camera, const Lens* lens) const;

 private:
  QVector3D direction() const;  ///< From target to eye.
};

}  // namespace dusky::desktop
