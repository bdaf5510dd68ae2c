#include "core/review/residual_patterns.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "core/adjust/uncertainty.h"
#include "core/solve/sort_out.h"
#include "core/solve/track_share.h"

namespace dusky {
namespace {

constexpr int kTracksInFrame = 80, kFrames = 80;
constexpr double kFocalsOfZoom = 0.5;  // unknowns a frame: neighbours have nearly the same focal length

/// A state with more free than in the settled one, and how many unknowns that is.
struct Wider {
  SolveState state;
  double unknowns = 0;
};

std::optional<Wider> withMoreLens(SolveState state) {
  for (Lens& lens : state.work.lenses) {
    if (lens.model == LensModel::None) lens.model = LensModel::Brown;
  }
  double unknowns = 0;
  for (const LensGroup& group : lensGroups(state.work.lens().model)) {
    for (const int k : group.parameters) unknowns += !state.freedom[k], state.freedom[k] = true;
  }
  if (unknowns == 0) return std::nullopt;
  return Wider{std::move(state), unknowns};
}

std::optional<Wider> withShutter(SolveState state) {
  if (state.readout_free) return std::nullopt;
  state.readout_free = state.lens_settled = true;
  return Wider{std::move(state), 1};
}

std::optional<Wider> withZoom(SolveState state) {
  if (!state.work.focal_px.empty()) return std::nullopt;
  state.work.focal_px.assign(state.work.poses.size(), state.work.lens().focal_px);
  const double unknowns = kFocalsOfZoom * state.work.placedFrames() - state.freedom[0];
  state.freedom[0] = false;
  tieZoom(state);
  return Wider{std::move(state), unknowns};
}

std::optional<Wider> withFreePath(SolveState state) {
  if (state.nodal || state.work.arm || (state.work.planes.empty() && state.held.empty())) return std::nullopt;
  const double unknowns = static_cast<double>(state.work.planes.size() + 3 * state.held.size());
  state.work.planes.clear();
  for (CameraTie& tie : state.work.ties) tie.centre = 0;
  return Wider{std::move(state), unknowns};
}

double gainOf(const SolveState& state, const SolveOptions& options) { return expectedGain(makeBundle(state.work).bundle, finalOptions(state, options)); }

ResidualPattern patternOf(PatternKind kind, const SolveState& settled, const Wider& wider, const SolveOptions& options, double noise_px) {
  const double gain = std::max(0.0, gainOf(wider.state, options) - gainOf(settled, options));
  const double found = correlatedVariance(makeBundle(settled.work).bundle, finalOptions(settled, options));
  const double variance = std::fmin(found, kCorrelatedSightings * noise_px * noise_px);
  const double sigmas = std::sqrt(2 * gain / variance) - std::sqrt(std::max(0.0, 2 * wider.unknowns - 1));
  return {kind, std::isnan(sigmas) ? 0 : sigmas, std::sqrt(gain / std::max(1, measured(settled.work).used))};
}

}  // namespace

std::vector<ResidualPattern> residualPatterns(const SolveState& settled, const SolveOptions& options, double noise_px) {
  SolveState run = settled, thin = settled;
  // Under a rolling shutter a frame needs its neighbours.
  run.work = turningRun(settled.work, kFrames);
  thin.work = settled.work.readout == 0 ? thinnedFrames(settled.work, kFrames) : run.work;
  for (SolveState* state : {&run, &thin}) restTracks(state->work, kTracksInFrame), tieZoom(*state);
  std::vector<ResidualPattern> patterns;
  const auto look = [&](PatternKind kind, const SolveState& from, const std::optional<Wider>& wider) {
    if (wider) patterns.push_back(patternOf(kind, from, *wider, options, noise_px));
  };
  look(PatternKind::Lens, thin, withMoreLens(thin));
  look(PatternKind::Shutter, run, withShutter(run));
  look(PatternKind::Zoom, thin, withZoom(thin));
  look(PatternKind::Path, thin, withFreePath(thin));
  std::stable_sort(patterns.begin(), patterns.end(), [](const ResidualPattern& a, const ResidualPattern& b) { return a.sigmas > b.sigmas; });
  return patterns;
}

}  // namespace dusky
