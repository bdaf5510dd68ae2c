#pragma once
#include <string>

#include "tests/support/shot_maker.h"

namespace dusky::testing {

/// A rendered shot drawn at random: rolling shutters, motion blur, focusing that breathes, zooms, things that move, faces that mirror, noise.
struct RandomPictures {
  std::string kind;
  ShotPlan plan;
  double zoom = 1, breathes = 0;
  int movers = 0, glossy = 0;
  std::string text() const;
};

RandomPictures randomPictures(std::uint64_t seed);

}  // namespace dusky::testing
