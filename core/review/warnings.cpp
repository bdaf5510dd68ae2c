#include "core/review/warnings.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/numbers.h"
#include "core/image/frame_ranges.h"
#include "core/review/verdict.h"

namespace dusky {
namespace {

using Warnings = std::vector<std::string>;

void aboutFrames(const TrackSet& tracks, Solution& solution, Warnings& warnings) {
  std::vector<int> missing, thin;
  for (SolvedFrame& frame : solution.frames) {
    if (frame.placed && frame.tracks < kThinTracks) thin.push_back(frame.frame);
    if (frame.placed) continue;
    missing.push_back(frame.frame);
    const auto seen = std::count_if(tracks.tracks.begin(), tracks.tracks.end(), [&](const Track& t) { return t.at(frame.frame) != nullptr; });
    frame.why_not =
        seen < 8 ? fmt::format("{} tracks there", seen) : fmt::format("its {} tracks share too little with the other frames, or do not agree", seen);
  }
  if (!missing.empty()) {
    warnings.push_back(fmt::format("Frames {} have no camera: {}. Add tracks there that live on into the frames beside.", listed(missing),
                                   solution.frameAt(missing.front())->why_not));
  }
  if (!thin.empty()) warnings.push_back(fmt::format("Frames {} hang on fewer than {} tracks. Add tracks there.", listed(thin), kThinTracks));
}

void aboutStretches(const Solution& solution, Warnings& warnings) {
  for (const Stretch& stretch : solution.stretches) {
    warnings.push_back(fmt::format("In frames {}–{} the camera only rotates: it is held in its place, and what is seen only there has no depth.", stretch.first,
                                   stretch.last));
  }
}

void aboutMovers(const Solution& solution, Warnings& warnings) {
  for (const Mover& mover : solution.movers) {
    warnings.push_back(
        fmt::format("{}: {} tracks move together on their own, frames {}–{}. They are set aside.", mover.name, mover.tracks.size(), mover.first, mover.last));
  }
}

void aboutDepth(const Solution& solution, Warnings& warnings) {
  if (solution.motion == MotionKind::Nodal) {
    const bool surveyed = solution.knowledge.world() && solution.knowledge.world()->free_shift;
    warnings.push_back(fmt::format("The camera only rotates, so nothing {}has a depth: {}points lie on a sphere of radius {:g} about it.",
                                   surveyed ? "but what was surveyed " : "", surveyed ? "the other " : "", kFarDistance));
    return;
  }
  std::vector<double> parallax;
  int far = 0, kept = 0;
  for (const SolvedTrack& track : solution.tracks) {
    if (track.state != TrackState::Kept) continue;
    ++kept;
    far += track.at_infinity;
    if (!std::isnan(track.parallax_rad)) parallax.push_back(track.parallax_rad);
  }
  constexpr double kThinParallaxRad = 0.0175;
  if (median(std::move(parallax)) < kThinParallaxRad)  // false when there is none
    warnings.push_back("Half of the points have less than 1° of parallax: depth is weak. A longer move would help.");
  if (10 * far > kept) warnings.push_back(fmt::format("{} of {} tracks show no parallax: they hold the camera's rotation and have no depth.", far, kept));
}

void aboutLens(const SolveOptions& options, const Solution& solution, Warnings& warnings) {
  const Lens& lens = solution.lens();
  const double off_centre = Vec2(lens.cx_px - 0.5 * lens.width, lens.cy_px - 0.5 * lens.height).norm() / lens.width;
  if (off_centre > 0.04 || !lens.coversPicture()) {
    warnings.push_back(
        "The lens came out unlikely (its axis far off the picture's middle, or distortion that folds over): the focal length may change during the shot. "
        "Solve it as a zoom.");
  }
  const double sigma = solution.cameras.front().sigma[0];
  if (sigma > 0.01 * lens.focal_px && options.focal != FocalKnowledge::Locked) {
    warnings.push_back(
        fmt::format("Focal length and distance trade off: the focal length is known to ±{:.1f} %. A longer move, a turn of the camera, or the focal "
                    "length would fix it.",
                    100 * sigma / lens.focal_px));
  }
}
}  // namespace

void addWarnings(const TrackSet& tracks, const SolveOptions& options, Solution& solution) {
  Warnings& warnings = solution.summary.warnings;
  aboutStretches(solution, warnings);
  aboutFrames(tracks, solution, warnings);
  aboutMovers(solution, warnings);
  aboutDepth(solution, warnings);
  aboutLens(options, solution, warnings);
  if (solution.holdout_rms_px > 1.3 * solution.rms_px) {
    warnings.push_back(
        fmt::format("The holdout error ({:.2f} px) is well above the RMS ({:.2f} px): the solve fits its own tracks better than the set. Look at the "
                    "worst tracks, or release less of the lens.",
                    solution.holdout_rms_px, solution.rms_px));
  }
}
}  // namespace dusky
