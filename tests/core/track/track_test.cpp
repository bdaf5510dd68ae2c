#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

#include <cmath>

#include "core/base/random.h"
#include "core/geometry/triangulation.h"
#include "core/track/follow_features.h"
#include "core/track/patch.h"
#include "core/track/reference.h"
#include "core/track/track_files.h"
#include "tests/support/shot_maker.h"

namespace dusky::testing {
using ::testing::HasSubstr;

/// A picture made of the shot maker's texture, moved by an affine map about its middle: place in it = map * place in the first.
struct Moved {
  Eigen::Matrix2d matrix = Eigen::Matrix2d::Identity();
  Vec2 shift = Vec2::Zero();
  double gain = 1, bias = 0;
};

constexpr int kSize = 160;

FloatPlane texturePicture(const Moved& moved = {}) {
  const Eigen::Matrix2d back = moved.matrix.inverse();
  const Vec2 middle(kSize / 2.0, kSize / 2.0);
  FloatPlane plane(kSize, kSize);
  for (int y = 0; y < kSize; ++y) {
    for (int x = 0; x < kSize; ++x) {
      const Vec2 at = back * (Vec2(x + 0.5, y + 0.5) - middle - moved.shift) + middle;
      plane.at(x, y) = static_cast<float>(moved.gain * 220 * texture(Vec3(at.x() / 55, at.y() / 55, 0.3), 4) + moved.bias);
    }
  }
  return plane;
}

Eigen::Vector2f middle() { return {kSize / 2.0f, kSize / 2.0f}; }

TEST(Patch, FindsAShiftToAFiftiethOfAPixel) {
  const Patch patch(texturePicture(), middle(), 10);
  ASSERT_TRUE(patch.usable());
  for (const Vec2& shift : {Vec2(0.5, 0.25), Vec2(-1.7, 1.1), Vec2(2.3, -2.6)}) {
    const PatchMatch match = patch.align(texturePicture({.shift = shift}), middle(), 30);
    EXPECT_TRUE(match.settled);
    EXPECT_GT(match.likeness, 0.999f);
    EXPECT_LT((match.centre.cast<double>() - Vec2(80, 80) - shift).norm(), 0.02) << shift.transpose();
  }
}

TEST(Patch, IsNotUsableWithoutTextureOrRoom) {
  EXPECT_FALSE(Patch(FloatPlane(100, 100, 7.0f), {50, 50}, 8).usable());
  FloatPlane edge(100, 100);
  for (int y = 0; y < 100; ++y) {
    for (int x = 50; x < 100; ++x) edge.at(x, y) = 100;
  }
  EXPECT_FALSE(Patch(edge, {50, 50}, 8).usable()) << "a straight edge fixes one direction only";
  EXPECT_FALSE(Patch(texturePicture(), {6, 80}, 8).usable());
}

TEST(Patch, SaysSoWhenItLeavesThePicture) {
  const Patch patch(texturePicture(), middle(), 10);
  EXPECT_LT(patch.align(texturePicture(), {4, 80}, 10).likeness, -0.5f);
}

TEST(Reference, GainAndBiasOfTheLightDoNotMoveIt) {
  Reference reference(texturePicture(), middle(), 10);
  const Vec2 shift(0.8, -0.6);
  const ReferenceMatch match = reference.align(texturePicture({.shift = shift, .gain = 0.55, .bias = 60}), middle(), Eigen::Matrix2f::Identity());
  EXPECT_GT(match.likeness, 0.999f);
  EXPECT_LT((match.centre.cast<double>() - Vec2(80, 80) - shift).norm(), 0.015);
}

TEST(Reference, FollowsTurnScaleAndShear) {
  Reference reference(texturePicture(), middle(), 12);
  Moved moved;
  moved.matrix = 1.12 * Eigen::Rotation2Dd(0.12).toRotationMatrix();
  moved.matrix(0, 1) += 0.05;
  moved.shift = Vec2(0.7, -0.4);
  const ReferenceMatch match = reference.align(texturePicture(moved), middle(), Eigen::Matrix2f::Identity());
  EXPECT_TRUE(match.settled);
  EXPECT_GT(match.likeness, 0.99f);
  EXPECT_LT((match.centre.cast<double>() - Vec2(80, 80) - moved.shift).norm(), 0.02);
  EXPECT_LT((match.shape.cast<double>() - moved.matrix).norm(), 0.01);
}

TEST(Reference, IsFoundAgainFromAKnownShapeAndKeepsItsPlace) {
  // A turn of forty degrees in small steps, as a track sees it; the place must not wander.
  Reference reference(texturePicture(), middle(), 12);
  ReferenceMatch match{middle(), Eigen::Matrix2f::Identity()};
  for (int step = 1; step <= 20; ++step) {
    Moved moved;
    moved.matrix = (1 + 0.015 * step) * Eigen::Rotation2Dd(0.035 * step).toRotationMatrix();
    match = reference.align(texturePicture(moved), match.centre, match.shape);
    ASSERT_GT(match.likeness, 0.98f) << step;
    EXPECT_LT((match.centre.cast<double>() - Vec2(80, 80)).norm(), 0.02) << step;
  }
}

TEST(Reference, ItsDeviationIsThatOfTheErrors) {
  Random random(4);
  double squares = 0, claimed = 0;
  constexpr int kTrials = 200;
  Reference reference(texturePicture(), middle(), 10);
  for (int trial = 0; trial < kTrials; ++trial) {
    FloatPlane noisy = texturePicture();
    for (float& v : noisy.data) v += static_cast<float>(6 * random.normal());
    const ReferenceMatch match = reference.align(noisy, middle(), Eigen::Matrix2f::Identity());
    squares += (match.centre.cast<double>() - Vec2(80, 80)).squaredNorm() / 2;
    claimed += match.sigma_px / kTrials;
  }
  const double error = std::sqrt(squares / kTrials);
  // It speaks of the worse direction and takes neighbours for alike, so it may be larger, never much smaller.
  EXPECT_GT(claimed, 0.8 * error);
  EXPECT_LT(claimed, 5 * error);
}

TEST(Reference, ThatIsNotUsableFindsNothing) {
  Reference none(FloatPlane(100, 100, 7.0f), {50, 50}, 8);
  EXPECT_EQ(none.align(texturePicture(), middle(), Eigen::Matrix2f::Identity()).likeness, -1);
}

TEST(Reference, IsNotUsableWithoutTextureOrRoom) {
  EXPECT_FALSE(Reference(FloatPlane(100, 100, 7.0f), {50, 50}, 8).usable());
  EXPECT_FALSE(Reference(texturePicture(), {6, 80}, 8).usable());
  Reference reference(texturePicture(), middle(), 10);
  EXPECT_LT(reference.align(texturePicture(), {4, 80}, Eigen::Matrix2f::Identity()).likeness, -0.5f);
}

TEST(DetectFeatures, FindsTheCornersOfAChessboardToAQuarterPixel) {
  FloatPlane board(200, 200);
  for (int y = 0; y < 200; ++y) {
    for (int x = 0; x < 200; ++x) board.at(x, y) = ((x / 40 + y / 40) % 2) ? 200.0f : 30.0f;
  }
  const auto features = detectFeatures(buildPyramid(board, 1), {}, {.count = 100, .sizes = {.coarse = false}});
  ASSERT_GE(features.size(), 16u);
  int on_corner = 0;
  for (const Feature& f : features) {
    const Vec2 nearest(40 * std::round(f.position.x() / 40), 40 * std::round(f.position.y() / 40));
    on_corner += (f.position - nearest).norm() < 0.25;
  }
  EXPECT_EQ(on_corner, 16) << "all inner corners";
}

TEST(DetectFeatures, SpreadsKeepsDistanceAndRespectsWhatIsTaken) {
  MadeShot shot(planShot(ShotKind::Still));
  const Pyramid pyramid = buildPyramid(shot.read(1)->luma, 3);
  const std::vector<Vec2> taken = {{100, 100}, {320, 250}};
  const DetectOptions options{.count = 300, .min_distance_px = 12};
  const auto features = detectFeatures(pyramid, taken, options);
  ASSERT_GT(features.size(), 120u);
  int quarters[4] = {};
  for (std::size_t i = 0; i < features.size(); ++i) {
    ++quarters[(features[i].position.x() > 320) + 2 * (features[i].position.y() > 180)];
    for (std::size_t j = 0; j < i; ++j) EXPECT_GE((features[i].position - features[j].position).norm(), 12);
    for (const Vec2& t : taken) EXPECT_GE((features[i].position - t).norm(), 12);
    if (i > 0) EXPECT_LE(features[i].strength, features[i - 1].strength);
  }
  for (int quarter : quarters) EXPECT_GT(quarter, 15) << "no empty quarter of the picture";
  EXPECT_TRUE(detectFeatures(buildPyramid(FloatPlane(200, 200, 90.0f), 2), {}, options).empty());
}

/// How well each track fits one still place of the set, seen by the true cameras.
struct Drift {
  double rms_px = 0;  ///< Of the tracks that fit.
  int observations = 0, bad_tracks = 0, tracks = 0;
};

Drift measureDrift(MadeShot& shot, const TrackSet& tracks) {
  Drift drift;
  double squares = 0;
  for (const Track& track : tracks.tracks) {
    std::vector<Sighting> sightings;
    for (const Observation& o : track.observations) {
      const int f = o.frame - shot.info().first;
      sightings.push_back({shot.truth().poses[f], *shot.truth().lenses[f].ray(o.position)});
    }
    const auto place = triangulate(sightings);
    if (!place) continue;
    ++drift.tracks;
    double worst = 0, sum = 0;
    for (const Observation& o : track.observations) {
      const int f = o.frame - shot.info().first;
      const auto at = project(shot.truth().lenses[f], shot.truth().poses[f], place->point);
      const double error = at ? (*at - o.position).norm() : 1e9;
      worst = std::max(worst, error);
      sum += error * error;
    }
    if (worst > 1)
      ++drift.bad_tracks;
    else
      squares += sum, drift.observations += track.life();
  }
  drift.rms_px = std::sqrt(squares / drift.observations);
  return drift;
}

TEST(FollowFeatures, StaysOnTheSet) {
  MadeShot shot(planShot(ShotKind::Free));
  const auto tracks = followFeatures(shot, {}, {});
  ASSERT_TRUE(tracks.ok()) << tracks.error().message;
  const Drift drift = measureDrift(shot, **tracks);
  EXPECT_GT(drift.tracks, 600);
  // 640x360, noise of one grey level, 30 frames. What does not fit follows where one edge passes behind another; the solve sorts it out.
  EXPECT_LT(drift.rms_px, 0.12);
  EXPECT_LT(drift.bad_tracks, 0.05 * drift.tracks);
  EXPECT_GT((*tracks)->medianLife(), 10);
}

TEST(FollowFeatures, CoversThePictureInEveryFrame) {
  MadeShot shot(planShot(ShotKind::Orbit));
  const auto tracks = followFeatures(shot, {}, {});
  ASSERT_TRUE(tracks.ok());
  for (int frame = (*tracks)->first_frame; frame <= (*tracks)->last_frame; ++frame) {
    int cells[4][3] = {};
    for (const Track& track : (*tracks)->tracks) {
      if (const Observation* o = track.at(frame))
        ++cells[std::min(3, static_cast<int>(o->position.x() / 160))][std::min(2, static_cast<int>(o->position.y() / 120))];
    }
    for (int i = 0; i < 4; ++i) {
      for (int j = 1; j < 3; ++j) EXPECT_GE(cells[i][j], 3) << "frame " << frame << " cell " << i << "," << j;  // the top row may be sky
    }
  }
}

TEST(FollowFeatures, IsTheSameWithOneThreadAndWithTwo) {
  ShotPlan plan = planShot(ShotKind::Dolly);
  plan.frames = 10;
  MadeShot shot(plan);
  const auto both = followFeatures(shot, {.features = 200}, {});
  const oneapi::tbb::global_control one_thread(oneapi::tbb::global_control::max_allowed_parallelism, 1);
  const auto one = followFeatures(shot, {.features = 200}, {});
  ASSERT_TRUE(both.ok() && one.ok());
  EXPECT_EQ((*both)->tracks, (*one)->tracks);
}

TEST(FollowFeatures, RangeSummaryAndPartialResults) {
  ShotPlan plan = planShot(ShotKind::Free);
  plan.frames = 12;
  plan.first_frame = 101;
  MadeShot shot(plan);
  std::vector<double> fractions;
  const Progress progress([&](const ProgressState& s) { fractions.push_back(s.fraction); }, {});
  const auto tracks = followFeatures(shot, {.first_frame = 103, .last_frame = 110, .features = 150}, progress);
  ASSERT_TRUE(tracks.ok());
  EXPECT_EQ((*tracks)->first_frame, 103);
  EXPECT_EQ((*tracks)->summary.frames, 8);
  EXPECT_EQ((*tracks)->summary.termination, Termination::Settled);
  EXPECT_EQ((*tracks)->summary.found, static_cast<int>((*tracks)->tracks.size()) + (*tracks)->summary.too_short + (*tracks)->summary.rejoined);
  EXPECT_GE(fractions.size(), 8u);
  EXPECT_TRUE(std::is_sorted(fractions.begin(), fractions.end()));
  for (const Track& track : (*tracks)->tracks) {
    EXPECT_GE(track.life(), 4);
    EXPECT_GE(track.firstFrame(), 103);
    EXPECT_LE(track.lastFrame(), 110);
  }
}

TEST(FollowFeatures, CancelKeepsWhatIsThere) {
  MadeShot shot(planShot(ShotKind::Free));
  std::stop_source source;
  const Progress progress(
      [&](const ProgressState& s) {
        if (s.fraction > 0.3) source.request_stop();
      },
      source.get_token());
  const auto tracks = followFeatures(shot, {.features = 100}, progress);
  ASSERT_TRUE(tracks.ok());
  EXPECT_EQ((*tracks)->summary.termination, Termination::Cancelled);
  EXPECT_LT((*tracks)->summary.frames, 20);
  EXPECT_GT((*tracks)->tracks.size(), 10u);
}

TEST(FollowFeatures, RefusesOptionsByName) {
  MadeShot shot([] {
    ShotPlan plan = planShot(ShotKind::Still);
    plan.frames = 3;
    return plan;
  }());
  const auto message = [&](const FollowOptions& options) {
    const auto tracks = followFeatures(shot, options, {});
    return tracks.ok() ? std::string() : tracks.error().message;
  };
  EXPECT_THAT(message({.features = 5}), HasSubstr("Features at one time must be 20 to 20000, not 5"));
  EXPECT_THAT(message({.min_strength = -1}), HasSubstr("Corner strength"));
  EXPECT_THAT(message({.patch_radius = 1}), HasSubstr("Patch radius"));
  EXPECT_THAT(message({.max_return_px = 0}), HasSubstr("Forward–backward"));
  EXPECT_THAT(message({.first_frame = 2, .last_frame = 9}), HasSubstr("2–9"));
}

TEST(TrackSet, LooksUpTracksAndObservations) {
  TrackSet set;
  set.tracks = {{.id = 3, .observations = {{5, Vec2(1, 2)}, {6, Vec2(2, 2)}, {8, Vec2(3, 2)}}}, {.id = 9, .observations = {{7, Vec2(0, 0)}}}};
  ASSERT_NE(set.find(9), nullptr);
  EXPECT_EQ(set.find(4), nullptr);
  EXPECT_EQ(set.find(3)->at(7), nullptr);
  EXPECT_EQ(set.find(3)->at(8)->position.x(), 3);
  EXPECT_EQ(TrackSet().medianLife(), 0);
  for (auto reason : {StopReason::EndOfFootage, StopReason::LeftPicture, StopReason::Lost, StopReason::Drifted, StopReason::Masked, StopReason::Ambiguous})
    EXPECT_FALSE(describe(reason).empty());
}

TrackSet threeTracks() {
  TrackSet set;
  set.width = 640, set.height = 360, set.first_frame = 998, set.last_frame = 1004;
  set.used_frames = {998, 1000, 1002, 1004};
  set.tracks = {{.id = 3,
                 .color = {1, 200, 30},
                 .stop = StopReason::Masked,
                 .start = StopReason::LeftPicture,
                 .born_frame = 1000,
                 .size = FeatureSize::Coarse,
                 .observations = {{998, Vec2(1.25, 2.5)}, {1000, Vec2(100.123456, 200.654321)}}},
                {.id = 9, .born_frame = 1002, .observations = {{1002, Vec2(-3, 0)}, {1004, Vec2(639.5, 359.5)}}}};
  return set;
}

TEST(TrackFiles, JsonReadsBackWhole) {
  const TrackSet set = threeTracks();
  const auto back = tracksFromJson(tracksToJson(set));
  ASSERT_TRUE(back.ok()) << back.error().message;
  EXPECT_EQ(back->tracks, set.tracks);
  EXPECT_EQ(back->used_frames, set.used_frames);
  EXPECT_EQ(back->width, 640);
  EXPECT_EQ(back->first_frame, 998);
}

TEST(TrackFiles, CsvReadsThePlacesBackInAnyOrder) {
  const TrackSet set = threeTracks();
  const auto back = tracksFromCsv(tracksToCsv(set));
  ASSERT_TRUE(back.ok()) << back.error().message;
  ASSERT_EQ(back->tracks.size(), 2u);
  for (std::size_t i = 0; i < 2; ++i) {
    EXPECT_EQ(back->tracks[i].id, set.tracks[i].id);
    EXPECT_EQ(back->tracks[i].observations, set.tracks[i].observations);
  }
  const auto mixed = tracksFromCsv("9,7,1,2\r\n3,5,4,4\n9,6,1,1\n");
  ASSERT_TRUE(mixed.ok());
  EXPECT_EQ(mixed->tracks[1].observations.front().frame, 6);
  EXPECT_EQ(mixed->last_frame, 7);
}

TEST(TrackFiles, SayWhatIsWrong) {
  const auto why = [](const Result<TrackSet>& read) { return read.ok() ? std::string() : read.error().message; };
  EXPECT_THAT(why(tracksFromCsv("track,frame,x_px,y_px\n1,2,3,four\n")), HasSubstr("Line 2"));
  EXPECT_THAT(why(tracksFromCsv("1,2,3,4,5\n")), HasSubstr("Line 1"));
  EXPECT_THAT(why(tracksFromCsv("1,2,3,nan\n")), HasSubstr("Line 1"));
  EXPECT_THAT(why(tracksFromCsv("1,2,3,4\n1,2,5,6\n")), HasSubstr("Track 1 is twice in frame 2"));
  EXPECT_THAT(why(tracksFromCsv("")), HasSubstr("no tracks"));
  EXPECT_THAT(why(tracksFromJson("{}")), HasSubstr("cannot be read"));
  EXPECT_THAT(why(tracksFromJson("not json")), HasSubstr("cannot be read"));
  std::string text = tracksToJson(threeTracks());
  text.replace(text.find("coarse"), 6, "colossal");
  EXPECT_THAT(why(tracksFromJson(text)), HasSubstr("colossal"));
}

}  // namespace dusky::testing
