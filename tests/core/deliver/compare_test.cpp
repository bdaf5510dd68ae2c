#include "core/deliver/compare.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;

ShotRecord truthRecord() {
  const SyntheticShot shot = makeSyntheticShot({.frames = 25, .points = 120});
  ShotRecord record;
  record.width = 1280, record.height = 720, record.frames_expected = 25;
  for (int f = 0; f < 25; ++f) record.frames[f + 1] = {shot.poses[f], shot.plan.lens};
  for (const Vec3& p : shot.points) record.points.push_back({p, {}});
  return record;
}

ShotRecord carried(ShotRecord record, const Similarity& s) {
  for (auto& [number, view] : record.frames) view.pose = s * view.pose;
  return record;
}

TEST(CompareShots, TruthAgainstItselfIsZero) {
  const ShotRecord truth = truthRecord();
  const auto result = compareShots(truth, truth);
  ASSERT_TRUE(result.ok());
  EXPECT_EQ(result->frames_solved, 25);
  EXPECT_LT(result->slip_rms_px, 1e-6);
  EXPECT_LT(result->slip_jitter_px, 1e-6);
  EXPECT_LT(result->centre_rms, 1e-9);
  EXPECT_LT(result->rotation_max_deg, 1e-6);
  EXPECT_LT(result->focal_error_share, 1e-12);
  EXPECT_LT(result->lens_max_px, 1e-9);
  EXPECT_GT(result->slip_samples, 1000);
}

TEST(CompareShots, TheWorldOfTheSolveDoesNotMatter) {
  const ShotRecord truth = truthRecord();
  const auto result = compareShots(carried(truth, {0.013, rotationFromVector(Vec3(1, -2, 0.5)), Vec3(30, 20, -10)}), truth);
  ASSERT_TRUE(result.ok());
  EXPECT_LT(result->slip_rms_px, 1e-4);
  EXPECT_LT(result->centre_rms, 1e-6) << "in the truth's units, not the solve's";
}

TEST(CompareShots, APathThatIsFarOffStillLinesUpBySet) {
  // A zoom that came out as a dolly towards a far set: the path is many times as long as it was, and hardly anything slips.
  SyntheticPlan plan{.frames = 25, .points = 120};
  plan.path = [](int i) { return Pose{Eigen::Quaterniond(0, 1, 0, 0), Vec3(0.002 * i, 1.6, 0)}; };
  plan.set = [](const Vec3& from, const Vec3& ray) { return std::optional<Vec3>(from + (-6 - from.z()) / ray.z() * ray); };
  const SyntheticShot shot = makeSyntheticShot(plan);
  ShotRecord truth;
  truth.width = shot.plan.lens.width, truth.height = shot.plan.lens.height, truth.frames_expected = plan.frames;
  for (int f = 0; f < plan.frames; ++f) truth.frames[f + 1] = {shot.poses[static_cast<std::size_t>(f)], shot.plan.lens};
  for (const Vec3& p : shot.points) truth.points.push_back({p, {}});
  ShotRecord solved = truth;
  for (auto& [frame, view] : solved.frames) {
    const double nearer = 1 - 0.02 * frame;  // of the distance to the set
    view.pose.centre.z() = -6 * (1 - nearer), view.lens.focal_px *= nearer;
  }
  const auto result = compareShots(solved, truth);
  ASSERT_TRUE(result.ok());
  EXPECT_LT(result->slip_rms_px, 1.5);
}

TEST(CompareShots, AShiftedPrincipalPointSlipsByTheShiftOfEveryFrame) {
  // Alternate frames jump by +-1 px: no similarity can take that up, and it is all jitter.
  const ShotRecord truth = truthRecord();
  ShotRecord solved = truth;
  for (auto& [number, view] : solved.frames) view.lens.cx_px += number % 2 ? 1 : -1;
  const auto result = compareShots(solved, truth);
  ASSERT_TRUE(result.ok());
  EXPECT_NEAR(result->slip_rms_px, 1, 0.05);
  EXPECT_NEAR(result->slip_jitter_px, 2, 0.1);
}

TEST(CompareShots, MeasuresFocalAndLensErrors) {
  const ShotRecord truth = truthRecord();
  ShotRecord solved = truth;
  for (auto& [number, view] : solved.frames) view.lens.focal_px *= 1.02;
  const auto result = compareShots(solved, truth);
  EXPECT_NEAR(result->focal_error_share, 0.02, 1e-9);
  // A pixel at radius r moves by 2 % of r; the corner's radius is 734 px.
  EXPECT_NEAR(result->lens_max_px, 0.02 * std::hypot(640, 360), 0.01);
}

TEST(CompareShots, MeasuresCentresAndTurns) {
  const ShotRecord truth = truthRecord();
  ShotRecord solved = truth;
  for (auto& [number, view] : solved.frames) {
    view.pose.centre.y() += number % 2 ? 0.01 : -0.01;
    view.pose.world_from_camera = view.pose.world_from_camera * rotationFromVector(Vec3(0, 0, (number % 2 ? 1 : -1) * 0.1 * M_PI / 180));
  }
  const auto result = compareShots(solved, truth);
  EXPECT_NEAR(result->centre_rms, 0.01, 0.002);
  EXPECT_NEAR(result->rotation_rms_deg, 0.1, 0.02);
  EXPECT_NEAR(result->path_length, 3.0, 0.3);
}

TEST(CompareShots, MissingFramesAreCounted) {
  const ShotRecord truth = truthRecord();
  ShotRecord solved = truth;
  solved.frames.erase(7);
  solved.frames.erase(8);
  const auto result = compareShots(solved, truth);
  EXPECT_EQ(result->frames_solved, 23);
  EXPECT_EQ(result->frames_true, 25);
  EXPECT_THAT(result->text(), HasSubstr("23 of 25"));
  EXPECT_THAT(result->json(), HasSubstr("\"frames_solved\": 23"));
}

TEST(CompareShots, RefusesWhatDoesNotBelongTogether) {
  const ShotRecord truth = truthRecord();
  ShotRecord other = truth, pointless = truth, shifted = truth;
  other.width = 1920;
  EXPECT_THAT(compareShots(other, truth).error().message, HasSubstr("1920×720"));
  pointless.points.clear();
  EXPECT_THAT(compareShots(truth, pointless).error().message, HasSubstr("no static points"));
  shifted.frames.clear();
  for (const auto& [number, view] : truth.frames) shifted.frames[number + 500] = view;
  EXPECT_THAT(compareShots(shifted, truth).error().message, HasSubstr("no frame in common"));
}

TEST(ReadShotRecord, SaysWhatIsWrongWithAFile) {
  EXPECT_THAT(readShotRecord("/nowhere/report.json").error().message, HasSubstr("/nowhere/report.json"));
  EXPECT_THAT(parseShotRecord("not json", "a.json").error().message, HasSubstr("a.json"));
  EXPECT_THAT(parseShotRecord("{\"format\":\"other\"}", "b.json").error().message, HasSubstr("neither a report nor a truth"));
  EXPECT_THAT(parseShotRecord("{\"format\":\"dusky-moth-report\",\"version\":1}", "c.json").error().message, HasSubstr("footage"));
  // A frame number or a size that no number of ours can be was cast all the same, and the rest compared.
  EXPECT_THAT(parseShotRecord("{\"format\":\"dusky-moth-report\",\"version\":1,\"footage\":{\"width\":1e308,\"height\":90,\"first\":1,\"last\":3}}", "d.json")
                  .error()
                  .message,
              HasSubstr("whole number"));
}

}  // namespace dusky::testing
