#pragma once
#include "core/solve/skeleton.h"

namespace dusky {

/// Frames explained by a camera that only rotates: all centres at the origin, every track a direction.
struct Turning {
  Reconstruction work;
  double median_error_px = kUnknown;
  int placed_frames = 0;
};

/// Explains the given frames that way, one after the other from the first on, then adjusted together with what is free of the lens.
std::optional<Turning> rotateOnly(const Reconstruction& start, const std::vector<int>& frames, const SkeletonStart& with, std::uint64_t seed,
                                  const Progress& progress);

/// Gives every frame without a camera a turn, from the tracks whose directions are known; neighbours of placed frames first. Returns how many.
int placeRotations(Reconstruction& work, std::uint64_t seed);

/// Places a frame without a camera at the centre of the nearest one that has one, turned so that the tracks they share agree: where the shot
/// only rotates for a while. Frames next to placed ones first. Returns their indices.
std::vector<int> holdAndRotate(Reconstruction& work, std::uint64_t seed);

}  // namespace dusky
