#include "core/solve/frames_again.h"

#include <algorithm>
#include <cmath>

#include "core/base/numbers.h"
#include "core/image/frame_ranges.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

bool isPlaced(const Reconstruction& work, const WorkObservation& o) { return work.poses[static_cast<std::size_t>(o.frame_index)].has_value(); }

/// The share of each frame's sightings that are used, of tracks that could be; unknown where there are too few to say.
std::vector<double> explainedShares(const Reconstruction& work) {
  constexpr int kFewestFrames = 3, kFewestSightings = 8;
  std::vector<int> seen(work.poses.size(), 0), used(work.poses.size(), 0);
  for (const WorkTrack& track : work.tracks) {
    if (track.by_artist || track.resting) continue;
    if (std::count_if(track.observations.begin(), track.observations.end(), [&](const auto& o) { return isPlaced(work, o); }) < kFewestFrames) continue;
    for (const WorkObservation& o : track.observations) {
      ++seen[static_cast<std::size_t>(o.frame_index)];
      used[static_cast<std::size_t>(o.frame_index)] += o.used && track.point && track.reason == AsideReason::None;
    }
  }
  std::vector<double> shares(work.poses.size(), kUnknown);
  for (std::size_t f = 0; f < shares.size(); ++f) {
    if (work.poses[f] && seen[f] >= kFewestSightings) shares[f] = static_cast<double>(used[f]) / seen[f];
  }
  return shares;
}

/// Gives frames their cameras anew, from the tracks that the others hold, and settles.
void placeAgain(SolveState& state, std::vector<int> again, const SolveTask& task) {
  Reconstruction& work = state.work;
  again.insert(again.end(), state.held.begin(), state.held.end());
  letHeldFramesGo(state);
  for (const int f : again) work.poses[static_cast<std::size_t>(f)].reset();
  // What hardly any other frame saw was placed by these.
  constexpr int kHold = 3;
  for (WorkTrack& track : work.tracks) {
    if (std::count_if(track.observations.begin(), track.observations.end(), [&](const auto& o) { return isPlaced(work, o); }) < kHold) track.point.reset();
  }
  sortOutRoughly(state, true);
  placeAllFrames(state, task, task.progress.silent());
  settle(state, task, 3, task.progress.silent());
}

}  // namespace

std::vector<int> framesHardlyExplained(const Reconstruction& work) {
  constexpr double kHardly = 0.75;  // of the usual share
  const std::vector<double> shares = explainedShares(work);
  std::vector<double> told = shares;
  std::erase_if(told, [](double share) { return std::isnan(share); });
  if (told.empty()) return {};
  const double usual = median(std::move(told));
  std::vector<int> hardly;
  for (int f = 0; f < static_cast<int>(shares.size()); ++f) {
    if (shares[static_cast<std::size_t>(f)] < kHardly * usual) hardly.push_back(f);
  }
  return hardly;
}

std::vector<int> withWhatLiesBeyond(const Reconstruction& work, std::vector<int> frames) {
  if (frames.empty()) return {};
  const std::vector<FrameRange> runs = rangesOf(frames);
  const auto [first, last] = *std::max_element(runs.begin(), runs.end(), [](const auto& a, const auto& b) { return a.last - a.first < b.last - b.first; });
  const int end = static_cast<int>(work.poses.size()), before = first, after = end - 1 - last;
  if (std::min(before, after) == 0) return {};
  for (int f = before < after ? 0 : last + 1; f < (before < after ? first : end); ++f) frames.push_back(f);
  std::sort(frames.begin(), frames.end());
  frames.erase(std::unique(frames.begin(), frames.end()), frames.end());
  return frames;
}

std::optional<SolveState> withFramesAgain(SolveState state, const SolveTask& task, FramesAgain which) {
  std::vector<int> again = framesHardlyExplained(state.work);
  if (which == FramesAgain::AndBeyond) again = withWhatLiesBeyond(state.work, std::move(again));
  if (again.empty() || state.work.arm) return std::nullopt;
  // Those that are placed farthest from what held may go astray anew: from one time to the next it holds farther.
  for (std::size_t before = again.size() + 1; !again.empty() && again.size() < before && !task.progress.stopRequested();) {
    before = again.size();
    placeAgain(state, std::move(again), task);
    again = framesHardlyExplained(state.work);
  }
  return state;
}

}  // namespace dusky
