#include "core/solve/knowledge_world.h"

#include <algorithm>

#include "core/base/numbers.h"
#include "core/base/random.h"
#include "core/geometry/align.h"
#include "core/geometry/principal_axes.h"

namespace dusky {
namespace {

constexpr double kAgrees = 5;  // standard deviations

double offInSigmas(const Similarity& fit, const KnownPlace& place) { return (fit * place.solved - place.known).norm() / place.sigma; }

/// A similarity of places on one line turns freely about it.
bool onOneLine(const std::vector<Vec3>& points) {
  constexpr double kWide = 1e-3;  // across, beside along
  const Vec3 extent = principalAxes(points).extent;
  return !(extent[1] > kWide * extent[2]);
}

std::optional<Similarity> fitTo(const std::vector<KnownPlace>& places, const std::vector<std::size_t>& which, bool with_scale) {
  std::vector<Vec3> from, to;
  for (const std::size_t i : which) from.push_back(places[i].solved), to.push_back(places[i].known);
  if (from.size() < 3 || onOneLine(from) || onOneLine(to)) return std::nullopt;
  const auto fit = alignPoints(from, to, with_scale);
  return fit.ok() ? std::optional(*fit) : std::nullopt;
}

std::vector<std::size_t> thatAgree(const std::vector<KnownPlace>& places, const Similarity& fit, double limit) {
  std::vector<std::size_t> agree;
  for (std::size_t i = 0; i < places.size(); ++i) {
    if (offInSigmas(fit, places[i]) < limit) agree.push_back(i);
  }
  return agree;
}

/// The fit to three places that leaves the least median.
std::optional<Similarity> bestOfThrees(const std::vector<KnownPlace>& places, bool with_scale, double& least) {
  constexpr int kTrials = 500;
  Random random(7);
  std::optional<Similarity> best;
  for (int trial = 0; trial < kTrials; ++trial) {
    std::vector<std::size_t> three;
    for (int k = 0; k < 3; ++k) three.push_back(static_cast<std::size_t>(random.index(static_cast<int>(places.size()))));
    std::sort(three.begin(), three.end());
    if (std::unique(three.begin(), three.end()) != three.end()) continue;
    const auto fit = fitTo(places, three, with_scale);
    if (!fit) continue;
    std::vector<double> off;
    for (const KnownPlace& place : places) off.push_back(offInSigmas(*fit, place));
    const double middle = median(std::move(off));
    if (!best || middle < least) best = fit, least = middle;
  }
  return best;
}

}  // namespace

void allowForBends(std::vector<KnownPlace>& places) {
  constexpr double kShare = 0.005;
  double reach = 0;
  for (const KnownPlace& place : places) reach = std::max(reach, (place.known - places.front().known).norm());
  for (KnownPlace& place : places) place.sigma = std::max(std::hypot(place.sigma, kShare * reach), 1e-12);
}

std::optional<WorldFit> fitWorld(const std::vector<KnownPlace>& places, bool with_scale) {
  constexpr std::size_t kFew = 5;
  std::vector<std::size_t> all(places.size());
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
  auto fit = fitTo(places, all, with_scale);
  if (!fit || places.size() < kFew) return fit ? std::optional(WorldFit{*fit, {}}) : std::nullopt;
  double least = 0;
  const auto best = bestOfThrees(places, with_scale, least);
  // What most of them are off, when the solve bends, is no sign that single ones are wrong.
  const double limit = kAgrees * std::max(1.0, least);
  std::vector<std::size_t> agree = best ? thatAgree(places, *best, limit) : all;
  for (int round = 0; round < 3; ++round) {
    const auto better = fitTo(places, agree, with_scale);
    if (!better) break;
    fit = better;
    agree = thatAgree(places, *fit, limit);
  }
  WorldFit out{*fit, {}};
  std::set_difference(all.begin(), all.end(), agree.begin(), agree.end(), std::back_inserter(out.outliers));
  if (2 * out.outliers.size() >= places.size()) out.outliers.clear();  // no majority, nothing to stand out from
  return out;
}

std::optional<Eigen::Quaterniond> turnByAxes(const std::vector<std::pair<Vec3, Vec3>>& axes, const Eigen::Quaterniond& near) {
  constexpr double kParallel = 0.985;
  Mat3 correlation = Mat3::Zero();
  bool spread = false;
  for (const auto& [from, to] : axes) {
    const double side = (near * from).dot(to) < 0 ? -1 : 1;
    correlation += to * (side * from).transpose();
    spread = spread || std::abs(from.dot(axes.front().first)) < kParallel;
  }
  if (!spread) return std::nullopt;
  return Eigen::Quaterniond(nearestRotation(correlation));
}

}  // namespace dusky
