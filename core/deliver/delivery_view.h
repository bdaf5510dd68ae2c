#pragma once
#include "core/deliver/delivery.h"
#include "core/deliver/plate.h"

namespace dusky {

/// World, time and plate as a delivery's files tell of them.
struct DeliveryView {
  struct Camera {
    int frame = 0;        ///< As it is delivered.
    int footage = 0;      ///< The footage's own number.
    double time_s = 0;    ///< Since the shot's first frame.
    Pose pose;            ///< World from camera; the world's Y is up.
    double focal_px = 0;  ///< Of the plate.
    bool key = true;      ///< False: even motion between its neighbours tells it.
  };
  struct Point {
    int track = 0;
    Vec3 at = Vec3::Zero();
    Rgb color;
    double error_px = kUnknown, sigma = kUnknown;
  };
  Similarity world_from_solve;  ///< Y up.
  UpAxis up = UpAxis::Y;        ///< What files that can choose call up.
  std::string unit;             ///< "m", "cm" ...; "units": nothing tells how large.
  double metres = 0;            ///< That one unit is; 0: nothing tells.
  double fps = 24;
  int frame_shift = 0;  ///< Of numbers, from the footage's.
  std::string camera_name, points_name;
  Plate plate;
  std::vector<Camera> cameras;  ///< Placed frames.
  std::vector<Point> points;

  /// World axes of files that can choose, from those with Y up.
  Similarity turnedUp() const { return Similarity{1, upAxisTurn(up), Vec3::Zero()}; }
  bool zooms() const;
};

/// World from camera as other programs have it: x right, y up, z towards the viewer; ours is x right, y down, z forward.
inline Eigen::Quaterniond viewerTurn(const Pose& pose) { return (pose.world_from_camera * Eigen::Quaterniond(0, 1, 0, 0)).normalized(); }

/// Errors: InvalidInput: a unit of length for a scene that has no scale.
Result<DeliveryView> viewOf(const DeliveryInput& input, const DeliveryChoices& choices);

}  // namespace dusky
