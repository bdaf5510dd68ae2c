#pragma once
#include <string>

#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

/// A shot drawn at random, of all kinds and worse than usual.
struct RandomShot {
  std::string kind;  ///< "walk", "orbit", "tripod" ...
  SyntheticPlan plan;
  double zoom = 1;  ///< Longest focal length over shortest.
  std::string text() const;
};

/// The shot of a seed. Kinds: walk, orbit, dolly, crane, small move, tripod, tripod off its nodal point, flat wall, long walk; 45 to 300 frames; lives of 12
/// to 80 frames; noise of 0.04 to 0.5 px; tracks that wander and slide, rigid movers, zooms of 1.06 to 2.4 and rolling shutters of 0.25 to 0.4 frame in some.
RandomShot randomShot(std::uint64_t seed);

}  // namespace dusky::testing
