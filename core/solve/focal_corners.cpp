#include "core/solve/focal_corners.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

namespace dusky {
namespace {

/// The values along the best straight pieces between fixed corners, and the squares that are left.
struct Pieces {
  std::vector<double> values;
  double left = 0;
};

Pieces fitted(std::span<const double> values, std::span<const int> corners) {
  const int n = static_cast<int>(values.size()), k = static_cast<int>(corners.size());
  Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(k, k);
  Eigen::VectorXd right = Eigen::VectorXd::Zero(k);
  const auto eachValue = [&](const auto& with) {
    for (int i = 0, piece = 0; i < n; ++i) {
      if (piece + 2 < k && i > corners[static_cast<std::size_t>(piece) + 1]) ++piece;
      const int from = corners[static_cast<std::size_t>(piece)], to = corners[static_cast<std::size_t>(piece) + 1];
      with(i, piece, static_cast<double>(i - from) / (to - from));
    }
  };
  eachValue([&](int i, int piece, double t) {
    const Eigen::Vector2d share(1 - t, t);
    normal.block<2, 2>(piece, piece) += share * share.transpose();
    right.segment<2>(piece) += share * values[static_cast<std::size_t>(i)];
  });
  const Eigen::VectorXd at = normal.ldlt().solve(right);
  Pieces pieces{std::vector<double>(values.size())};
  eachValue([&](int i, int piece, double t) {
    double& value = pieces.values[static_cast<std::size_t>(i)];
    value = (1 - t) * at[piece] + t * at[piece + 1];
    pieces.left += std::pow(values[static_cast<std::size_t>(i)] - value, 2);
  });
  return pieces;
}

struct Cornered {
  std::vector<int> corners;
  Pieces pieces{{}, kUnknown};
};

/// With one more corner, where it leaves least.
Cornered withOneMore(std::span<const double> values, const std::vector<int>& corners) {
  Cornered best;
  for (int i = 1; i + 1 < static_cast<int>(values.size()); ++i) {
    const auto place = std::lower_bound(corners.begin(), corners.end(), i);
    if (*place == i) continue;
    std::vector<int> with = corners;
    with.insert(with.begin() + (place - corners.begin()), i);
    Pieces pieces = fitted(values, with);
    if (!(pieces.left >= best.pieces.left)) best = {std::move(with), std::move(pieces)};
  }
  return best;
}

/// Each corner anew while that leaves less.
void settleCorners(std::span<const double> values, Cornered& found) {
  constexpr int kRounds = 4;
  for (int round = 0; round < kRounds; ++round) {
    const double before = found.pieces.left;
    for (std::size_t k = 1; k + 1 < found.corners.size(); ++k) {
      std::vector<int> others = found.corners;
      others.erase(others.begin() + static_cast<std::ptrdiff_t>(k));
      if (Cornered moved = withOneMore(values, others); moved.pieces.left < found.pieces.left) found = std::move(moved);
    }
    if (!(found.pieces.left < before)) return;
  }
}

}  // namespace

std::vector<double> alongPieces(std::span<const double> values, int corners) {
  const int n = static_cast<int>(values.size());
  if (n < 3) return {values.begin(), values.end()};
  Cornered found{{0, n - 1}};
  found.pieces = fitted(values, found.corners);
  while (static_cast<int>(found.corners.size()) < std::min(corners, n)) {
    found = withOneMore(values, found.corners);
    settleCorners(values, found);
  }
  return found.pieces.values;
}

std::vector<FocalCorners> toldByCorners(const SolveState& zoom, const SolveTask& task) {
  std::vector<FocalCorners> told;
  if (zoom.work.focal_px.empty()) return told;
  std::vector<std::size_t> placed;
  std::vector<double> logs;
  for (std::size_t f = 0; f < zoom.work.poses.size(); ++f) {
    if (zoom.work.poses[f]) placed.push_back(f), logs.push_back(std::log(zoom.work.focal_px[f]));
  }
  BundleOptions held = withFocalHeld(robustOptions(zoom, task.options));
  held.max_steps = 40, held.settled = 1e-6;
  SolveState untied = zoom;
  std::erase_if(untied.work.ties, [](const CameraTie& tie) { return tie.focal > 0; });
  const double free_cost = bundleCost(makeBundle(untied.work).bundle, held);
  for (const int corners : {3, 4, 6, 9}) {
    if (task.progress.stopRequested() || corners > static_cast<int>(placed.size())) break;
    SolveState state = untied;
    const std::vector<double> path = alongPieces(logs, corners);
    for (std::size_t i = 0; i < placed.size(); ++i) state.work.focal_px[placed[i]] = std::exp(path[i]);
    const double cost = adjustReconstruction(state.work, held, task.progress.silent()).cost_after;
    told.push_back({corners, cost, cost - free_cost});
  }
  return told;
}

}  // namespace dusky
