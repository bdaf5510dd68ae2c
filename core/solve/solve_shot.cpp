#include "core/solve/solve_shot.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/numbers.h"
#include "core/image/frame_ranges.h"
#include "core/solve/describe.h"
#include "core/solve/explanations.h"
#include "core/solve/finished.h"
#include "core/solve/locked_off.h"
#include "core/solve/noise_floor.h"
#include "core/solve/readout_search.h"
#include "core/solve/sort_out.h"
#include "core/solve/path_shape.h"
#include "core/solve/stages.h"
#include "core/solve/start.h"
#include "core/adjust/uncertainty.h"
#include "core/solve/warm_start.h"

namespace dusky {
namespace {

/// Median over tracks of how far they get from where they began.
double medianTravel(const TrackSet& tracks) {
  std::vector<double> travels;
  for (const Track& track : tracks.tracks) {
    double farthest = 0;
    for (const Observation& o : track.observations) farthest = std::max(farthest, (o.position - track.observations.front().position).norm());
    travels.push_back(farthest);
  }
  return travels.empty() ? 0.0 : median(std::move(travels));
}

bool standsStill(const TrackSet& tracks) { return medianTravel(tracks) < 0.0012 * tracks.width; }

Status refuseHopeless(const TrackSet& tracks, const SolveOptions& options) {
  if (tracks.frames() < 3) return cannotSolve(fmt::format("The range has {} frames; a camera needs at least 3.", tracks.frames()));
  if (tracks.tracks.size() < 16) {
    return cannotSolve(
        fmt::format("Too few tracks: {}, and a camera needs at least 16. Lower the corner strength, ask for more features, or "
                    "choose footage with more texture.",
                    tracks.tracks.size()));
  }
  if (options.motion != CameraMotion::Nodal && standsStill(tracks)) {
    return cannotSolve(fmt::format(
        "The camera does not move: half of the tracks stay within {:.1f} px. There is no path to find. If it is locked off, say that it only rotates; "
        "six surveyed points or more then tell where it stands.",
        medianTravel(tracks)));
  }
  return Done{};
}

/// Runs of frames (indices, ascending) in which the camera only rotates.
std::vector<Stretch> stretchesOf(const std::vector<int>& held, const Solution& solution) {
  std::vector<Stretch> stretches;
  for (const auto& [first, last] : rangesOf(held)) stretches.push_back({solution.frames[first].frame, solution.frames[last].frame});
  return stretches;
}

/// A path that is a line or a plane as well as it is known is held to it, where the holdout tracks do not object. Nothing where it stays free.
std::optional<Finished> onPlainerPath(const Finished& free, const SolveTask& task) {
  if (task.options.motion != CameraMotion::Auto || free.state.nodal || free.state.work.arm || !free.state.held.empty()) return std::nullopt;
  const PathShape shape = pathShape(free.solution);
  const CameraMotion plainer = plainerMotion(shape);
  if (plainer == CameraMotion::Free) return std::nullopt;
  SolveState state = free.state;
  state.path = plainer;
  const bool rail = plainer == CameraMotion::Rail;
  state.path_why = fmt::format("Its path is {} as far as it is known ({:.1f} standard deviations off), and is held to {}.", rail ? "straight" : "flat",
                               rail ? shape.off_line : shape.off_plane, rail ? "a line" : "a plane");
  settle(state, task, 1, task.progress.part(0.96, 0.98));
  auto held = finished(std::move(state), task, task.progress.part(0.98, 1));
  constexpr double kChance = 2e-3;
  if (!held.ok() || held->solution.holdout_rms_px > (1 + kChance) * free.solution.holdout_rms_px) return std::nullopt;
  if (held->solution.placedFrames() < free.solution.placedFrames()) return std::nullopt;
  return std::move(*held);
}

/// A state and the noise that it is held against.
struct Explained {
  SolveState state;
  double noise_px = kUnknown;
};

Result<Explained> carriedOn(const SolveTask& task, const Solution& from) {
  SolveState state = warmStart(from, task.tracks, task.options);
  task.tell(state);
  shareTracks(state);
  placeAllFrames(state, task, task.progress.part(0.2, 0.35));
  if (task.progress.stopRequested()) return cancelled();
  return Explained{std::move(state), from.evidence.noise_floor_px};
}

/// Gives a state that was found on tracks without their rolling the tracks as they are, and finds how they roll. False where that is no shutter.
bool rollAgain(SolveState& state, const SolveTask& task, double readout) {
  const SolveState rolling = startingState(task.tracks, task.options);
  for (std::size_t t = 0; t < rolling.work.tracks.size(); ++t) {
    const auto& seen = rolling.work.tracks[t].observations;
    for (std::size_t i = 0; i < seen.size(); ++i) state.work.tracks[t].observations[i].seen = seen[i].seen;
  }
  state.work.readout = readout;
  freeReadout(state);
  settle(state, task, task.options.max_rounds, task.progress.part(0.85, 0.93));
  state.motion_why += whyRolling(state.work.readout);
  return isLikelyReadout(state.work.readout);
}

Result<Explained> explainedBy(const SolveTask& task, double noise_px) {
  auto state = findExplanation(task, noise_px);
  if (!state.ok()) return state.error();
  return Explained{std::move(*state), noise_px};
}

Result<Explained> asLockedOff(const SolveTask& task) {
  auto state = lockedOff(task);
  if (!state.ok()) return state.error();
  return Explained{std::move(*state), noiseFloor(task.tracks)};
}

/// Where the tracks tell a rolling shutter by themselves, what explains them is looked for without it, so that no path or lens has to make up for it.
Result<Explained> explained(const SolveTask& task) {
  const bool open = task.options.auto_readout && !task.options.free_readout && task.options.readout == 0;
  const ReadoutFound shutter = open ? findReadout(task.tracks) : ReadoutFound{};
  SolveOptions options = task.options;
  options.auto_readout = false;
  double readout = shutter.readout;
  for (int round = 0; shutter.clear() && round < 2; ++round) {
    const TrackSet still = withoutRolling(task.tracks, readout);
    auto found = explainedBy({still, options, task.progress, task.show}, noiseFloor(still));
    if (task.progress.stopRequested()) return cancelled();
    if (!found.ok() || !rollAgain(found->state, task, readout)) break;
    // What the first readout left over may have been taken for something else.
    constexpr double kNear = 0.03;
    if (round == 1 || std::abs(found->state.work.readout - readout) < kNear) return found;
    readout = found->state.work.readout;
  }
  return explainedBy(task, noiseFloor(task.tracks));
}

Result<SolutionPtr> solveFrom(const SolveTask& task, const Solution* from) {
  const bool still = standsStill(task.tracks);
  auto begun = still ? asLockedOff(task) : from ? carriedOn(task, *from) : explained(task);
  if (!begun.ok()) return begun.error();
  auto& [state, noise_px] = *begun;
  task.tell(state);
  if (from && !still) settle(state, task, task.options.max_rounds, task.progress.part(0.85, 0.93));
  if (task.progress.stopRequested()) return cancelled();
  auto result = finished(std::move(state), task, task.progress.part(0.93, 0.96));
  if (!result.ok()) return result.error();
  if (auto plainer = onPlainerPath(*result, task)) result = std::move(*plainer);
  if (task.progress.stopRequested()) return cancelled();
  Solution& solution = result->solution;
  solution.evidence.noise_floor_px = noise_px;
  solution.evidence.focal_assumed = still && focalIsOpen(task.options, solution.lens().model);
  solution.stretches = stretchesOf(result->state.held, solution);
  return SolutionPtr(std::make_shared<Solution>(std::move(solution)));
}
}  // namespace

Result<SolutionPtr> solveShot(const TrackSet& tracks, const SolveOptions& options, const Progress& progress, const std::function<void(SolutionPtr)>& on_partial,
                              const SolutionPtr& from) {
  const Stopwatch watch;
  if (const Status fine = options.check(); !fine.ok()) return fine.error();
  if (!options.camera_of.empty() && static_cast<int>(options.camera_of.size()) != tracks.frames())
    return invalidInput(fmt::format("Cameras are given for {} frames, and there are {}.", options.camera_of.size(), tracks.frames()));
  if (const Status hope = refuseHopeless(tracks, options); !hope.ok()) return hope.error();
  const std::function<void(const SolveState&)> show = [&](const SolveState& state) {
    if (!on_partial) return;
    auto partial = std::make_shared<Solution>();
    describe(state.work, tracks, *partial);
    partial->rms_px = errorSpread(state.work) * std::sqrt(2.0);
    on_partial(std::move(partial));
  };
  auto solved = solveFrom({tracks, options, progress, show}, from && canWarmStart(options, *from) ? from.get() : nullptr);
  if (!solved.ok()) return solved;
  auto timed = std::make_shared<Solution>(**solved);
  timed->summary.total_s = watch.seconds();
  return SolutionPtr(std::move(timed));
}
}  // namespace dusky
