#include "core/solve/knowledge_stage.h"

#include <array>

#include "core/adjust/uncertainty.h"
#include "core/solve/finished.h"
#include "core/solve/knowledge_setup.h"
#include "core/solve/knowledge_told.h"
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

/// Another focal length, and a set as much deeper along the way the cameras look: in the pictures nearly the same.
void lookThrough(Reconstruction& work, double focal_times) {
  for (Lens& lens : work.lenses) lens.focal_px *= focal_times;
  for (double& focal : work.focal_px) focal *= focal_times;
  Vec3 middle = Vec3::Zero(), along = Vec3::Zero();
  int placed = 0;
  for (const auto& pose : work.poses) {
    if (pose) middle += pose->centre, along += pose->direction(Vec3::UnitZ()), ++placed;
  }
  middle /= placed, along.normalize();
  const auto deeper = [&](Vec3& place) { place += (focal_times - 1) * along.dot(place - middle) * along; };
  for (auto& pose : work.poses) {
    if (pose) deeper(pose->centre);
  }
  for (WorkTrack& track : work.tracks) {
    if (track.point && !track.at_infinity) deeper(*track.point);
  }
}

BundleOptions withFocalHeld(BundleOptions options) {
  options.free_focal = options.free_lens[0] = false;
  for (LensTerms& terms : options.lens_terms) terms.free[0] = false;
  return options;
}

bool focalIsFree(const SolveState& state, const BundleOptions& options) { return state.work.focal_px.empty() ? options.freeOf(0)[0] : options.free_focal; }

/// Where parallax is small a solve may have settled on a wrong focal length, in a valley of its own that no step leads out of, and what is known may speak
/// against it: it is taken in under others too, held there and then free. The least cost of sightings and beliefs together says which it is.
void takeIn(SolveState& state, const SolveTask& task) {
  const BundleOptions options = finalOptions(state, task.options);
  if (!focalIsFree(state, options)) return adjustMoreAndMoreFirmly(state, options, task);
  const SolveState begun = state;
  adjustMoreAndMoreFirmly(state, options, task);
  double least = bundleCost(makeBundle(state.work).bundle, options);
  for (const double times : kFocalTimes) {
    if (task.progress.stopRequested()) return;
    SolveState other = begun;
    lookThrough(other.work, times);
    adjustMoreAndMoreFirmly(other, withFocalHeld(options), task);
    adjustReconstruction(other.work, options, task.progress);
    const double cost = bundleCost(makeBundle(other.work).bundle, options);
    if (cost < least) least = cost, state = std::move(other);
  }
}

/// What the sightings cost without any of it, and the variance that they show.
struct Without {
  double cost_px2, variance_px2;
};
Without costWithout(const SolveState& state, const SolveTask& task) {
  const Bundle bundle = makeBundle(state.work).bundle;
  const BundleOptions options = finalOptions(state, task.options);
  return {bundleCost(bundle, options), correlatedVariance(bundle, options)};
}

/// What a statement costs, against all the rest: by solving without it.
double costOf(int statement, const Bundle& with, double cost, const SolveTask& task, const BundleOptions& options, const Without& without) {
  Bundle rest = with;
  rest.set = withoutStatement(rest.set, statement);
  const double alone = adjust(rest, options, task.progress).cost_after;
  return std::sqrt(std::max(0.0, cost - alone) / without.variance_px2);
}

/// Against the same sightings without any of it; and of each statement, against all the rest.
void tellCosts(const SolveState& state, const SolveTask& task, const Without& without, SolvedKnowledge& known) {
  const BundleOptions options = finalOptions(state, task.options);
  const Bundle with = makeBundle(state.work).bundle;
  const double cost = bundleCost(with, options);
  double statements = residualsOf(with.set);
  for (const SetShape& shape : with.set.shapes) statements -= unknownsOf(shape);
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
  if (!knowledge.says()) return plain;
  const Stopwatch watch;
  const SolveTask task{tracks, options, progress};
  SolveState state = finalState(*plain, tracks, options);
  const Without without = costWithout(state, task);
  auto known = setUpKnowledge(state, *plain, knowledge, scene);
  if (!known.ok()) return known.error();
  takeKnowledge(*known, state.work);
  takeIn(state, task);
  if (progress.stopRequested()) return cancelled();
  auto result = concluded(std::move(state), task);
  if (!result.ok()) return result.error();
  tellKnowledge(*result, *plain, knowledge, scene.scale, *known);
  if (const Status hold = refuseClashes(*known); !hold.ok()) return hold.error();
  tellCosts(result->state, task, without, *known);
  if (progress.stopRequested()) return cancelled();
  known->rms_px_without = plain->rms_px, known->holdout_px_without = plain->holdout_rms_px;
  auto solution = std::make_shared<Solution>(std::move(result->solution));
  solution->knowledge = std::move(*known);
  solution->stretches = plain->stretches;
  solution->evidence.noise_floor_px = plain->evidence.noise_floor_px;
  solution->summary.total_s = plain->summary.total_s + watch.seconds();
  return SolutionPtr(std::move(solution));
}

}  // namespace dusky
