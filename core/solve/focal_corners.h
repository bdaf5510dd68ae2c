#pragma once
#include <span>
#include <vector>

#include "core/solve/stages.h"

namespace dusky {

/// The values along straight pieces between a few of them, the first and the last among these; at most as many corners as there are values. Each corner is
/// added where it leaves least, and then moved while that leaves less. Source: knots of a linear spline chosen one by one, Smith, "Curve fitting and modeling
/// with splines", NASA CR-166034, 1982.
std::vector<double> alongPieces(std::span<const double> values, int corners);

/// Tells a zoom's focal lengths by few corners and by more. Empty for a state that has one focal length, and where it is stopped.
std::vector<FocalCorners> toldByCorners(const SolveState& zoom, const SolveTask& task);

}  // namespace dusky
