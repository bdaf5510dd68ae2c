// Whether the choice of lens parameters hangs on the seed: five walks whose lens is known, each solved with many seeds (other holdout tracks, other samples),
// and with the true set of parameters forced.
//   build/release/bench/lens_choice [seeds [frames]]
#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <map>

#include "core/solve/solve_shot.h"
#include "tests/support/judge_by_truth.h"

namespace dusky::testing {
namespace {

struct LensCase {
  const char* name;
  std::function<void(Lens&)> bend;
  std::vector<std::string> groups;  ///< The true lens has, beside k1 and the axis.
};

const std::vector<LensCase>& cases() {
  static const std::vector<LensCase> all = {
      {"k1 alone", [](Lens& l) { l.k1() = -0.08; }, {}},
      {"decentring", [](Lens& l) { l.k1() = -0.08, l.p1() = 6e-4, l.p2() = -4e-4; }, {"decentring"}},
      {"k2", [](Lens& l) { l.k1() = -0.12, l.k2() = 0.05; }, {"k2"}},
      {"k2 and k3", [](Lens& l) { l.k1() = -0.2, l.k2() = 0.1, l.k3() = -0.04; }, {"k2", "k3"}},
      {"axis off", [](Lens& l) { l.k1() = -0.08, l.cx_px += 14, l.cy_px -= 9; }, {}},
  };
  return all;
}

double slipOf(const SyntheticShot& shot, const SolveOptions& options, std::string& kept) {
  const auto solved = solveShot(shot.tracks, options, {});
  if (!solved.ok()) return kUnknown;
  kept.clear();
  for (const StaircaseStep& step : (*solved)->staircase) kept += step.kept && step.released != "focal length" ? step.released + ", " : "";
  const auto truth = judgeByTruth(shot, **solved);
  return truth.ok() ? truth->slip_rms_px : kUnknown;
}

SyntheticShot walkWith(const LensCase& one, int frames) {
  SyntheticPlan plan{.frames = frames, .points = 11 * frames, .noise_px = 0.15, .life = 45, .seed = 21, .lens = Lens::simple(1920, 1080, 1500)};
  plan.path = [](int i) { return walkingOn(i, 0.06); };
  one.bend(plan.lens);
  return makeSyntheticShot(plan);
}

void study(const LensCase& one, int seeds, int frames) {
  const SyntheticShot shot = walkWith(one, frames);
  SolveOptions forced;
  for (const LensGroup& group : lensGroups(LensModel::Brown)) {
    const bool has = group.name == "k1" || group.name == "principal point" || std::count(one.groups.begin(), one.groups.end(), group.name) > 0;
    forced.releases[std::string(group.name)] = has ? Release::On : Release::Off;
  }
  std::string kept;
  const double best = slipOf(shot, forced, kept);
  std::vector<double> slips;
  std::map<std::string, int> chosen;
  for (int seed = 1; seed <= seeds; ++seed) {
    slips.push_back(slipOf(shot, {.seed = seed}, kept));
    ++chosen[kept];
  }
  std::sort(slips.begin(), slips.end());
  const double spread = (slips.back() - slips.front()) / slips[slips.size() / 2];
  fmt::print("{:12} true set {:.3f} px, by itself {:.3f} to {:.3f} px, spread {:.0f} %, at most {:.2f} x the true set's\n", one.name, best, slips.front(),
             slips.back(), 100 * spread, slips.back() / best);
  for (const auto& [groups, count] : chosen) fmt::print("    {:3} x {}\n", count, groups);
  std::fflush(stdout);
}

}  // namespace
}  // namespace dusky::testing

int main(int argc, char** argv) {
  for (const auto& one : dusky::testing::cases()) dusky::testing::study(one, argc > 1 ? std::atoi(argv[1]) : 20, argc > 2 ? std::atoi(argv[2]) : 300);
}
