#pragma once
#include <optional>
#include <vector>

#include "core/geometry/pose.h"

namespace dusky {

/// A place of the solve and where it is known to be.
struct KnownPlace {
  Vec3 solved = Vec3::Zero(), known = Vec3::Zero();
  double sigma = 0;  ///< Of the two together, one axis, the known world's units; > 0.
};

/// Adds to each deviation half a percent of how far the places reach: so much may a solve be bent.
void allowForBends(std::vector<KnownPlace>& places);

/// The similarity that carries the solve's places onto the known ones, in spite of a few that are wrong, and which those are.
struct WorldFit {
  Similarity world_from_solve;
  std::vector<std::size_t> outliers;  ///< Indices, ascending.
};
/// Least squares over the places that agree with the best of many fits to three of them; of fewer than five places all agree. `with_scale`: the scale is
/// looked for as well. Nothing where fewer than three agree or all lie on one line. Source: Fischler and Bolles, Communications of the ACM 24(6), 1981;
/// Umeyama, IEEE TPAMI 13(4), 1991.
std::optional<WorldFit> fitWorld(const std::vector<KnownPlace>& places, bool with_scale = true);

/// The rotation that turns each first direction into its second one, which have no sign: of the four ways the one nearest to `near`. Two pairs or more; nothing
/// where all first ones are parallel.
std::optional<Eigen::Quaterniond> turnByAxes(const std::vector<std::pair<Vec3, Vec3>>& axes, const Eigen::Quaterniond& near);

}  // namespace dusky
