#include "core/review/advice.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/review/verdict.h"
#include "core/solve/remeasure.h"

namespace dusky {
namespace {

constexpr std::size_t kMostAdvice = 3;
constexpr double kWorthIt = 0.02, kWorthIt_px = 0.003;  // of the holdout error; nobody asks for less
constexpr double kWellKnown = 0.005;                    // what a mark on a lens says of its focal length
constexpr double kSlipWorthIt_px = 0.1;

std::string fromTo(double before, double after) { return fmt::format("{:.3f} to {:.3f} px", before, after); }

bool isWorthIt(double before, double after) { return before - after > std::max(kWorthIt_px, kWorthIt * before); }

/// One way to suspect tracks: the rule, and what is said of those that meet it.
struct Suspicion {
  PruneRules rules;
  std::string_view one, many;  ///< "slides along an edge", "slide along edges".
};

/// Limits that only what stands far out of a solve meets.
std::vector<Suspicion> suspicions(const Solution& solution, const std::vector<TrackMeasures>& measured) {
  const UsualMeasures usual = usualOf(solution, measured);
  if (std::isnan(usual.typical_px)) return {};
  PruneRules creep, together, large;
  creep.max_creep_px = 4 * usual.typical_px;
  together.max_shared_px = std::max(usual.typical_px, 3 * usual.shared_px);
  large.max_typical_px = 2.5 * usual.typical_px;
  return {{creep, "slides along an edge", "slide along edges"},
          {together, "errs together with its neighbours, as on a mirror or on something that moves",
           "err together with their neighbours, as on a mirror or on something that moves"},
          {large, "errs far more than usual", "err far more than usual"}};
}

/// Without holdout tracks, so that before and after are judged by the same ones.
PruneChoice withoutHoldout(PruneChoice choice, const Solution& solution) {
  std::erase_if(choice.tracks, [&](int id) { return solution.find(id)->holdout; });
  std::erase_if(choice.sightings, [&](const TrackFrame& s) { return solution.find(s.track)->holdout; });
  return choice;
}

Result<std::optional<Advice>> whatToSetAside(const Solution& solution, const TrackSet& tracks, const std::vector<TrackMeasures>& measured,
                                             const SolveOptions& options, const std::vector<int>& pinned, const Progress& progress) {
  std::optional<Advice> best;
  for (const Suspicion& suspicion : suspicions(solution, measured)) {
    const PruneChoice choice = withoutHoldout(choosePruning(solution, tracks, measured, suspicion.rules, pinned), solution);
    if (choice.tracks.empty()) continue;
    const auto predicted = predictPruning(solution, tracks, without(options, choice), progress);
    if (!predicted.ok()) return predicted.error();
    const double gain = solution.holdout_rms_px - predicted->holdout_rms_px;
    if (!isWorthIt(solution.holdout_rms_px, predicted->holdout_rms_px) || (best && gain < best->gain_px)) continue;
    const std::size_t count = choice.tracks.size();
    best =
        Advice{.action = AdviceAction::SetAside,
               .sentence = fmt::format("{} {} {}. Without {}: holdout {}.", count, count == 1 ? "track" : "tracks", count == 1 ? suspicion.one : suspicion.many,
                                       count == 1 ? "it" : "them", fromTo(solution.holdout_rms_px, predicted->holdout_rms_px)),
               .deed = fmt::format("Set {} aside", count),
               .holdout_px = predicted->holdout_rms_px,
               .gain_px = gain,
               .choice = choice};
  }
  return best;
}

/// What the errors follow and is not free.
std::vector<Advice> whatToFree(const Solution& solution) {
  struct Words {
    AdviceAction action;
    std::string_view what, deed;
  };
  static constexpr std::array<Words, 4> kWords = {
      {{AdviceAction::FreeLens, "the lens bends otherwise than was solved. With more of it free", "Free the lens"},
       {AdviceAction::FindReadout, "the shutter rolls. With its readout found", "Find the readout"},
       {AdviceAction::FreeZoom, "the focal length changes. Solved as a zoom", "Solve as a zoom"},
       {AdviceAction::FreeMotion, "the camera left the path that it is held to. With its motion free", "Free the motion"}}};
  std::vector<Advice> advice;
  for (const ResidualPattern& pattern : solution.evidence.patterns) {
    const double before = solution.holdout_rms_px;
    const double after = std::sqrt(std::max(0.0, before * before - pattern.amplitude_px * pattern.amplitude_px));
    if (pattern.sigmas < kClearPattern_sigmas || !isWorthIt(before, after)) continue;
    const Words& words = kWords[static_cast<std::size_t>(pattern.kind)];
    advice.push_back(
        {.action = words.action,
         .sentence = fmt::format("{:.2f} px of the errors follow a pattern: {}: holdout {}.", pattern.amplitude_px, words.what, fromTo(before, after)),
         .deed = std::string(words.deed),
         .holdout_px = after,
         .gain_px = before - after});
  }
  return advice;
}

/// A focal length that is hardly known lets an insert slip; what that would be if it were known as well as a mark on a lens says.
std::optional<Advice> whetherToGiveFocal(const Solution& solution) {
  const Evidence& e = solution.evidence;
  if (std::isnan(e.focal_slip_px) || !(e.focal_sigma_share > kWellKnown)) return std::nullopt;
  Evidence known = e;
  known.focal_slip_px = e.focal_slip_px * kWellKnown / e.focal_sigma_share;
  const double by_others = std::sqrt(std::max(0.0, e.slip_sigma_px * e.slip_sigma_px - e.focal_slip_px * e.focal_slip_px));
  known.slip_sigma_px = std::hypot(by_others, known.focal_slip_px);
  const double before = e.likelySlip_px(), after = known.likelySlip_px();
  if (!(before - after > std::max(kSlipWorthIt_px, 0.1 * before))) return std::nullopt;
  return Advice{.action = AdviceAction::GiveFocal,
                .sentence = fmt::format("Focal length ± {:.1f} %: known to ± {:.1f} %, an insert is likely to slip by {:.2f} px, not by {:.2f} px.",
                                        100 * e.focal_sigma_share, 100 * kWellKnown, after, before),
                .deed = "Give the focal length",
                .slip_px = after,
                .gain_px = before - after};
}

/// The frames that hang on few tracks, as one range about the thinnest.
std::optional<Advice> whereToAddTracks(const Solution& solution) {
  const auto isThin = [](const SolvedFrame& f) { return f.placed && f.tracks < kThinTracks; };
  const auto thinnest = std::min_element(solution.frames.begin(), solution.frames.end(), [](const SolvedFrame& a, const SolvedFrame& b) {
    return std::pair(!a.placed, a.tracks) < std::pair(!b.placed, b.tracks);
  });
  if (thinnest == solution.frames.end() || !isThin(*thinnest)) return std::nullopt;
  auto first = thinnest, last = thinnest;
  while (first != solution.frames.begin() && isThin(*std::prev(first))) --first;
  while (std::next(last) != solution.frames.end() && isThin(*std::next(last))) ++last;
  const std::string where = first == last ? fmt::format("Frame {} hangs", first->frame) : fmt::format("Frames {}–{} hang", first->frame, last->frame);
  return Advice{.action = AdviceAction::AddTracks,
                .sentence = fmt::format("{} on {} tracks. {} or more would hold them.", where, thinnest->tracks, 2 * kThinTracks),
                .deed = "Add tracks there",
                .frames = FrameRange{first->frame, last->frame}};
}

}  // namespace

std::string_view describe(AdviceAction action) {
  static constexpr std::array<std::string_view, 7> kNames = {"set_aside", "free_lens", "find_readout", "free_zoom", "free_motion", "give_focal", "add_tracks"};
  return kNames[static_cast<std::size_t>(action)];
}

Result<std::vector<Advice>> adviceFor(const Solution& solution, const TrackSet& tracks, const std::vector<TrackMeasures>& measured, const SolveOptions& options,
                                      const std::vector<int>& pinned, const Progress& progress) {
  if (!madeFrom(solution, tracks)) return invalidInput("The solve was made from other tracks.");
  std::vector<Advice> advice;
  if (!std::isnan(solution.holdout_rms_px)) {
    advice = whatToFree(solution);
    const auto aside = whatToSetAside(solution, tracks, measured, options, pinned, progress);
    if (!aside.ok()) return aside.error();
    // What the errors follow makes tracks look bad that are not.
    const bool explained = std::any_of(advice.begin(), advice.end(), [&](const Advice& a) { return *aside && a.gain_px > (*aside)->gain_px; });
    if (*aside && !explained) advice.push_back(**aside);
  }
  if (const auto focal = whetherToGiveFocal(solution)) advice.push_back(*focal);
  std::stable_sort(advice.begin(), advice.end(), [](const Advice& a, const Advice& b) { return a.gain_px > b.gain_px; });
  if (const auto thin = whereToAddTracks(solution)) advice.push_back(*thin);
  if (advice.size() > kMostAdvice) advice.resize(kMostAdvice);
  return advice;
}

}  // namespace dusky
