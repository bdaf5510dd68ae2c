#include "core/review/verdict.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/numbers.h"

namespace dusky {
namespace {

constexpr double kStandsOut = 1.6;  // times the median frame's error
constexpr std::size_t kMostTracks = 12;

/// "Frame 7 has", "Frames 7–9 have".
std::string framesAnd(const FrameRange& frames, std::string_view one, std::string_view many) {
  const auto [first, last] = frames;
  return first == last ? fmt::format("Frame {} {}", first, one) : fmt::format("Frames {}–{} {}", first, last, many);
}

/// The longest run of frames for which `holds`; of two as long the first.
template <class Holds>
std::optional<FrameRange> longestRun(const Solution& solution, const Holds& holds) {
  std::optional<FrameRange> longest, run;
  for (const SolvedFrame& frame : solution.frames) {
    if (!holds(frame)) {
      run.reset();
      continue;
    }
    run = {run ? run->first : frame.frame, frame.frame};
    if (!longest || run->last - run->first > longest->last - longest->first) longest = run;
  }
  return longest;
}

/// Kept tracks with the largest squared error within the frames, worst first.
std::vector<int> worstTracks(const Solution& solution, int first, int last) {
  std::vector<std::pair<double, int>> sums;
  for (const SolvedTrack& track : solution.tracks) {
    if (track.state != TrackState::Kept) continue;
    double sum = 0;
    for (const TrackError& e : track.errors) {
      if (e.frame >= first && e.frame <= last && e.used) sum += e.error_px * e.error_px;
    }
    if (sum > 0) sums.emplace_back(-sum, track.id);
  }
  std::sort(sums.begin(), sums.end());
  std::vector<int> ids;
  for (std::size_t i = 0; i < std::min(sums.size(), kMostTracks); ++i) ids.push_back(sums[i].second);
  return ids;
}

double medianFrameError(const Solution& solution) {
  std::vector<double> errors;
  for (const SolvedFrame& frame : solution.frames) {
    if (frame.placed && !std::isnan(frame.rms_px)) errors.push_back(frame.rms_px);
  }
  return median(std::move(errors));
}

double shareOfError(const Solution& solution, int first, int last) {
  double inside = 0, all = 0;
  for (const SolvedFrame& frame : solution.frames) {
    if (!frame.placed || frame.tracks == 0) continue;
    const double squares = frame.tracks * frame.rms_px * frame.rms_px;
    all += squares;
    if (frame.frame >= first && frame.frame <= last) inside += squares;
  }
  return all > 0 ? inside / all : 0;
}

Verdict whatHurts(const Solution& solution) {
  Verdict verdict;
  for (const SolvedFrame& frame : solution.frames) {
    if (!frame.placed || (verdict.thinnest_frame && frame.tracks >= verdict.thinnest_tracks)) continue;
    verdict.thinnest_tracks = frame.tracks;
    verdict.thinnest_frame = frame.frame;
  }
  const auto about = [&](const FrameRange& frames, std::string sentence) {
    verdict.hurt_frames = frames;
    verdict.hurt_tracks = worstTracks(solution, frames.first, frames.last);
    verdict.hurt = std::move(sentence);
    return verdict;
  };
  const auto missing = longestRun(solution, [](const SolvedFrame& f) { return !f.placed; });
  if (missing) return about(*missing, framesAnd(*missing, "has", "have") + " no camera: too few tracks there.");
  if (solution.holdout_rms_px > 1.3 * solution.rms_px) {
    return about({solution.frames.front().frame, solution.frames.back().frame},
                 fmt::format("Holdout is {:.1f} × the RMS: the solve fits its own tracks better than the set.", solution.holdout_rms_px / solution.rms_px));
  }
  const auto thin = longestRun(solution, [](const SolvedFrame& f) { return f.placed && f.tracks < kThinTracks; });
  if (thin) return about(*thin, fmt::format("{} on fewer than {} tracks.", framesAnd(*thin, "hangs", "hang"), kThinTracks));
  const double usual = medianFrameError(solution);
  const auto loud = longestRun(solution, [&](const SolvedFrame& f) { return f.placed && f.rms_px > kStandsOut * usual; });
  if (loud) {
    return about(*loud, fmt::format("{} {:.0f} % of the error.", framesAnd(*loud, "carries", "carry"), 100 * shareOfError(solution, loud->first, loud->last)));
  }
  verdict.hurt = "Nothing stands out.";
  verdict.fine = true;
  return verdict;
}

// Calibrated by bench/trust_study, never by hand on single shots.
constexpr double kCheckOver = 1.5, kRejectOver = 4;        // error over the noise floor
constexpr double kCheckShare = 0.55, kRejectShare = 0.25;  // of the sightings explained
constexpr double kCheckFocal = 5;                          // standard deviation of the focal length over the picture, in tolerances
constexpr double kCheckLens = 1;                           // the same of the lens of a camera that only rotates
constexpr double kCheckRival = 0.1;                        // by how much more another explanation must cost

/// What a wrong place on the set may be before it shows: a pixel, or the noise's own size, px.
double toleranceOf(const Evidence& evidence) { return std::max(1.0, std::isnan(evidence.noise_floor_px) ? 0.0 : 4 * evidence.noise_floor_px); }

/// RMS of one coordinate, in noise floors; nobody asks for less than a twentieth of a pixel. Unknown where there is no floor.
double errorOverFloor(const Solution& solution) {
  constexpr double kFineEnough_px = 0.05;
  const double floor = solution.evidence.noise_floor_px;
  return solution.rms_px / std::sqrt(2.0) / (floor < kFineEnough_px ? kFineEnough_px : floor);
}

void findCauses(const Solution& solution, Verdict& verdict) {
  const Evidence& evidence = solution.evidence;
  const auto add = [&](std::string what, double significance, std::string sentence, std::optional<FrameRange> frames = {}) {
    verdict.causes.push_back({std::move(what), frames, std::move(sentence), significance});
  };
  if (const double over = errorOverFloor(solution); over > kCheckOver) {
    add("unexplained error", over / kCheckOver,
        fmt::format(
            "The error is {:.1f} × the noise that the tracks show by themselves: something is not explained. A zoom, a rolling shutter or a lens of another "
            "kind would look like this; say what is known of the camera.",
            over));
  }
  if (evidence.explained_share < kCheckShare) {
    add("few tracks explained", kCheckShare / std::max(0.01, evidence.explained_share),
        fmt::format("Only {:.0f} % of the sightings are explained. If the set is still, this is not its camera; else mask what moves.",
                    100 * evidence.explained_share));
  }
  const Lens& lens = solution.lens();
  const double tolerance = toleranceOf(evidence);
  const double radius = std::sqrt((lens.width * lens.width + lens.height * lens.height) / 12.0);  // RMS over the picture
  if (const double off = evidence.focal_sigma_share * radius / tolerance; off > kCheckFocal) {
    add("focal length", off / kCheckFocal,
        fmt::format("The focal length is known to ±{:.1f} % only: the move hardly tells it from distance. Give it, or its neighbourhood.",
                    100 * evidence.focal_sigma_share));
  }
  // Measured: the depths of what is far and the focal length make up for one another there, in a way that no curvature at the solution shows.
  if (solution.motion == MotionKind::Arc) {
    add("small parallax", 1.5,
        "The camera rotates about a point beside it: so little parallax hardly tells the focal length from how far the set is. Give the focal length, or its "
        "neighbourhood, and leave the motion to the tracks.");
  }
  if (const double off = solution.cameras.front().lens_sigma_px / tolerance; solution.motion == MotionKind::Nodal && off > kCheckLens) {
    add("lens", off / kCheckLens,
        fmt::format("The lens is known to ±{:.1f} px over the picture only: the camera rotates too little to tell it. Give the focal length, or a lens file.",
                    solution.cameras.front().lens_sigma_px));
  }
  if (evidence.rival_share < kCheckRival) {
    add("another explanation", kCheckRival / std::max(0.005, evidence.rival_share),
        fmt::format("Another explanation is nearly as good: {}. If you know which it was, say so.", evidence.rival));
  }
  if (solution.summary.termination == Termination::StepLimit && !std::isnan(evidence.focal_sigma_share))
    add("unsettled", 1.2, "The solve stopped before it settled: what it found may still move. Carry on from it, or give the focal length.");
  if (!verdict.fine) add("weak part", 1, verdict.hurt, verdict.hurt_frames);
}

}  // namespace

double usualErrorTop(const Solution& solution) {
  if (!(solution.rms_px > 1e-6)) return 1.0;
  return roundTo125(4 * solution.rms_px);
}

std::string_view describe(TrustLevel level) { return level == TrustLevel::Trust ? "trust" : level == TrustLevel::Check ? "check" : "reject"; }

Verdict judgeSolution(const Solution& solution) {
  Verdict verdict = whatHurts(solution);
  verdict.noise_floor_px = solution.evidence.noise_floor_px, verdict.explained_share = solution.evidence.explained_share;
  findCauses(solution, verdict);
  std::stable_sort(verdict.causes.begin(), verdict.causes.end(), [](const Cause& a, const Cause& b) { return a.significance > b.significance; });
  const Evidence& evidence = solution.evidence;
  const bool rejected = errorOverFloor(solution) > kRejectOver || evidence.explained_share < kRejectShare;
  verdict.level = rejected ? TrustLevel::Reject : verdict.causes.empty() ? TrustLevel::Trust : TrustLevel::Check;
  if (verdict.causes.empty())
    verdict.sentence = std::isnan(evidence.noise_floor_px)
                           ? "Nothing speaks against this camera."
                           : fmt::format("The error is {:.1f} × the noise of the tracks, and {:.0f} % of the sightings are explained.",
                                         errorOverFloor(solution), 100 * evidence.explained_share);
  else
    verdict.sentence = verdict.causes.front().sentence;
  return verdict;
}

}  // namespace dusky
