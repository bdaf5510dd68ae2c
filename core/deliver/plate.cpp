#include "core/deliver/plate.h"

#include <set>
#include <vector>

namespace dusky {
namespace {

/// Lenses that are looked through, each once.
std::vector<Lens> lensesOf(const Solution& solution) {
  std::vector<Lens> lenses;
  std::set<std::pair<int, double>> seen;
  for (const SolvedFrame& frame : solution.frames) {
    const Lens lens = solution.lensAt(frame);
    if (frame.placed && seen.insert({frame.camera, lens.focal_px}).second) lenses.push_back(lens);
  }
  if (lenses.empty()) lenses.push_back(solution.lens());
  return lenses;
}

}  // namespace

Plate plateOf(const Solution& solution, const PlateOptions& options) {
  return plateFor(lensesOf(solution), {.whole = options.fit == PlateFit::Whole, .focal_px = options.focal_px});
}

bool oneLens(const Solution& solution) { return lensesOf(solution).size() == 1; }

}  // namespace dusky
