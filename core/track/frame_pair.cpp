#include "core/track/frame_pair.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/numbers.h"

namespace dusky {

std::string FramePair::sentence() const {
  if (tracks.size() < 8) return fmt::format("{} common tracks: at least 8 are needed for the geometry of two views.", tracks.size());
  if (!fit.found())
    return fmt::format("{} common tracks, but no geometry of two views explains enough of them ({} samples drawn).", tracks.size(), fit.samples);
  const double share = static_cast<double>(fit.inliers.size()) / static_cast<double>(tracks.size());
  std::string text =
      fmt::format("{} common tracks, {} agree to {:.2f} px RMS, {} do not. ", tracks.size(), fit.inliers.size(), rms_px, tracks.size() - fit.inliers.size());
  text += fmt::format("{} samples of 7 drawn: with {:.0f} % agreeing, {} are enough for one without an outlier, {:.2f} % sure.", fit.samples, 100 * share,
                      fit.needed, 100 * fit.confidence);
  if (moved_px < 2) text += " The picture hardly moved between them: the lines are not to be trusted.";
  return text;
}

Result<FramePair> pairOf(const TrackSet& tracks, int frame_a, int frame_b, double tolerance_px) {
  for (const int frame : {frame_a, frame_b}) {
    if (tracks.indexOf(frame) < 0)
      return invalidInput(fmt::format("Frame {} is not among the tracked ones ({}–{}).", frame, tracks.first_frame, tracks.last_frame));
  }
  if (frame_a == frame_b) return invalidInput("Choose two different frames.");
  FramePair pair{.frame_a = frame_a, .frame_b = frame_b};
  std::vector<double> ways;
  for (const Track& track : tracks.tracks) {
    const Observation *a = track.at(frame_a), *b = track.at(frame_b);
    if (!a || !b) continue;
    pair.tracks.push_back(track.id);
    pair.in_a.push_back(a->position), pair.in_b.push_back(b->position);
    ways.push_back((b->position - a->position).norm());
  }
  pair.agrees.assign(pair.tracks.size(), false);
  if (!ways.empty()) pair.moved_px = median(ways);
  pair.fit = fitEpipolar(pair.in_a, pair.in_b, {.tolerance = tolerance_px});
  if (!pair.fit.found()) return pair;
  double squares = 0;
  for (const int i : pair.fit.inliers) {
    pair.agrees[static_cast<std::size_t>(i)] = true;
    squares += pair.fit.residuals_px[static_cast<std::size_t>(i)] * pair.fit.residuals_px[static_cast<std::size_t>(i)];
  }
  pair.rms_px = std::sqrt(squares / static_cast<double>(pair.fit.inliers.size()));
  return pair;
}

}  // namespace dusky
