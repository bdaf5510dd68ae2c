#pragma once
#include <Eigen/Core>
#include <optional>

#include "core/image/plane.h"

namespace dusky {

// The point that a feature of a known kind marks, found without a reference: it cannot drift. All take a place near it and the half side
// of the window, px of the plane, and give nothing when the window leaves the plane, holds no such feature, or the point lies farther
// than the half side from where the search began.

/// Where the edges in the window meet: a corner's tip, the middle of two lines that cross.
/// Source: Foerstner and Guelch, ISPRS Intercommission Workshop, 1987.
std::optional<Eigen::Vector2f> junctionPoint(const FloatPlane& plane, const Eigen::Vector2f& near, int radius);

/// The place about which the window looks most like itself turned by half a turn: the middle of a dot, lit evenly or not.
/// Source: symmetry as a measure: Reisfeld, Wolfson and Yeshurun, IJCV 14, 1995; solved here as an alignment of the window with itself.
std::optional<Eigen::Vector2f> symmetryCentre(const FloatPlane& plane, const Eigen::Vector2f& near, int radius);

}  // namespace dusky
