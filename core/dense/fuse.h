#pragma once
#include <functional>
#include <memory>
#include <vector>

#include "core/base/progress.h"
#include "core/dense/dense_cloud.h"
#include "core/dense/depth_map.h"

namespace dusky {

/// A view as it is fused: its depth map and the picture it was made of.
struct FusedView {
  DepthMap map;
  Picture picture;
  double off_px = kUnknown;                     ///< How far others' pictures lie from where the cameras have them (pictureOffset_px()), px of the footage.
  std::vector<std::pair<int, double>> lighter;  ///< Frames that it was made from, and the logarithm of how many times as bright it is (lightRatio()).
};
using FusedViewPtr = std::shared_ptr<const FusedView>;

/// The views of one shot.
struct FuseInput {
  std::vector<std::vector<std::size_t>> others;             ///< Of each view those that it is compared with, by index.
  std::function<Result<FusedViewPtr>(std::size_t)> viewAt;  ///< Called for one view after the other, on the caller's thread.
  std::vector<double> light = {};                           ///< How bright each is, as a logarithm; colours are told as if all were of 0. Empty: all are.
};

struct FuseOptions {
  int least_views = 2;        ///< Maps besides its own that must agree on a point, >= 1.
  double most_apart_px = 1;   ///< Where it comes back to through the other map, px.
  double most_apart = 0.008;  ///< Of its depth, a share.
  double most_sigma = 0.01;   ///< One standard deviation of a depth, a share of it: what noise leaves open is left out.
  double most_cost = 0.6;     ///< 1 - correlation of the pictures.
};

/// What of one view others agreed on.
struct FusedShare {
  double agreeing_share = kUnknown;  ///< Of its pixels with a depth; unknown where none has one.
  double correlation = kUnknown;     ///< The middle one of those.
  double off_px = kUnknown;          ///< As of the view.
  std::size_t pixels = 0;            ///< Of its map.
};

struct Fused {
  DenseCloud cloud;
  std::vector<FusedShare> shares;  ///< Of each view.
};

/// One cloud of all depth maps: a pixel's place stays where other maps come back to it (geometric consistency), is the mean of theirs then, and what they
/// showed of it is taken once (Galliani, Lasinger, Schindler, ICCV 2015); a place that more maps see through than agree on goes (free space: Merrell et al.,
/// ICCV 2007). Errors: Cancelled; what `viewAt` says.
Result<Fused> fuse(const FuseInput& input, const FuseOptions& options, const Progress& progress);

}  // namespace dusky
