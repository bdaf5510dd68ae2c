#pragma once
#include "core/base/progress.h"
#include "core/dense/dense_cloud.h"
#include "core/dense/dense_settings.h"

namespace dusky {

/// Why a dense point goes: the first rule that says so.
enum class CleanReason : std::uint8_t { Kept, Views, Confidence, Slant, Color, Stray, Region, Cut };
inline constexpr std::size_t kCleanReasons = 8;

/// What rules say of each point.
struct Cleaning {
  std::vector<CleanReason> reasons;
  std::array<std::size_t, kCleanReasons> counts = {};
  std::size_t kept() const { return counts[0]; }
};

/// Strays have few neighbours for the size of a pixel there: of the surface 12 px around, the share that has points. Errors: Cancelled.
Result<Cleaning> cleanDense(const DenseCloud& cloud, const CleanRules& rules, const Similarity& scene_from_solve, const Progress& progress);

/// What is kept, thinned to the spacing. Errors: Cancelled; InvalidInput: the rules leave nothing.
Result<DenseCloudPtr> cleanedDense(const DenseCloud& cloud, const DenseSettings& settings, const Similarity& scene_from_solve, const Progress& progress);

/// At most one point in each cell of a size, the surest.
DenseCloud thinned(DenseCloud cloud, double spacing);

}  // namespace dusky
