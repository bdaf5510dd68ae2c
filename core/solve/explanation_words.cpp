#include "core/solve/explanation_words.h"

#include <fmt/format.h>

#include "core/solve/readout_search.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

double medianError(const SolveState& state) { return kMedianOfSpread * state.spread_px; }

/// The median error of the best explanation of a kind; nothing where none was carried so far.
template <class Is>
std::optional<double> errorOf(std::span<const SolveState* const> ranked, const Is& is) {
  const auto found = std::find_if(ranked.begin(), ranked.end(), [&](const SolveState* s) { return is(*s); });
  return found != ranked.end() ? std::optional(medianError(**found)) : std::nullopt;
}

std::string whyMotion(std::span<const SolveState* const> ranked) {
  const SolveState& best = *ranked.front();
  const double error = medianError(best);
  const auto other = errorOf(ranked, [&](const SolveState& s) { return s.nodal != best.nodal; });
  if (best.work.arm)
    return fmt::format("The camera rotates about a point beside it, as on a tripod off its nodal point: that explains the tracks to {:.2f} px.", error);
  if (best.nodal && !other) return fmt::format("The camera only rotates: that explains the tracks to {:.2f} px, and no path explains them better.", error);
  if (best.nodal)
    return fmt::format("The camera only rotates: that explains the tracks to {:.2f} px; a free path, to {:.2f} px, does not pay for its unknowns.", error,
                       *other);
  if (!other) return "The camera moves: one that only rotates does not explain the tracks.";
  return fmt::format("The camera moves: a free path explains the tracks to {:.2f} px, one that only rotates to {:.2f} px.", error, *other);
}

std::string whyZoom(std::span<const SolveState* const> ranked, const SolveOptions& options) {
  const SolveState& best = *ranked.front();
  if (best.work.focal_px.empty() || options.focal == FocalKnowledge::Zoom) return "";
  const auto other = errorOf(ranked, [](const SolveState& s) { return s.work.focal_px.empty(); });
  if (!other) return " Its focal length changes: one value does not explain the tracks.";
  return fmt::format(" Its focal length changes: with one value the tracks are explained to {:.2f} px, with one for each frame to {:.2f} px.", *other,
                     medianError(best));
}

std::string whyShutter(const SolveState& best, const SolveOptions& options) {
  return best.work.readout == 0 || options.free_readout || options.readout != 0 ? "" : whyRolling(best.work.readout);
}

}  // namespace

std::string kindOf(const SolveState& state) {
  return fmt::format("a camera that {}{}{}",
                     state.nodal               ? "only rotates"
                     : !state.work.arm         ? "moves"
                     : state.work.arm->z() > 0 ? "rotates about a point behind it"
                                               : "rotates about a point before it",
                     state.work.focal_px.empty() ? ", with one focal length" : ", with a zoom", state.work.readout != 0 ? " and a rolling shutter" : "");
}

std::string whyThisOne(std::span<const SolveState* const> ranked, const SolveOptions& options) {
  return whyMotion(ranked) + whyZoom(ranked, options) + whyShutter(*ranked.front(), options);
}

}  // namespace dusky
