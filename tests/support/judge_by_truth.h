#pragma once
#include "core/deliver/compare.h"
#include "core/deliver/delivery.h"
#include "tests/support/shot_maker.h"

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

}  // namespace dusky::testing
