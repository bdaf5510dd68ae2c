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
  freeReadout(state);
  return Wider{std::move(state), 1};
}

std::optional<Wider> withZoom(SolveState state) {
  if (!state.work.focal_px.empty()) return std::nullopt;
  const double unknowns = kFocalsOfZoom * state.work.placedFrames() - state.freedom[0];
  freeZoom(state);
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

/// A settled state that wider ones are held against.
struct Standing {
  Standing(SolveState settled, const SolveOptions& options, double noise_px) : state(std::move(settled)) {
    gain = gainOf(state, options);
    variance = std::fmin(correlatedVariance(makeBundle(state.work).bundle, finalOptions(state, options)), kCorrelatedSightings * noise_px * noise_px);
    used = std::max(1, measured(state.work).used);
  }
  SolveState state;
  double gain = 0, variance = 0;
  int used = 1;
};

ResidualPattern patternOf(PatternKind kind, const Standing& standing, const Wider& wider, const SolveOptions& options) {
  const double gain = std::max(0.0, gainOf(wider.state, options) - standing.gain);
  const double sigmas = std::sqrt(2 * gain / standing.variance) - std::sqrt(std::max(0.0, 2 * wider.unknowns - 1));
  return {kind, std::isnan(sigmas) ? 0 : sigmas, std::sqrt(gain / standing.used)};
}

}  // namespace

std::vector<ResidualPattern> residualPatterns(const SolveState& settled, const SolveOptions& options, double noise_px) {
  std::vector<ResidualPattern> patterns;
  const auto look = [&](PatternKind kind, const Standing& from, const std::optional<Wider>& wider) {
    if (wider) patterns.push_back(patternOf(kind, from, *wider, options));
  };
  // Under a rolling shutter a frame needs its neighbours.
  const bool rolls = settled.work.readout != 0;
  const Standing standing(sampleOf(settled, kFrames, kTracksInFrame, rolls), options, noise_px);
  look(PatternKind::Lens, standing, withMoreLens(standing.state));
  if (rolls) {
    look(PatternKind::Shutter, standing, withShutter(standing.state));
  } else {
    const Standing run(sampleOf(settled, kFrames, kTracksInFrame, true), options, noise_px);
    look(PatternKind::Shutter, run, withShutter(run.state));
  }
  look(PatternKind::Zoom, standing, withZoom(standing.state));
  look(PatternKind::Path, standing, withFreePath(standing.state));
  std::stable_sort(patterns.begin(), patterns.end(), [](const ResidualPattern& a, const ResidualPattern& b) { return a.sigmas > b.sigmas; });
  return patterns;
}

}  // namespace dusky
