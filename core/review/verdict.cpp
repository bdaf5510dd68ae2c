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
}  // namespace

double usualErrorTop(const Solution& solution) {
  if (!(solution.rms_px > 1e-6)) return 1.0;
  return roundTo125(4 * solution.rms_px);
}

Verdict judgeSolution(const Solution& solution) {
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
}  // namespace dusky
