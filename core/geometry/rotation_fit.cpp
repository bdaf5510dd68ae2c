#include "core/geometry/rotation_fit.h"

#include "core/geometry/align.h"
#include "core/geometry/robust.h"

namespace dusky {
namespace {

struct TurnEstimator {
  static constexpr int kSample = 2;
  const std::vector<Vec3>& from;
  const std::vector<Vec3>& to;

  Eigen::Quaterniond best(const std::vector<int>& use) const {
    Mat3 correlation = Mat3::Zero();
    for (const int i : use) correlation += to[i] * from[i].transpose();
    return Eigen::Quaterniond(nearestRotation(correlation));
  }
  std::vector<Eigen::Quaterniond> minimal(const std::vector<int>& sample) const {
    // Two directions in one line fix no turn.
    if (from[sample[0]].cross(from[sample[1]]).norm() < 1e-6) return {};
    return {best(sample)};
  }
  double residual(const Eigen::Quaterniond& turn, int i) const { return (turn * from[i] - to[i]).norm(); }
  std::vector<Eigen::Quaterniond> refine(const Eigen::Quaterniond&, const std::vector<int>& inliers) const {
    if (inliers.size() < 3) return {};
    return {best(inliers)};
  }
};
}  // namespace

std::optional<Turn> rotationBetweenDirections(const std::vector<Vec3>& from, const std::vector<Vec3>& to, double tolerance_rad, std::uint64_t seed) {
  const TurnEstimator estimator{from, to};
  const auto fit = robustFit<Eigen::Quaterniond>(estimator, static_cast<int>(from.size()), {.tolerance = tolerance_rad, .seed = seed});
  if (!fit.found() || fit.inliers.size() < 3) return std::nullopt;
  return Turn{fit.model.normalized(), fit.inliers};
}
}  // namespace dusky
