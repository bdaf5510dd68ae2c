#include "core/project/result_codec.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/random.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;

TEST(ResultCodec, TracksAndSolutionsSurviveTheirBytes) {
  SyntheticShot shot = makeSyntheticShot({.frames = 8, .points = 40, .first_frame = 17, .noise_px = 0.3});
  shot.tracks.summary.warnings = {"a", "b"};
  shot.tracks.tracks[2].stop = StopReason::Drifted;
  const auto tracks = decodeTracks(encode(shot.tracks));
  ASSERT_TRUE(tracks.ok()) << tracks.error().message;
  EXPECT_EQ((*tracks)->tracks, shot.tracks.tracks);
  EXPECT_EQ((*tracks)->first_frame, 17);
  EXPECT_EQ((*tracks)->summary.warnings, shot.tracks.summary.warnings);
  EXPECT_TRUE(std::isnan((*tracks)->summary.total_s));

  Solution solution = perfectSolution(shot);
  solution.frames[3].placed = false;
  solution.tracks[1].state = TrackState::Unplaced;
  solution.tracks[1].reason = AsideReason::NoParallax;
  solution.tracks[1].typical_error_px = kUnknown;
  solution.tracks[2].errors[0].used = false;
  solution.staircase = {{"k1", 0.4, kUnknown, true, 0.6, kUnknown, "holdout falls"}};
  solution.stretches = {{18, 20}};
  solution.motion_why = "because";
  solution.evidence = {.noise_floor_px = 0.2,
                       .explained_share = 0.9,
                       .rival = {.name = "a camera that only rotates", .share = 0.3, .gain = 2, .unknowns = -40, .slip_px = 4, .stays = true},
                       .stability_px = 0.7,
                       .freed_slip_px = 0.3};
  solution.frames[1].focal_px = 1200, solution.frames[1].sigma_focal_px = 3;
  solution.tracks[2].at_infinity = true;
  solution.tracks[5].covariance << 4, 1, 2, 1, 5, 3, 2, 3, 6;
  solution.cameras.front().sigma[3] = kUnknown;
  const auto read = decodeSolution(encode(solution));
  ASSERT_TRUE(read.ok()) << read.error().message;
  EXPECT_EQ(encode(**read), encode(solution));
  EXPECT_FALSE((*read)->frames[3].placed);
  EXPECT_EQ((*read)->tracks[1].reason, AsideReason::NoParallax);
  EXPECT_TRUE(std::isnan((*read)->tracks[1].typical_error_px));
  EXPECT_FALSE((*read)->tracks[2].errors[0].used);
  EXPECT_EQ((*read)->tracks[5].point, solution.tracks[5].point);
  EXPECT_EQ((*read)->tracks[5].covariance, solution.tracks[5].covariance);
  EXPECT_FALSE((*read)->tracks[2].covariance.allFinite());
  EXPECT_EQ((*read)->tracks[5].worst_error_px, solution.tracks[5].worst_error_px);
  EXPECT_EQ((*read)->lens(), solution.lens());
  EXPECT_EQ((*read)->evidence.noise_floor_px, 0.2);
  EXPECT_EQ((*read)->evidence.explained_share, 0.9);
  EXPECT_TRUE(std::isnan((*read)->evidence.focal_sigma_share));
  EXPECT_EQ((*read)->evidence.rival.name, solution.evidence.rival.name);
  EXPECT_EQ((*read)->evidence.rival.share, 0.3);
  EXPECT_EQ((*read)->evidence.rival.slip_px, 4);
  EXPECT_TRUE((*read)->evidence.rival.stays);
  EXPECT_EQ((*read)->evidence.stability_px, 0.7);
  EXPECT_EQ((*read)->evidence.freed_slip_px, 0.3);
  // As earlier versions stored it.
  auto stored = nlohmann::json::from_cbor(encode(solution));
  stored.erase("covariances");
  std::string earlier;
  nlohmann::json::to_cbor(stored, nlohmann::detail::output_adapter<char>(earlier));
  const auto old = decodeSolution(earlier);
  ASSERT_TRUE(old.ok()) << old.error().message;
  EXPECT_FALSE((*old)->tracks[5].covariance.allFinite()) << "not known";
  EXPECT_EQ((*old)->tracks[5].point, solution.tracks[5].point);
}

TEST(ResultCodec, DamagedBytesAreRefusedNotRead) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 5, .points = 20});
  const std::string bytes = encode(shot.tracks);
  EXPECT_FALSE(decodeTracks("").ok());
  EXPECT_FALSE(decodeSolution(bytes).ok()) << "tracks are no solution";
  Random random(1);
  for (int i = 0; i < 60; ++i) (void)decodeTracks(bytes.substr(0, random.index(static_cast<int>(bytes.size()))));  // must not crash
  EXPECT_FALSE(decodeTracks(bytes.substr(0, bytes.size() / 2)).ok());
}

}  // namespace dusky::testing
