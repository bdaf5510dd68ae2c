#pragma once
#include <Eigen/Core>
#include <optional>

#include "core/image/plane.h"

namespace dusky {

struct SearchArea {
  int pattern_px = 11;  ///< Half side of the piece compared.
  int search_px = 30;   ///< Half side of the area it is looked for in.
};

/// Appearance at every whole px of an area of `to` about `expected` for the piece of `from` about `place`, and gives the one most alike (zero-mean
/// normalised correlation, fitted to a fraction of a px). Nothing when the piece leaves its plane or no place of the area lies inside `to`.
std::optional<Eigen::Vector2f> searchAround(const FloatPlane& from, const Eigen::Vector2f& place, const FloatPlane& to, const Eigen::Vector2f& expected,
                                            const SearchArea& area);

}  // namespace dusky
