#include "core/dense/view_light.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

#include "core/base/numbers.h"
#include "core/base/progress.h"

namespace dusky {
namespace {

constexpr int kSamplesAcross = 80, kReach = 2;
constexpr std::size_t kLeastSamples = 60;
constexpr double kBlack = 16, kWhite = 240;  // grey levels
constexpr float kMostCost = 0.4F;            // 1 - correlation

/// Around a pixel; a negative number where it reaches over the edge.
double meanAround(const FloatPlane& grey, int x, int y) {
  if (x < kReach || y < kReach || x >= grey.width - kReach || y >= grey.height - kReach) return -1;
  double sum = 0;
  for (int j = y - kReach; j <= y + kReach; ++j) {
    for (int i = x - kReach; i <= x + kReach; ++i) sum += static_cast<double>(grey.at(i, j));
  }
  return sum / ((2 * kReach + 1) * (2 * kReach + 1));
}

bool tells(double mean) { return mean > kBlack && mean < kWhite; }

}  // namespace

double lightRatio(const MatchPicture& view, const MatchPicture& other, const DepthMap& map) {
  const int step = std::max(2, map.depth.width / kSamplesAcross);
  std::vector<double> ratios;
  for (int y = step / 2; y < map.depth.height; y += step) {
    for (int x = step / 2; x < map.depth.width; x += step) {
      if (!(map.depth.at(x, y) > 0) || !(map.cost.at(x, y) < kMostCost)) continue;
      const auto seen = other.camera.seen(map.camera.place({x + 0.5, y + 0.5}, static_cast<double>(map.depth.at(x, y))));
      if (!seen || seen->x() < 0 || seen->y() < 0 || seen->x() >= other.grey.width || seen->y() >= other.grey.height) continue;
      const int u = static_cast<int>(seen->x()), v = static_cast<int>(seen->y());
      if (!other.uses(u, v)) continue;
      const double here = meanAround(view.grey, x, y), there = meanAround(other.grey, u, v);
      if (tells(here) && tells(there)) ratios.push_back(std::log(here / there));
    }
  }
  return ratios.size() < kLeastSamples ? kUnknown : median(std::move(ratios));
}

void addTies(const std::vector<std::pair<int, double>>& lighter, std::size_t at, const std::vector<int>& frames, std::vector<LightTie>& ties) {
  for (const auto& [frame, ratio] : lighter) {
    const auto other = std::find(frames.begin(), frames.end(), frame);
    if (other != frames.end()) ties.push_back({at, static_cast<std::size_t>(other - frames.begin()), ratio});
  }
}

std::vector<double> lightOf(std::size_t views, std::span<const LightTie> ties) {
  const auto count = static_cast<Eigen::Index>(views);
  // Held weakly at the mean, which decides where nothing else does.
  constexpr double kHeld = 1e-6;
  Eigen::MatrixXd squares = kHeld * Eigen::MatrixXd::Identity(count, count);
  Eigen::VectorXd sums = Eigen::VectorXd::Zero(count);
  for (const LightTie& tie : ties) {
    const auto a = static_cast<Eigen::Index>(tie.view), b = static_cast<Eigen::Index>(tie.other);
    squares(a, a) += 1, squares(b, b) += 1, squares(a, b) -= 1, squares(b, a) -= 1;
    sums[a] += tie.log_ratio, sums[b] -= tie.log_ratio;
  }
  const Eigen::VectorXd light = squares.ldlt().solve(sums);
  return {light.data(), light.data() + light.size()};
}

}  // namespace dusky
