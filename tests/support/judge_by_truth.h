#pragma once
#include "core/deliver/compare.h"
#include "core/deliver/delivery.h"
#include "tests/support/shot_maker.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

/// A solve of a made-up shot against its truth, by way of the report, as `moth compare` does it.
inline Result<Comparison> judgeByTruth(const MadeShot& shot, const Solution& solution) {
  const auto scene = orientScene(solution, {});
  if (!scene.ok()) return scene.error();
  const auto report = parseShotRecord(reportJson({shot.info(), solution, *scene, {}, {}}), "report");
  if (!report.ok()) return report.error();
  const auto truth = parseShotRecord(shot.truthJson(), "truth");
  if (!truth.ok()) return truth.error();
  return compareShots(*report, *truth);
}

/// The same for a shot without pictures: its points count in the frames that saw them.
inline Result<Comparison> judgeByTruth(const SyntheticShot& shot, const Solution& solution) {
  ShotRecord truth{.width = shot.plan.lens.width, .height = shot.plan.lens.height, .frames = {}, .points = {}, .frames_expected = shot.plan.frames};
  ShotRecord solved = truth;
  for (int i = 0; i < shot.plan.frames; ++i) {
    Lens lens = shot.plan.lens;
    if (shot.plan.focal_px) lens.focal_px = shot.plan.focal_px(i);
    truth.frames[shot.plan.first_frame + i] = {shot.poses[static_cast<std::size_t>(i)], lens};
  }
  for (const SolvedFrame& frame : solution.frames) {
    if (frame.placed) solved.frames[frame.frame] = {frame.pose, solution.lensAt(frame)};
  }
  for (const Track& track : shot.tracks.tracks) {
    const auto index = static_cast<std::size_t>(track.id - 1);
    if (shot.outlier[index]) continue;
    truth.points.push_back({shot.points[index], {}});
    for (const Observation& o : track.observations) truth.points.back().visible.push_back(o.frame);
  }
  return compareShots(solved, truth);
}

}  // namespace dusky::testing
