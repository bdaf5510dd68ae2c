#include "core/solve/knowledge_fit.h"

#include <algorithm>
#include <numeric>

#include "core/base/numbers.h"
#include "core/base/random.h"
#include "core/geometry/plane.h"
#include "core/geometry/principal_axes.h"

namespace dusky {
namespace {

std::optional<SetShape> fitAll(const std::vector<Vec3>& points, bool line) {
  if (line) {
    const PrincipalAxes axes = principalAxes(points);
    return points.size() >= 2 ? std::optional<SetShape>(SetLine{axes.along(), axes.middle}) : std::nullopt;
  }
  const auto plane = fitPlane(points);
  return plane ? std::optional<SetShape>(SetPlane{plane->normal, plane->offset}) : std::nullopt;
}

/// In standard deviations of the point along that way and of the shape.
double distanceFrom(const SetShape& shape, const SurePoint& point, double sigma) {
  const Vec3 off = offVector(shape, point.place);
  const double distance = off.norm();
  if (!(distance > 0)) return 0;
  const double along = off.dot(point.covariance * off) / (distance * distance);
  return distance / std::sqrt(std::max(1e-24, along + sigma * sigma));
}

std::vector<double> distancesFrom(const SetShape& shape, const std::vector<SurePoint>& points, double sigma) {
  std::vector<double> off;
  for (const SurePoint& p : points) off.push_back(distanceFrom(shape, p, sigma));
  return off;
}

std::vector<Vec3> placesOf(const std::vector<SurePoint>& points) {
  std::vector<Vec3> places;
  for (const SurePoint& p : points) places.push_back(p.place);
  return places;
}

std::vector<Vec3> those(const std::vector<SurePoint>& points, const std::vector<std::size_t>& which) {
  std::vector<Vec3> chosen;
  for (const std::size_t i : which) chosen.push_back(points[i].place);
  return chosen;
}

/// Of many fits to as few points as can be.
std::optional<SetShape> leastMedian(const std::vector<SurePoint>& points, bool line, double sigma) {
  constexpr int kTrials = 400;
  Random random(11);
  std::optional<SetShape> best;
  double least = 0;
  for (int trial = 0; trial < kTrials; ++trial) {
    std::vector<Vec3> few;
    for (int k = 0; k < (line ? 2 : 3); ++k) few.push_back(points[static_cast<std::size_t>(random.index(static_cast<int>(points.size())))].place);
    if (line && few[0] == few[1]) continue;
    const auto shape = fitAll(few, line);
    if (!shape) continue;
    const double middle = median(distancesFrom(*shape, points, sigma));
    if (!best || middle < least) best = shape, least = middle;
  }
  return best;
}

}  // namespace

std::optional<SetFit> fitSet(const std::vector<SurePoint>& points, bool line, double sigma) {
  constexpr double kFar = 4, kOfMedian = 1.48, kLeastShare = 2.0 / 3;
  constexpr std::size_t kFew = 6;
  const auto shape = fitAll(placesOf(points), line);
  if (!shape) return std::nullopt;
  SetFit whole{*shape, std::vector<std::size_t>(points.size())};
  std::iota(whole.inliers.begin(), whole.inliers.end(), std::size_t{0});
  const auto best = points.size() < kFew ? std::nullopt : leastMedian(points, line, sigma);
  if (!best) return whole;
  SetFit fit{*best, {}};
  const double enough = kOfMedian * (1 + 5.0 / static_cast<double>(points.size() - 3));  // of few points the median is too small
  for (int round = 0; round < 3; ++round) {
    const std::vector<double> off = distancesFrom(fit.shape, points, sigma);
    const double limit = kFar * std::max(1.0, enough * median(off));
    fit.inliers.clear();
    for (std::size_t i = 0; i < off.size(); ++i) {
      if (off[i] <= limit) fit.inliers.push_back(i);
    }
    if (const auto better = fitAll(those(points, fit.inliers), line)) fit.shape = *better;
  }
  return static_cast<double>(fit.inliers.size()) >= kLeastShare * static_cast<double>(points.size()) ? fit : whole;
}

}  // namespace dusky
