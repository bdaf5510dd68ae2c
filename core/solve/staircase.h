#pragma once
#include <map>
#include <string>

#include "core/solve/sort_out.h"
#include "core/solve/solve_options.h"

namespace dusky {

struct StaircaseOptions {
  BundleOptions base;                       ///< Loss, prior, what is free at the foot: focal length, or nothing.
  std::map<std::string, Release> releases;  ///< What the artist says of single groups.
  LensFreedom known{};                      ///< Parameters that stand, whatever their group does.
  const Reconstruction* reached = nullptr;  ///< Where adjusting with `reached_with` free has led already; the rung that frees it begins there.
  LensFreedom reached_with{};
  bool climbs = true;  ///< Whether groups that nothing is said of are tried at all.
};

/// Releases the lens one group at a time (lensGroups()), adjusts everything, and keeps a group only when the holdout error falls and the fit
/// gains more than the group's unknowns cost; otherwise the reconstruction goes back to before it. The prior keeps what the footage hardly
/// tells near its usual value, so a group that says little does little. Groups forced on or off are not judged. Returns what stayed free.
/// Source of the price: Akaike, IEEE Trans. Automatic Control 19(6), 1974, with the sightings of a track that go together counted once.
LensFreedom climbStaircase(Reconstruction& work, const StaircaseOptions& options, std::vector<StaircaseStep>& steps, const Progress& progress);
}  // namespace dusky
