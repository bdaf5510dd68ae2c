// Depth of one rectified pair of real pictures against its published disparities: all that depth maps are made with, from a single neighbour.
//   build/release/bench/stereo_pair LEFT RIGHT DISPARITIES
// Debian has such a pair in opencv-doc (examples/data: aloeL.jpg, aloeR.jpg, aloeGT.png; of the Middlebury set of 2006). bench/stereo_pair.py has a general
// library's semi-global matching do the same.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/progress.h"
#include "core/dense/dense_view.h"
#include "core/dense/depth_search.h"
#include "core/dense/smooth_map.h"
#include "core/media/write_picture.h"

namespace dusky {
namespace {

constexpr double kFocal_px = 1000;  // any will do: the pair stands one unit apart

Result<FloatPlane> greyOf(const char* path) {
  const auto read = readStoredPicture(path);
  if (!read.ok()) return read.error();
  FloatPlane grey(read->width, read->height);
  for (int y = 0; y < grey.height; ++y) {
    for (int x = 0; x < grey.width; ++x) {
      const float* at = read->at(x, y);
      grey.at(x, y) = 255 * (read->channels.size() < 3 ? at[0] : 0.2126F * at[0] + 0.7152F * at[1] + 0.0722F * at[2]);
    }
  }
  return grey;
}

std::vector<MatchPicture> sizesOf(FloatPlane grey, double right) {
  Pinhole camera{grey.width, grey.height, kFocal_px, kFocal_px, 0.5 * grey.width, 0.5 * grey.height, {}};
  camera.pose.centre = Vec3(right, 0, 0);
  return matchPyramid(matchPicture(camera, std::move(grey)), 3);
}

/// px; 0: not known.
FloatPlane disparitiesOf(const DepthMap& map, float most_cost) {
  FloatPlane disparities(map.depth.width, map.depth.height);
  for (std::size_t i = 0; i < disparities.data.size(); ++i) {
    if (map.depth.data[i] > 0 && map.cost.data[i] <= most_cost) disparities.data[i] = static_cast<float>(kFocal_px) / map.depth.data[i];
  }
  return disparities;
}

/// Those that the other picture's map comes back to within a pixel.
FloatPlane agreed(const FloatPlane& left, const FloatPlane& right) {
  FloatPlane kept(left.width, left.height);
  for (int y = 0; y < left.height; ++y) {
    for (int x = 0; x < left.width; ++x) {
      const float d = left.at(x, y);
      const int there = static_cast<int>(std::lround(static_cast<float>(x) - d));
      if (d > 0 && there >= 0 && right.at(there, y) > 0 && std::abs(right.at(there, y) - d) <= 1) kept.at(x, y) = d;
    }
  }
  return kept;
}

void tell(const char* name, const FloatPlane& found, const FloatPlane& truth) {
  double all = 0, given = 0, within_1 = 0, within_2 = 0;
  for (std::size_t i = 0; i < truth.data.size(); ++i) {
    if (!(truth.data[i] > 0)) continue;
    ++all;
    if (!(found.data[i] > 0)) continue;
    const float off = std::abs(found.data[i] - truth.data[i]);
    ++given, within_1 += off <= 1, within_2 += off <= 2;
  }
  fmt::print("{:<12} given {:.1f} %; within 1 px {:.1f} % of all, {:.1f} % of those given; within 2 px {:.1f} and {:.1f} %\n", name, 100 * given / all,
             100 * within_1 / all, 100 * within_1 / given, 100 * within_2 / all, 100 * within_2 / given);
}

int run(char** paths) {
  auto left = greyOf(paths[0]), right = greyOf(paths[1]), truth = greyOf(paths[2]);
  for (const auto* each : {&left, &right, &truth}) {
    if (!each->ok()) return fmt::print("{}\n", each->error().message), 2;
  }
  float least = 1e9F, most = 0;
  for (const float d : truth->data) {
    if (d > 0) least = std::min(least, d), most = std::max(most, d);
  }
  const float noise = noiseOf(*left);
  const InverseDepthRange range{0.8 * static_cast<double>(least) / kFocal_px, 1.1 * static_cast<double>(most) / kFocal_px};
  const auto here = sizesOf(std::move(*left), 0), there = sizesOf(std::move(*right), 1);
  const auto mapOf = [&](const auto& reference, const auto& other) {
    const std::vector<const std::vector<MatchPicture>*> neighbours = {&other};
    DepthMap map = searchDepth(reference, neighbours, range, {.noise = noise}, {});
    smoothFacets(map, {});
    return map;
  };
  const Stopwatch watch;
  const DepthMap map = mapOf(here, there);
  const double seconds = watch.seconds();
  tell("every pixel", disparitiesOf(map, 2), *truth);
  tell("alike", disparitiesOf(map, 0.6F), *truth);
  tell("both agree", agreed(disparitiesOf(map, 0.6F), disparitiesOf(mapOf(there, here), 0.6F)), *truth);
  fmt::print("{:.2f} s for one map\n", seconds);
  return 0;
}

}  // namespace
}  // namespace dusky

int main(int argc, char** argv) {
  if (argc != 4) return fmt::print("Needs the left and the right picture and the left one's disparities.\n"), 2;
  return dusky::run(argv + 1);
}
