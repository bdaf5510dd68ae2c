// How points move within a step, and where they want to be once the cameras stand.
#include <Eigen/Cholesky>

#include "core/adjust/reduced_system.h"
#include "core/base/parallel.h"

namespace dusky {
Vec3 ReducedSystem::movedPoint(int point, const Vec3& place, const Vec3& step) const {
  if (bundle_.isAtInfinity(point)) return (place + step).normalized();
  if (point_begin_[point] == point_begin_[point + 1]) return place;
  if (!factorsOf(point).empty()) return place + step;  // along its shape
  const Vec3& from = bundle_.cameras[bundle_.observations[point_begin_[point]].camera].centre;
  const Vec3 away = place - from;
  const double squared = away.squaredNorm();
  if (!(squared > 0)) return place + step;
  constexpr double kFarthest = 0.05, kNearest = 20;  // of the inverse distance in one step
  const double along = step.dot(away) / squared;
  const Vec3 aside = step - along * away;
  return from + (away + aside) / std::clamp(1 - along, kFarthest, kNearest);
}

/// One step of Gauss and Newton for one point of the bundle; false where it gains (nearly) nothing, and then nothing moves.
bool ReducedSystem::refitPoint(int point, Vec3& place, std::span<const FactorRow> believed) const {
  constexpr double kWorthIt = 1e-3;
  const int begin = point_begin_[point], end = point_begin_[point + 1];
  Mat3 normal = Mat3::Zero();
  Vec3 gradient = Vec3::Zero();
  double cost = 0, next = 0;
  for (int i = begin; i < end; ++i) {
    const LinearisedPoint row = model_.linearisePoint(bundle_.observations[i]);
    normal += row.by_point.transpose() * row.by_point;
    gradient -= row.by_point.transpose() * row.residual;
    cost += row.loss;
  }
  for (const FactorRow& row : believed) {
    normal += row.byPoint() * row.byPoint().transpose();
    gradient -= row.residual * row.byPoint();
    cost += row.cost;
  }
  if (bundle_.isAtInfinity(point)) normal += 0.5 * normal.trace() * place * place.transpose();
  normal.diagonal() += Vec3::Constant(kFloor * (1 + normal.trace()));
  const Vec3 step = normal.llt().solve(gradient);
  if (!(step.dot(gradient) > kWorthIt * cost)) return false;
  const Vec3 before = place;
  place = movedPoint(point, place, step);
  for (int i = begin; i < end; ++i) next += model_.cost(bundle_.observations[i]);
  for (const FactorRow& row : believed) next += std::pow(row.residual + row.byPoint().dot(place - before), 2);
  if (next < cost) return true;
  place = before;
  return false;
}

void ReducedSystem::refitPoints(std::vector<Vec3>& points) {
  constexpr int kRounds = 2;
  model_.refresh();
  // With the cameras and shapes as they stand now.
  const auto beliefs = bundle_.set.empty() ? std::vector<std::vector<FactorRow>>() : byPoint(factorsNow());
  parallelFor(
      static_cast<int>(points.size()),
      [&](int j) {
        const auto i = static_cast<std::size_t>(j);
        if (!beliefs.empty() && !beliefs[i].empty()) {  // with its shapes the place is as good as linear
          (void)refitPoint(j, points[i], beliefs[i]);
          return;
        }
        for (int round = 0; round < kRounds && refitPoint(j, points[i], {}); ++round) {
        }
      },
      16);
}

}  // namespace dusky
