#include "core/solve/knowledge_stage.h"

#include <array>
#include <set>

#include "core/adjust/set_factors.h"
#include "core/adjust/uncertainty.h"
#include "core/knowledge/statements.h"
#include "core/solve/finished.h"
#include "core/solve/if_exact.h"
#include "core/solve/knowledge_setup.h"
#include "core/solve/knowledge_told.h"
#include "core/solve/other_valleys.h"
#include "core/solve/warm_start.h"

namespace dusky {
namespace {

constexpr std::array<double, 3> kFirmly = {1e-6, 1e-3, 1};  // of a belief's weight, one after the other
constexpr std::array<double, 4> kFocalTimes = {0.6, 0.78, 1.28, 1.65};

void adjustMoreAndMoreFirmly(SolveState& state, const BundleOptions& options, const SolveTask& task) {
  Reconstruction& work = state.work;
  SetBeliefs firm = work.set;
  for (const double share : kFirmly) {
    firm.shapes = work.set.shapes;
    work.set = weighed(firm, share);
    adjustReconstruction(work, options, task.progress);
  }
}

bool focalIsFree(const SolveState& state, const BundleOptions& options) { return state.work.focal_px.empty() ? options.freeOf(0)[0] : options.free_focal; }

/// Tracks that are named one by one are no holdout: what is known of them is to be taken in.
void releaseNamed(const Knowledge& knowledge, Reconstruction& work) {
  std::set<int> named;
  for (const StatementRef& ref : statementsOf(knowledge)) {
    if (ref.part == StatementRef::Part::Set || !isOn(knowledge, ref)) continue;
    for (const int id : tracksOf(knowledge, ref)) named.insert(id);
  }
  for (WorkTrack& track : work.tracks) track.holdout = track.holdout && !named.contains(track.id);
}

/// All sightings, also those that are set aside, each at most as bad as one that cannot be explained; and what the beliefs cost.
double costOfAll(const SolveState& state, double spread_px) {
  constexpr double kUnexplained = 4;
  const double most = std::pow(kUnexplained * std::max(0.05, spread_px), 2);
  const Views views(state.work);
  double sum = 0;
  for (const WorkTrack& track : state.work.tracks) {
    if (track.holdout || track.by_artist) continue;
    for (const WorkObservation& o : track.observations) sum += o.barred ? 0 : track.point ? std::min(std::pow(views.error(track, o), 2), most) : most;
  }
  forEachSetFactor(makeBundle(state.work).bundle, [&sum](const FactorRow& row) { sum += row.cost; });
  return sum;
}

/// Indices of the tracks that something is known of: those that lie in planes or on lines, and those that are named one by one.
struct KnownTracks {
  std::set<int> members, named;
};
KnownTracks knownTracks(const SetBeliefs& set) {
  KnownTracks tracks;
  for (const OnShape& on : set.on) {
    if (on.camera) continue;
    const bool place = std::holds_alternative<SetPlace>(set.shapes[static_cast<std::size_t>(on.shape)]);
    (place ? tracks.named : tracks.members).insert(on.index);
  }
  const auto ends = [&tracks](const auto& pairs) {
    for (const auto& pair : pairs) {
      if (pair.from_point) tracks.named.insert(pair.a);
    }
  };
  ends(set.places_apart), ends(set.at_length), ends(set.mirrored);
  for (const PointFromPlane& from : set.from_plane) tracks.named.insert(from.index);
  for (const InWorld& one : set.in_world) {
    if (!one.camera) tracks.named.insert(one.index);
  }
  return tracks;
}

/// Enough tracks for the lens, and all those that something is known of.
void restOthers(SolveState& state) {
  shareTracks(state);
  const KnownTracks known = knownTracks(state.work.set);
  for (const auto& tracks : {known.members, known.named}) {
    for (const int t : tracks) state.work.tracks[static_cast<std::size_t>(t)].resting = false;
  }
}

double focalOf(const Reconstruction& work) { return work.focal_px.empty() ? work.lens().focal_px : work.focal_px[work.focal_px.size() / 2]; }

/// What is known taken in under another focal length, held there and then free.
void takeInUnder(double focal_times, SolveState& state, const BundleOptions& options, const SolveTask& task) {
  lookThrough(state.work, focal_times);
  adjustMoreAndMoreFirmly(state, withFocalHeld(options), task);
  adjustReconstruction(state.work, options, task.progress);
}

double costOfUsed(const SolveState& state, const BundleOptions& options) { return bundleCost(makeBundle(state.work).bundle, options); }

/// Whether the sightings alone, with hardly anything known, rule a focal length out.
bool ruledOut(double focal_times, SolveState state, BundleOptions brief, double least, const SolveTask& task) {
  constexpr int kSteps = 8;
  constexpr double kHopeless = 10;
  brief.max_steps = kSteps;
  lookThrough(state.work, focal_times);
  state.work.set = weighed(state.work.set, kFirmly.front());
  return adjustReconstruction(state.work, withFocalHeld(brief), task.progress).cost_after > kHopeless * least;
}

/// Focal lengths, as shares of the solve's own, under which what is known may lead elsewhere than from there: by a share of the tracks and few steps.
std::vector<double> worthTrying(const SolveState& begun, BundleOptions brief, const SolveTask& task) {
  constexpr int kSteps = 15;
  constexpr double kSame = 0.005, kHopeless = 2;
  brief.max_steps = kSteps;
  SolveState share = begun;
  restOthers(share);
  SolveState own = share;
  adjustMoreAndMoreFirmly(own, brief, task);
  const double least = costOfUsed(own, brief);
  std::vector<double> worth;
  for (const double times : kFocalTimes) {
    if (task.progress.stopRequested()) break;
    if (ruledOut(times, share, brief, least, task)) continue;
    SolveState other = share;
    takeInUnder(times, other, brief, task);
    const double cost = costOfUsed(other, brief), apart = std::abs(std::log(focalOf(other.work) / focalOf(own.work)));
    if (cost < kHopeless * least && apart > kSame) worth.push_back(times);
  }
  return worth;
}

/// Where parallax is small a solve may have settled on a wrong focal length, in a valley of its own that no step leads out of, and what is known may speak
/// against it: it is taken in under others too. The least cost of sightings and beliefs together says which it is.
void takeIn(SolveState& state, const SolveTask& task) {
  const BundleOptions options = finalOptions(state, task.options);
  const SolveState begun = state;
  adjustMoreAndMoreFirmly(state, options, task);
  if (!focalIsFree(state, options)) return;
  double least = costOfUsed(state, options);
  for (const double times : worthTrying(begun, options, task)) {
    if (task.progress.stopRequested()) return;
    SolveState other = begun;
    takeInUnder(times, other, options, task);
    const double cost = costOfUsed(other, options);
    if (cost < least) least = cost, state = std::move(other);
  }
}

int usedOf(const Reconstruction& work, int track) {
  const WorkTrack& t = work.tracks[static_cast<std::size_t>(track)];
  return t.takesPart() && !t.at_infinity ? static_cast<int>(std::count_if(t.observations.begin(), t.observations.end(), [](const auto& o) { return o.used; }))
                                         : 0;
}

/// What is known and wrong must not be made to fit by setting aside what speaks against it.
bool keepsWhatIsKnown(const Reconstruction& before, const Reconstruction& again) {
  constexpr double kOfNamed = 0.7, kOfMembers = 0.9;
  const KnownTracks known = knownTracks(before.set);
  const auto keeps = [&](int track) { return usedOf(again, track) >= kOfNamed * usedOf(before, track); };
  int was = 0, is = 0;
  for (const int t : known.members) was += usedOf(before, t), is += usedOf(again, t);
  return is >= kOfMembers * was && std::all_of(known.named.begin(), known.named.end(), keeps);
}

/// Which sightings are wrong and which lens it is was found without what is known; where parallax is small that may be where the solve went astray. Both are
/// found again with it, and kept where all sightings and beliefs together cost less.
void findAgain(SolveState& state, const SolveTask& task) {
  SolveState again = state;
  const Progress quiet = task.progress.silent();
  restOthers(again);
  if (task.options.lens != LensChoice::None && !task.options.known_lens)
    findLensAgain(again, task, quiet);
  else
    settle(again, task, task.options.max_rounds, quiet);
  if (task.progress.stopRequested()) return;
  finish(again, task, quiet);
  if (!task.progress.stopRequested() && keepsWhatIsKnown(state.work, again.work) && costOfAll(again, state.spread_px) < costOfAll(state, state.spread_px))
    state = std::move(again);
}

/// What the sightings that are used cost without any of it, and the variance that they show.
struct Without {
  double cost_px2, variance_px2;
};
Without costWithout(const SolveState& state, const SolveTask& task) {
  Bundle bundle = makeBundle(state.work).bundle;
  const BundleOptions options = finalOptions(state, task.options);
  if (!bundle.set.empty()) bundle.set = {}, adjust(bundle, options, task.progress);
  return {bundleCost(bundle, options), correlatedVariance(bundle, options)};
}

/// What a statement costs, against all the rest: by solving without it.
double costOf(int statement, const Bundle& with, double cost, const SolveTask& task, const BundleOptions& options, const Without& without) {
  Bundle rest = with;
  rest.set = withoutStatement(rest.set, statement);
  const double alone = adjust(rest, options, task.progress).cost_after;
  return std::sqrt(std::max(0.0, cost - alone) / without.variance_px2);
}

/// A survey that found a locked-off camera in its place tells its focal length, and with points enough the first coefficient of its lens.
void freeLensForSurvey(SolveState& state, const SolvedKnowledge& known) {
  constexpr std::size_t kForCoefficient = 8;
  lookThrough(state.work, known.focal_times);
  state.freedom[0] = true;
  state.freedom[kFirstCoefficient] = state.work.lens().model == LensModel::Brown && known.beliefs.in_world.size() >= kForCoefficient;
}

/// Whether what was found says what the footage could not.
bool tellsFocal(const Solution& solution) {
  constexpr double kShare = 0.03;
  return solution.cameras.front().sigma[0] < kShare * solution.lens().focal_px;
}

/// Against the same sightings without any of it; and of each statement, against all the rest.
void tellCosts(const SolveState& state, const SolveTask& task, const Without& without, SolvedKnowledge& known) {
  const BundleOptions options = finalOptions(state, task.options);
  const Bundle with = makeBundle(state.work).bundle;
  const double cost = bundleCost(with, options);
  const double statements = freedomOf(with.set);
  if (statements > 0) known.cost_sigmas = ((cost - without.cost_px2) / without.variance_px2 - statements) / std::sqrt(2 * statements);
  for (std::size_t k = 0; k < known.statements.size(); ++k) {
    SolvedStatement& s = known.statements[k];
    if (s.undetermined.empty() && s.kind != StatementKind::Survey && !task.progress.stopRequested())
      s.cost_sigmas = costOf(static_cast<int>(k), with, cost, task, options, without);
  }
}

}  // namespace

Result<SolutionPtr> solveWithKnowledge(const TrackSet& tracks, const SolveOptions& options, const SolutionPtr& plain, const Knowledge& knowledge,
                                       const Similarity& scene, const Progress& progress) {
  if (const Status fine = knowledge.check(); !fine.ok()) return fine.error();
  if (knowledge.empty()) return plain;
  const Stopwatch watch;
  const SolveTask task{tracks, options, progress};
  SolveState state = finalState(*plain, tracks, options);
  releaseNamed(knowledge, state.work);
  const Without without = costWithout(state, task);
  if (!knowledge.says()) {
    auto solution = std::make_shared<Solution>(*plain);
    solution->knowledge.if_exact = predictExact(state, task, *plain, knowledge, scene);
    return SolutionPtr(std::move(solution));
  }
  auto known = setUpKnowledge(state, *plain, knowledge, scene, without.variance_px2);
  if (!known.ok()) return known.error();
  if (plain->evidence.focal_assumed && known->world()) freeLensForSurvey(state, *known);
  takeKnowledge(*known, state.work);
  progress.report(0.1, "taking in what is known");
  takeIn(state, task);
  progress.report(0.4, "finding lens and outliers again with what is known");
  findAgain(state, task);
  if (progress.stopRequested()) return cancelled();
  progress.report(0.8, "judging");
  auto result = concluded(std::move(state), task);
  if (!result.ok()) return result.error();
  tellKnowledge(*result, *plain, knowledge, scene.scale, *known);
  if (const Status hold = refuseClashes(*known); !hold.ok()) return hold.error();
  tellCosts(result->state, task, costWithout(result->state, task), *known);
  if (progress.stopRequested()) return cancelled();
  known->if_exact = predictExact(result->state, task, *plain, knowledge, scene);
  if (progress.stopRequested()) return cancelled();
  known->rms_px_without = plain->rms_px, known->holdout_px_without = plain->holdout_rms_px;
  auto solution = std::make_shared<Solution>(std::move(result->solution));
  solution->knowledge = std::move(*known);
  solution->stretches = plain->stretches;
  solution->evidence.noise_floor_px = plain->evidence.noise_floor_px;
  solution->evidence.focal_assumed = plain->evidence.focal_assumed && !tellsFocal(*solution);
  solution->summary.total_s = plain->summary.total_s + watch.seconds();
  return SolutionPtr(std::move(solution));
}

}  // namespace dusky
