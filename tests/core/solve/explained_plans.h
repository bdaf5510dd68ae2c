#pragma once
#include <cmath>

#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

inline constexpr double kNoise = 0.2;

/// A walk with a hand's shake.
inline SyntheticPlan walk(std::uint64_t seed) {
  SyntheticPlan plan{.frames = 70, .points = 700, .noise_px = kNoise, .life = 34, .seed = seed};
  plan.path = [](int i) {
    const Pose on = walkingOn(i, 0.07);
    return Pose{on.world_from_camera * rotationFromVector(0.008 * Vec3(std::sin(0.9 * i), std::cos(1.3 * i), std::sin(0.7 * i))), on.centre};
  };
  plan.lens.k1() = -0.05;
  return plan;
}

/// A pan on the spot.
inline SyntheticPlan tripod(std::uint64_t seed) {
  SyntheticPlan plan{.frames = 70, .points = 700, .noise_px = kNoise, .life = 34, .seed = seed};
  plan.path = [](int i) { return Pose{(rotationFromVector(Vec3(0, 0.35 - 0.01 * i, 0)) * Eigen::Quaterniond(0, 1, 0, 0)).normalized(), Vec3(0, 1.6, 0)}; };
  return plan;
}

/// A focal length that goes from one value to the other, px.
inline std::function<double(int)> zoomIn(double from, double to, int frames) {
  return [=](int i) {
    const double t = std::clamp((i - 10) / (frames - 20.0), 0.0, 1.0);
    return from * std::pow(to / from, t * t * (3 - 2 * t));
  };
}

}  // namespace dusky::testing
