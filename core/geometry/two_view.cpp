#include "core/geometry/two_view.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "core/base/numbers.h"
#include "core/geometry/homography.h"

namespace dusky {
namespace {

struct Pairs {
  const std::vector<Vec3>& a;
  const std::vector<Vec3>& b;
};

Mat3 essentialOf(const RelativePose& pose) { return crossMatrix(pose.direction) * pose.rotation; }

/// Gauss-Newton over rotation (3) and direction (2) on the Sampson error, numeric slopes.
RelativePose refineRelative(RelativePose pose, const Pairs& pairs, const std::vector<int>& inliers) {
  const auto moved = [](const RelativePose& from, const Eigen::Matrix<double, 5, 1>& step) {
    const Vec3 side = from.direction.unitOrthogonal(), other = from.direction.cross(side);
    return RelativePose{Mat3(rotationFromVector(step.head<3>()) * from.rotation), (from.direction + step[3] * side + step[4] * other).normalized()};
  };
  for (int round = 0; round < 4; ++round) {
    constexpr double kStep = 1e-6;
    const Mat3 here = essentialOf(pose);
    std::array<Mat3, 5> beside;
    for (int k = 0; k < 5; ++k) beside[k] = essentialOf(moved(pose, kStep * Eigen::Matrix<double, 5, 1>::Unit(k)));
    Eigen::Matrix<double, 5, 5> normal = 1e-12 * Eigen::Matrix<double, 5, 5>::Identity();
    Eigen::Matrix<double, 5, 1> gradient = Eigen::Matrix<double, 5, 1>::Zero();
    for (int i : inliers) {
      const double r = sampsonError(here, pairs.a[i], pairs.b[i]);
      Eigen::Matrix<double, 5, 1> slope;
      for (int k = 0; k < 5; ++k) slope[k] = (sampsonError(beside[k], pairs.a[i], pairs.b[i]) - r) / kStep;
      normal += slope * slope.transpose();
      gradient -= slope * r;
    }
    pose = moved(pose, normal.ldlt().solve(gradient));
  }
  return pose;
}

struct EssentialEstimator {
  static constexpr int kSample = 5;
  const Pairs& pairs;

  std::vector<Mat3> minimal(const std::vector<int>& sample) const {
    std::array<Vec3, 5> a, b;
    for (int k = 0; k < 5; ++k) {
      a[k] = pairs.a[sample[k]];
      b[k] = pairs.b[sample[k]];
    }
    return essentialFromFive(a, b);
  }
  double residual(const Mat3& e, int i) const { return sampsonError(e, pairs.a[i], pairs.b[i]); }
  std::vector<Mat3> refine(const Mat3& e, const std::vector<int>& inliers) const {
    if (inliers.size() < 6) return {};
    return {essentialOf(refineRelative(decomposeEssential(e)[0], pairs, inliers))};
  }
};

struct InFront {
  std::vector<int> inliers;
  std::vector<double> parallax;
};

/// Depths along both rays where they come nearest to each other (second camera at `centre`).
Vec2 depthsAlong(const Vec3& ray_a, const Vec3& ray_b, const Vec3& centre) {
  const double along = ray_a.dot(ray_b), apart = 1 - along * along;
  if (apart < 1e-14) return Vec2::Zero();
  const double a = ray_a.dot(centre), b = ray_b.dot(centre);
  return Vec2(a - along * b, along * a - b) / apart;
}

InFront pointsInFront(const RelativePose& pose, const Pairs& pairs, const std::vector<int>& candidates) {
  constexpr double kSaysNothingRad = 1e-3;  // so little parallax is in front of both cameras or of none by chance
  InFront found;
  const Vec3 centre = -pose.rotation.transpose() * pose.direction;
  for (int i : candidates) {
    const Vec3 &ray_a = pairs.a[i], ray_b = pose.rotation.transpose() * pairs.b[i];
    const double parallax = std::acos(std::clamp(ray_a.dot(ray_b), -1.0, 1.0));
    if (parallax > kSaysNothingRad && depthsAlong(ray_a, ray_b, centre).minCoeff() <= 0) continue;
    found.inliers.push_back(i);
    found.parallax.push_back(parallax);
  }
  return found;
}
}  // namespace

double sampsonError(const Mat3& essential, const Vec3& a, const Vec3& b) {
  const Vec3 ea = essential * a, eb = essential.transpose() * b;
  const double off = b.dot(ea);
  // A ray moves only across itself.
  const double scale = ea.squaredNorm() + eb.squaredNorm() - 2 * off * off;
  return scale > 0 ? off / std::sqrt(scale) : 1e9;
}

TwoView relatePair(const std::vector<Vec3>& a, const std::vector<Vec3>& b, double tolerance, std::uint64_t seed) {
  const Pairs pairs{a, b};
  TwoView view;
  const auto fit = robustFit<Mat3>(EssentialEstimator{pairs}, static_cast<int>(a.size()), {.tolerance = tolerance, .max_samples = 400, .seed = seed});
  if (!fit.found()) return view;
  view.cost = fit.cost;
  InFront best;
  for (const RelativePose& side : decomposeEssential(fit.model)) {
    InFront front = pointsInFront(side, pairs, fit.inliers);
    if (front.inliers.size() <= best.inliers.size()) continue;
    best = std::move(front);
    view.relative = side;
  }
  view.inliers = best.inliers;
  view.median_parallax_rad = best.parallax.empty() ? 0.0 : median(std::move(best.parallax));
  return view;
}
}  // namespace dusky
