#include "core/solve/staircase.h"

#include <fmt/format.h>

#include <cmath>

namespace dusky {
namespace {

Release releaseOf(const StaircaseOptions& options, std::string_view group) {
  const auto found = options.releases.find(std::string(group));
  return found != options.releases.end() ? found->second : Release::Auto;
}

class Climb {
 public:
  Climb(Reconstruction& work, const StaircaseOptions& options, std::vector<StaircaseStep>& steps) : work_(work), options_(options), steps_(steps) {}

  LensFreedom run(const Progress& progress) {
    LensFreedom freedom = options_.base.freeOf(0);
    const auto& groups = lensGroups(work_.lens().model);
    const double share = 1.0 / (1.0 + static_cast<double>(groups.size()));
    adjust(freedom, progress.part(0, share));
    now_ = judged();
    const bool focal = freedom[0] || (!work_.focal_px.empty() && options_.base.free_focal);
    steps_.push_back({focal ? "focal length" : "poses and points", now_.rms_px, now_.holdout_rms_px, true, kUnknown, kUnknown, "where it begins"});
    for (std::size_t g = 0; g < groups.size() && !progress.stopRequested(); ++g) {
      const auto at = static_cast<double>(g) + 1;
      tryGroup(groups[g], freedom, progress.part(share * at, share * (at + 1)));
    }
    return freedom;
  }

 private:
  Judgement judged() {
    placeHoldout(work_);
    holdout_ = holdoutSquares(work_);
    return measured(work_);
  }

  /// By track: sum of the squared errors of a holdout track's used sightings; unknown for others.
  static std::vector<double> holdoutSquares(const Reconstruction& work) {
    std::vector<double> squares(work.tracks.size(), kUnknown);
    const Views views(work);
    for (std::size_t t = 0; t < work.tracks.size(); ++t) {
      const WorkTrack& track = work.tracks[t];
      if (!track.holdout || !track.point || track.by_artist || track.reason != AsideReason::None) continue;
      squares[t] = 0;
      for (const WorkObservation& o : track.observations) {
        if (o.used && work.poses[o.frame_index]) squares[t] += std::pow(views.error(track, o), 2);
      }
    }
    return squares;
  }

  /// By how many of its own standard errors the holdout tracks' squares rise, each track against itself.
  static double riseOf(const std::vector<double>& was, const std::vector<double>& now) {
    double sum = 0, squares = 0, count = 0;
    for (std::size_t t = 0; t < was.size(); ++t) {
      const double rise = now[t] - was[t];
      if (std::isnan(rise)) continue;
      sum += rise, squares += rise * rise, ++count;
    }
    return squares > 0 ? sum / std::sqrt(squares) : 0;
  }

  void adjust(const LensFreedom& freedom, const Progress& progress) {
    BundleOptions options = options_.base;
    options.free_lens = freedom;
    for (LensTerms& terms : options.lens_terms) terms.free = freedom;
    options.max_steps = 12, options.settled = 1e-4;
    adjustReconstruction(work_, options, progress);
  }

  void tryGroup(const LensGroup& group, LensFreedom& freedom, const Progress& progress) {
    const Release said = releaseOf(options_, group.name);
    if (said == Release::Off || (said == Release::Auto && !options_.climbs)) return;
    const Reconstruction before = work_;
    const Judgement was = now_;
    const std::vector<double> holdout_was = holdout_;
    LensFreedom wider = freedom;
    for (const int k : group.parameters) wider[k] = !options_.known[k];
    if (wider == freedom) return;
    if (options_.reached && wider == options_.reached_with) goOnFrom(*options_.reached);
    adjust(wider, progress);
    now_ = judged();
    StaircaseStep step{std::string(group.name), now_.rms_px, now_.holdout_rms_px, true, was.rms_px, was.holdout_rms_px, "forced on"};
    if (said == Release::Auto) decide(step, was, holdout_was, static_cast<double>(group.parameters.size()));
    if (step.kept)
      freedom = wider;
    else
      work_ = before, now_ = was, holdout_ = holdout_was;
    steps_.push_back(std::move(step));
  }

  /// Cameras, points and lenses from there; what is used and set aside stays, so that both are judged by the same sightings.
  void goOnFrom(const Reconstruction& reached) {
    work_.poses = reached.poses, work_.focal_px = reached.focal_px, work_.lenses = reached.lenses;
    for (std::size_t t = 0; t < work_.tracks.size(); ++t) {
      if (work_.tracks[t].point && reached.tracks[t].point && work_.tracks[t].at_infinity == reached.tracks[t].at_infinity)
        work_.tracks[t].point = reached.tracks[t].point;
    }
  }

  /// The gain must be significant, and the holdout tracks must not object clearly.
  void decide(StaircaseStep& step, const Judgement& was, const std::vector<double>& holdout_was, double unknowns) const {
    const double sightings = 2.0 * now_.used / kCorrelatedSightings;
    const double gain = sightings * std::log(std::pow(was.rms_px / now_.rms_px, 2));
    // A handful of holdout tracks judges nothing.
    constexpr int kJudges = 5;
    const bool judged = now_.holdout_kept >= kJudges && !std::isnan(was.holdout_rms_px) && !std::isnan(now_.holdout_rms_px);
    // No lens has its axis quite in the middle, or no distortion at all: the belief how little it is says all that parsimony could. Held at nothing, they would
    // bend the focal length, and nobody could see it.
    const bool free_of_charge = step.released == "principal point" || step.released == "k1";
    constexpr double kObjects = 2;  // standard errors
    const bool holds = !judged || riseOf(holdout_was, holdout_) < kObjects;
    const bool pays = free_of_charge || gain > 2 * unknowns;
    step.kept = holds && pays;
    if (step.kept && free_of_charge)
      step.why = "little, as lenses have it; holdout does not object";
    else if (step.kept)
      step.why = judged && now_.holdout_rms_px < was.holdout_rms_px
                     ? fmt::format("holdout falls by {:.1f} %", 100 * (1 - now_.holdout_rms_px / was.holdout_rms_px))
                     : "the gain is significant, and holdout does not object";
    else
      step.why =
          !pays ? "gains less than an unknown costs" : fmt::format("holdout rises by {:.1f} %, clearly", 100 * (now_.holdout_rms_px / was.holdout_rms_px - 1));
  }

  Reconstruction& work_;
  const StaircaseOptions& options_;
  std::vector<StaircaseStep>& steps_;
  Judgement now_;
  std::vector<double> holdout_;
};
}  // namespace

LensFreedom climbStaircase(Reconstruction& work, const StaircaseOptions& options, std::vector<StaircaseStep>& steps, const Progress& progress) {
  return Climb(work, options, steps).run(progress);
}
}  // namespace dusky
