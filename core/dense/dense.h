#pragma once
#include <filesystem>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "core/dense/dense_cloud.h"
#include "core/dense/dense_settings.h"
#include "core/dense/dense_view.h"
#include "core/dense/fuse.h"

namespace dusky {

/// What dense points are made of.
struct DenseInput {
  const Solution& solution;
  std::function<Result<std::unique_ptr<FrameSource>>()> open_footage;
  MaskOf mask = {};                   ///< Empty: nothing is masked.
  std::filesystem::path folder = {};  ///< Where depth maps are kept, each as it is made; those that are there are used. It must be this input's own. Empty:
                                      ///< in memory alone.
  std::vector<std::filesystem::path> earlier = {};  ///< Folders of the same solve, footage and quality with other keyframes: maps that are there are used too.
  std::function<void(const FusedViewPtr&)> on_view = {};  ///< Hears of each depth map, on the caller's thread.
};

struct DenseOptions {
  DenseQuality quality = DenseQuality::Good;
  std::vector<int> keyframes = {};                   ///< That an artist chose, ascending; empty: none were (KeyframeOptions).
  std::size_t most_bytes = std::size_t{1200} << 20;  ///< Of pictures and depth maps in memory at a time; what does not fit is compared with fewer views.
};

/// One keyframe's part.
struct DenseFrame {
  int frame = 0;
  double parallax_rad = kUnknown;    ///< Between it and the view that tells its depth best.
  double agreeing_share = kUnknown;  ///< Of its pixels with a depth: those that other views agree on.
  double correlation = kUnknown;     ///< Of the pictures where they agree, the middle one: how well camera and set explain what is seen.
  double off_px = kUnknown;          ///< How far others' pictures lie from where the cameras have them, across the epipolar lines, px of the footage.
  std::size_t pixels = 0;            ///< Of its depth map.
};

struct DenseResult {
  DenseQuality quality = DenseQuality::Good;
  DenseCloud cloud;
  std::vector<DenseFrame> frames;
  std::vector<std::string> warnings;                                 ///< Sentences.
  int maps_made = 0;                                                 ///< Of the keyframes' depth maps; the others were there from an earlier run.
  double views_s = kUnknown, depth_s = kUnknown, fuse_s = kUnknown;  ///< Seconds of each stage.
};
using DenseResultPtr = std::shared_ptr<const DenseResult>;

/// The keyframe that others agree on least; nullptr where none tells.
const DenseFrame* leastAgreed(const DenseResult& dense);
/// The keyframe whose pictures lie farthest off; nullptr where none tells.
const DenseFrame* farthestOff(const DenseResult& dense);

/// Dense points of a solved shot: keyframes are chosen, undistorted, each gets a depth map from those that see the same from elsewhere, and all are fused. The
/// same on every run, with any number of threads, and where depth maps of an earlier run were used.
/// Errors: InvalidInput: as chooseKeyframes(), or nothing is left that views agree on; CannotWrite: the folder is full; what reading the footage says;
/// Cancelled.
Result<DenseResult> makeDense(const DenseInput& input, const DenseOptions& options, const Progress& progress);

/// What it will take.
struct DenseForecast {
  int keyframes = 0;
  std::vector<int> frames;    ///< About these: which frames are sharp is not known yet.
  int width = 0, height = 0;  ///< Of a depth map, px.
  double megapixels = 0;      ///< Of all depth maps.
  double seconds = kUnknown;  ///< As this machine is known; unknown from forecastDense().
  std::uintmax_t memory = 0;  ///< Bytes at most.
  std::uintmax_t disk = 0;    ///< Bytes of the depth maps.
};
/// Errors: as chooseKeyframes().
Result<DenseForecast> forecastDense(const Solution& solution, const DenseOptions& options);

/// Where the depth map of a frame is kept in a folder; an empty path where there is none.
std::filesystem::path depthMapIn(const std::filesystem::path& folder, int frame);

}  // namespace dusky
