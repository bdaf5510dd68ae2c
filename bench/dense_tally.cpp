#include "bench/dense_tally.h"

#include <algorithm>
#include <cmath>

#include "tests/support/true_depth.h"

namespace dusky::testing {
namespace {

/// A keyframe's true depth, at the middle of each of its pixels, and where a point was found.
struct Truth {
  Lens lens;
  Pose pose;
  FloatPlane depth;
  Plane<std::uint8_t> met;

  Truth(const MadeShot& shot, int index, int halvings)
      : lens(shot.truth().lenses[static_cast<std::size_t>(index)]), pose(shot.truth().poses[static_cast<std::size_t>(index)]) {
    lens = lens.scaledTo(lens.width >> halvings, lens.height >> halvings);
    depth = depthSeen(shot, index, lens), met = Plane<std::uint8_t>(lens.width, lens.height);
  }

  /// The relative error of a point in this keyframe; marks the pixels that it is near to. Nothing where it is not seen.
  std::optional<double> errorOf(const Vec3& point) {
    const auto seen = project(lens, pose, point);
    if (!seen) return std::nullopt;
    const int x = static_cast<int>(std::floor(seen->x())), y = static_cast<int>(std::floor(seen->y()));
    if (x < 0 || y < 0 || x >= depth.width || y >= depth.height || depth.at(x, y) <= 0) return std::nullopt;
    const double z = pose.toCamera(point).z();
    for (int dy = -2; dy <= 2; ++dy) {
      for (int dx = -2; dx <= 2; ++dx) {
        const int nx = x + dx, ny = y + dy;
        if (dx * dx + dy * dy > 4 || nx < 0 || ny < 0 || nx >= depth.width || ny >= depth.height || depth.at(nx, ny) <= 0) continue;
        if (std::abs(z / static_cast<double>(depth.at(nx, ny)) - 1) < 0.01) met.at(nx, ny) = 1;
      }
    }
    return z / static_cast<double>(depth.at(x, y)) - 1;
  }
};

}  // namespace

DenseTally tallyOf(const MadeShot& shot, const DenseResult& dense, int halvings) {
  std::vector<Truth> truths;
  for (const DenseFrame& frame : dense.frames) truths.emplace_back(shot, frame.frame - shot.plan().first_frame, halvings);
  DenseTally tally;
  std::vector<double> errors;
  for (const DensePoint& point : dense.cloud.points) {
    double best = 1e9;
    for (Truth& truth : truths) {
      const auto error = truth.errorOf(point.at.cast<double>());
      if (error && std::abs(*error) < std::abs(best)) best = *error;
    }
    errors.push_back(std::abs(best));
    tally.accurate += std::abs(best) < 0.01, tally.floating += best < -0.03;
  }
  const auto count = static_cast<double>(std::max<std::size_t>(1, errors.size()));
  tally.accurate /= count, tally.floating /= count;
  std::nth_element(errors.begin(), errors.begin() + static_cast<std::ptrdiff_t>(errors.size() / 2), errors.end());
  tally.median = errors.empty() ? 0 : errors[errors.size() / 2];
  double all = 0, met = 0;
  for (const Truth& truth : truths) {
    for (std::size_t i = 0; i < truth.depth.data.size(); ++i) all += truth.depth.data[i] > 0, met += truth.met.data[i];
  }
  tally.complete = met / std::max(1.0, all);
  return tally;
}

}  // namespace dusky::testing
