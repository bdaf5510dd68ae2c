#include "core/dense/dense.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/dense/depth_search.h"
#include "core/dense/fuse.h"
#include "core/dense/keyframes.h"

namespace dusky {
namespace {

constexpr std::size_t kMatched = 4;  ///< Others that a depth map is made from.

int halvingsOf(DenseQuality quality) { return quality == DenseQuality::Draft ? 2 : quality == DenseQuality::Good ? 1 : 0; }

Result<std::vector<DenseView>> viewsOf(const DenseInput& input, const std::vector<Keyframe>& keys, DenseQuality quality, const Progress& progress) {
  const auto footage = input.open_footage();
  if (!footage.ok()) return footage.error();
  std::vector<DenseView> views;
  Undistortion kept;
  for (const Keyframe& key : keys) {
    if (progress.stopRequested()) return cancelled();
    progress.report(static_cast<double>(views.size()) / static_cast<double>(keys.size()), "undistorting keyframes");
    auto view = makeDenseView(input.solution, *input.solution.frameAt(key.frame), **footage, input.mask, halvingsOf(quality), kept);
    if (!view.ok()) return view.error();
    views.push_back(std::move(*view));
  }
  return views;
}

DepthMap depthOf(const std::vector<DenseView>& views, const std::vector<Keyframe>& keys, std::size_t at, const Progress& progress) {
  std::vector<const std::vector<MatchPicture>*> neighbours;
  for (const std::size_t other : keys[at].others) {
    if (neighbours.size() < kMatched) neighbours.push_back(&views[other].sizes);
  }
  DepthMap map = searchDepth(views[at].sizes, neighbours, views[at].range, {.noise = views[at].noise}, progress);
  map.frame = keys[at].frame;
  return map;
}

/// Keyframes that share too little with any other tell no depth, and are nobody's others.
void dropLonely(std::vector<Keyframe>& keys) {
  std::vector<std::size_t> now(keys.size());
  std::size_t kept = 0;
  for (std::size_t k = 0; k < keys.size(); ++k) now[k] = keys[k].others.empty() ? keys.size() : kept++;
  for (Keyframe& key : keys) {
    for (std::size_t& other : key.others) other = now[other];
  }
  std::erase_if(keys, [](const Keyframe& key) { return key.others.empty(); });
}

}  // namespace

std::string_view describe(DenseQuality quality) {
  static constexpr std::array<std::string_view, 3> kNames = {"draft", "good", "fine"};
  return kNames[static_cast<std::size_t>(quality)];
}

Status DenseOptions::check() const {
  if (!(spacing >= 0) || !std::isfinite(spacing)) return invalidInput(fmt::format("The spacing of dense points is a length from 0 on, not {:g}.", spacing));
  return Done{};
}

Result<DenseResult> makeDense(const DenseInput& input, const DenseOptions& options, const Progress& progress) {
  if (const Status fine = options.check(); !fine.ok()) return fine.error();
  auto chosen = chooseKeyframes(input.solution, {});
  if (!chosen.ok()) return chosen.error();
  std::vector<Keyframe> keys = std::move(*chosen);
  dropLonely(keys);
  DenseResult result;
  const Stopwatch reading;
  auto views = viewsOf(input, keys, options.quality, progress.part(0, 0.15));
  if (!views.ok()) return views.error();
  result.views_s = reading.seconds();
  const Stopwatch searching;
  std::vector<FusedView> fused;
  const Progress depths = progress.part(0.15, 0.85);
  for (std::size_t k = 0; k < keys.size(); ++k) {
    if (depths.stopRequested()) return cancelled();
    depths.report(static_cast<double>(k) / static_cast<double>(keys.size()), fmt::format("depth of frame {}", keys[k].frame));
    fused.push_back({std::make_shared<DepthMap>(depthOf(*views, keys, k, depths)), std::make_shared<Picture>(std::move((*views)[k].color)), keys[k].others});
  }
  result.depth_s = searching.seconds();
  const Stopwatch fusing;
  auto made = fuse(fused, {}, progress.part(0.85, 1));
  if (!made.ok()) return made.error();
  if (made->cloud.points.empty())
    return invalidInput("No place of the set is seen alike in enough frames: there are no dense points. Check the camera, or solve a stretch that moves more.");
  result.cloud = options.spacing > 0 ? thinned(std::move(made->cloud), options.spacing) : std::move(made->cloud);
  result.fuse_s = fusing.seconds();
  for (std::size_t k = 0; k < keys.size(); ++k)
    result.frames.push_back({keys[k].frame, keys[k].parallax_rad, made->shares[k].agreeing_share, made->shares[k].correlation});
  return result;
}

DenseCloud thinned(DenseCloud cloud, double spacing) {
  struct Place {
    std::array<std::int64_t, 3> cell;
    std::size_t point;
  };
  std::vector<Place> places(cloud.points.size());
  for (std::size_t k = 0; k < places.size(); ++k) {
    places[k].point = k;
    for (int axis = 0; axis < 3; ++axis)
      places[k].cell[static_cast<std::size_t>(axis)] = static_cast<std::int64_t>(std::floor(static_cast<double>(cloud.points[k].at[axis]) / spacing));
  }
  std::sort(places.begin(), places.end(), [&](const Place& a, const Place& b) {
    if (a.cell != b.cell) return a.cell < b.cell;
    const float sure_a = cloud.points[a.point].confidence, sure_b = cloud.points[b.point].confidence;
    return sure_a != sure_b ? sure_a > sure_b : a.point < b.point;
  });
  DenseCloud out;
  for (std::size_t k = 0; k < places.size(); ++k) {
    if (k == 0 || places[k].cell != places[k - 1].cell) out.points.push_back(cloud.points[places[k].point]);
  }
  return out;
}

}  // namespace dusky
