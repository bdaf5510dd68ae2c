#pragma once
#include <fmt/format.h>

#include <array>
#include <cstdio>
#include <functional>
#include <map>
#include <string>

#include "core/base/result.h"
#include "core/deliver/compare.h"
#include "core/solve/solution.h"

namespace dusky::testing {

/// Solves judged by their truth: how many are right, how many are wrong, and how many of those without a word.
struct Tally {
  int shots = 0, right = 0, refused = 0, wrong = 0, open = 0, silent = 0, doubted = 0;
  int doubtful = 0;  ///< Of the right ones that are not trusted: the footage itself leaves that much open.
  void add(const Tally& o);
};

/// One solve, judged.
struct Outcome {
  Tally tally;
  double slip_px = kUnknown, likely_px = kUnknown, limit_px = 1;
  double seconds = 0;
  bool trusted = false;
  bool zoom = false, zoom_found = false, shutter = false, shutter_found = false;
  bool nearly_zooms = false;  ///< Its focal length changes, by too little for that to be a must: a zoom that is found is no mistake.
  std::string line;
};

/// What the footage leaves open, however it is solved.
struct LeftOpen {
  bool cannot_tell = false;  ///< A wrong solve that is not trusted is the right answer then.
  double slip_sigma_px = kUnknown;
};
using Leeway = std::function<LeftOpen()>;

/// `leeway` is asked for a solve that is not trusted.
Outcome outcomeOf(const Result<SolutionPtr>& solved, const Result<Comparison>& truth, double noise_px, double seconds, const Leeway& leeway);

/// All outcomes: by kind, zooms and shutters, and how well the verdict is calibrated: by the slip it calls likely, how often that was more than may be.
class Study {
 public:
  void add(const std::string& kind, const Outcome& outcome);
  void print() const;

 private:
  struct Bucket {
    int shots = 0, wrong = 0, beyond = 0;
  };
  void printCalibration() const;

  std::map<std::string, Tally> kinds_;
  Tally all_;
  std::array<Bucket, 7> buckets_{};
  double seconds_ = 0;
  int zooms_ = 0, zooms_found_ = 0, zooms_claimed_ = 0, shutters_ = 0, shutters_found_ = 0, shutters_claimed_ = 0;
};

/// Draws so many shots from a seed on, judges each, prints a line for each and all of them at the end. `Shot` has a kind and a text(); whether it zooms,
/// breathes and rolls stands in its zoom, breathes and plan.
template <class Shot>
void runStudy(int shots, std::uint64_t first, const std::function<Shot(std::uint64_t)>& draw, const std::function<Outcome(const Shot&)>& judge) {
  Study all;
  for (int i = 0; i < shots; ++i) {
    const std::uint64_t seed = first + static_cast<std::uint64_t>(i);
    const Shot shot = draw(seed);
    Outcome outcome = judge(shot);
    outcome.zoom = shot.zoom > 1, outcome.shutter = shot.plan.readout > 0, outcome.nearly_zooms = shot.breathes > 0;
    fmt::print("{:5} {} | {}\n", seed, shot.text(), outcome.line);
    std::fflush(stdout);
    all.add(shot.kind, outcome);
  }
  all.print();
}

}  // namespace dusky::testing
