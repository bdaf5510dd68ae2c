#pragma once
#include <functional>
#include <memory>
#include <vector>

#include "core/base/progress.h"
#include "core/dense/dense_view.h"
#include "core/dense/fuse.h"
#include "core/mesh/set_mesh.h"

namespace dusky {

/// What a texture is taken from.
struct TextureInput {
  const Solution& solution;
  Similarity scene_from_solve;
  std::vector<int> frames;                                 ///< Keyframes that have depth maps.
  std::function<Result<FusedViewPtr>(int frame)> depthOf;  ///< Called for one frame after the other.
  std::function<Result<std::unique_ptr<FrameSource>>()> open_footage;
  MaskOf mask = {};  ///< Empty: nothing is masked.
};

struct TextureOptions {
  int side_px = 4096;  ///< Of the square picture at most, 256 to 16384; it is smaller where the footage has no more to show.
};

/// A surface of the scene covered with the footage's own pictures: each triangle shows the keyframe that sees it largest and unhidden, where its depth map
/// agrees with the surface; neighbours keep to one keyframe where that costs little (Lempitsky and Ivanov, CVPR 2007; found by iterated conditional modes,
/// Besag 1986); what one keyframe shows in one piece lies in one piece of the texture. Exposures are levelled (view_light.h). What no keyframe sees keeps the
/// colours of its points. The same on every run. Errors: what reading says; InvalidInput: the texture is too small for so many pieces; Cancelled.
Result<SetMesh> textured(SetMesh mesh, const TextureInput& input, const TextureOptions& options, const Progress& progress);

/// Errors: InvalidInput: such a texture is not made; 0, for none, is.
Status checkTextureSide(int side_px);

}  // namespace dusky
