#pragma once
#include <string>

#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

/// A shot drawn at random, of all kinds and worse than usual.
struct RandomShot {
  std::string kind;  ///< "walk", "orbit", "tripod" ...
  SyntheticPlan plan;
  double zoom = 1;      ///< Longest focal length over shortest, of a zoom.
  double breathes = 0;  ///< Share by which focusing changes the focal length.
  int halts = 0;        ///< Frames for which the camera stands.
  std::string text() const;
};

/// The shot of a seed. Kinds: walk, orbit, dolly, crane, small move, tripod, tripod off its nodal point, flat wall, long walk; 45 to 300 frames; lives of 12
/// to 80 frames; noise of 0.04 to 0.5 px; in some tracks that wander and slide, one or two rigid movers, zooms of 1.06 to 2.4, rolling shutters of 0.25 to 0.4
/// frame, focusing that breathes, cameras that halt on their way, frames in which most sightings are lost.
RandomShot randomShot(std::uint64_t seed);

}  // namespace dusky::testing
