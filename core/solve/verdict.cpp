#include "core/solve/verdict.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/numbers.h"

namespace dusky {
namespace {

constexpr double kStandsOut = 1.6;  // times the median frame's error
constexpr std::size_t kMostTracks = 12;

/// "Frame 7 has", "Frames 7–9 have".
std::string framesAnd(std::pair<int, int> frames, std::string_view one, std::string_view many) {
  const auto [first, last] = frames;
  return first == last ? fmt::format("Frame {} {}", first, one) : fmt::format("Frames {}–{} {}", first, last, many);
}

/// First and last of the longest run of frames for which `holds`; 0, 0 when there is none.
template <class Holds>
std::pair<int, int> longestRun(const Solution& solution, const Holds& holds) {
  int first = 0, last = 0, begin = 0;
  bool inside = false;
  for (const SolvedFrame& frame : solution.frames) {
    if (!holds(frame)) {
      inside = false;
      continue;
    }
    if (!inside) begin = frame.frame;
    inside = true;
    if (first == 0 || frame.frame - begin > last - first) first = begin, last = frame.frame;
  }
  return {first, last};
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
    if (!frame.placed || (verdict.thinnest_frame != 0 && frame.tracks >= verdict.thinnest_tracks)) continue;
    verdict.thinnest_tracks = frame.tracks;
    verdict.thinnest_frame = frame.frame;
  }
  const auto about = [&](std::pair<int, int> frames, std::string sentence) {
    verdict.hurt_first = frames.first, verdict.hurt_last = frames.second;
    verdict.hurt_tracks = worstTracks(solution, frames.first, frames.second);
    verdict.hurt = std::move(sentence);
    return verdict;
  };
  const auto missing = longestRun(solution, [](const SolvedFrame& f) { return !f.placed; });
  if (missing.first) return about(missing, framesAnd(missing, "has", "have") + " no camera: too few tracks there.");
  if (solution.holdout_rms_px > 1.3 * solution.rms_px) {
    const auto [first, last] = std::pair{solution.frames.front().frame, solution.frames.back().frame};
    return about({first, last},
                 fmt::format("Holdout is {:.1f} × the RMS: the solve fits its own tracks better than the set.", solution.holdout_rms_px / solution.rms_px));
  }
  const auto thin = longestRun(solution, [](const SolvedFrame& f) { return f.placed && f.tracks < kThinTracks; });
  if (thin.first) return about(thin, fmt::format("{} on fewer than {} tracks.", framesAnd(thin, "hangs", "hang"), kThinTracks));
  const double usual = medianFrameError(solution);
  const auto loud = longestRun(solution, [&](const SolvedFrame& f) { return f.placed && f.rms_px > kStandsOut * usual; });
  if (loud.first) {
    return about(loud, fmt::format("{} {:.0f} % of the error.", framesAnd(loud, "carries", "carry"), 100 * shareOfError(solution, loud.first, loud.second)));
  }
  verdict.hurt = "Nothing stands out.";
  verdict.fine = true;
  return verdict;
}
}  // namespace dusky
