// Pruning by rules: what goes, what is spared, what it is predicted to do and what it does.
#include "core/review/prune.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/project/document.h"
#include "core/review/reviewed_solve.h"
#include "tests/support/judge_by_truth.h"

namespace dusky::testing {
using ::testing::ElementsAre;
using ::testing::HasSubstr;
using ::testing::IsEmpty;

/// A shot whose solve is perfect but for what a test does to it.
class PruneRulesTest : public ::testing::Test {
 protected:
  PruneRulesTest() : shot(makeSyntheticShot({.frames = 20, .points = 140, .noise_px = 0.2})), solution(perfectSolution(shot)) {
    for (SolvedTrack& track : solution.tracks) track.state = TrackState::Kept;
    rules.frame_floor = rules.cell_floor = 0;
  }
  SolvedTrack& track(int id) {
    return *std::find_if(solution.tracks.begin(), solution.tracks.end(), [id](const SolvedTrack& t) { return t.id == id; });
  }
  /// Moves what a track shows, by frame.
  void shift(int id, const std::function<Vec2(int frame)>& by) {
    for (TrackError& e : track(id).errors) e.reprojected += by(e.frame);
  }
  std::vector<int> going() const { return choosePruning(solution, shot.tracks, rules).tracks; }

  SyntheticShot shot;
  Solution solution;
  PruneRules rules;
};

TEST_F(PruneRulesTest, EachRuleTakesWhatItSays) {
  EXPECT_THAT(going(), IsEmpty()) << "no rule, nothing goes";
  track(5).typical_error_px = 3, track(9).worst_error_px = 20;
  rules.max_typical_px = 2;
  EXPECT_THAT(going(), ElementsAre(5));
  rules.max_worst_px = 15;
  EXPECT_THAT(going(), ElementsAre(5, 9));
  rules = {.frame_floor = 0, .cell_floor = 0};
  track(12).parallax_rad = 0.001;
  rules.min_parallax_deg = 0.1;
  EXPECT_THAT(going(), ElementsAre(12));
  rules = {.frame_floor = 0, .cell_floor = 0};
  track(7).sigma_point = 5, track(8).at_infinity = true, track(8).sigma_point = 5;
  rules.max_depth_sigma_pc = 10;
  EXPECT_THAT(going(), ElementsAre(7)) << "what has no depth has none to be unsure of";
  rules = {.frame_floor = 0, .cell_floor = 0};
  rules.regions = {{10, {Vec2(0, 0), Vec2(640, 0), Vec2(640, 720), Vec2(0, 720)}}};
  const std::vector<int> left = going();
  for (const Track& t : shot.tracks.tracks) {
    const Observation* seen = t.at(10);
    EXPECT_EQ(std::binary_search(left.begin(), left.end(), t.id), seen && seen->position.x() < 640) << t.id;
  }
}

TEST_F(PruneRulesTest, WhatSlidesAndWhatGoesWithItsNeighboursIsTold) {
  shift(20, [](int frame) { return Vec2(0.15 * frame, 0); });
  rules.max_creep_px = 1;
  EXPECT_THAT(going(), ElementsAre(20));
  // A patch of the picture that moves as one: its own errors are no larger than others'.
  const Vec2 middle = shot.tracks.find(40)->at(10)->position;
  std::vector<int> patch;
  for (const Track& t : shot.tracks.tracks) {
    const Observation* seen = t.at(10);
    if (seen && (seen->position - middle).norm() < 110) patch.push_back(t.id);
  }
  ASSERT_GE(patch.size(), 4u);
  for (const int id : patch) shift(id, [](int frame) { return Vec2(frame % 2 ? 0.9 : -0.9, 0); });
  rules = {.frame_floor = 0, .cell_floor = 0};
  rules.max_shared_px = 0.5;
  const std::vector<int> gone = going();
  EXPECT_GE(gone.size(), patch.size() / 2);
  for (const int id : gone) EXPECT_TRUE(std::find(patch.begin(), patch.end(), id) != patch.end()) << id;
}

TEST_F(PruneRulesTest, PinnedOnesStayAndWhereFewAreLeftTheWorstGo) {
  for (SolvedTrack& t : solution.tracks) t.typical_error_px = 1 + 0.01 * t.id;
  rules.max_typical_px = 0.5;
  rules.frame_floor = 40;
  const std::vector<int> pinned = {shot.tracks.tracks.back().id};
  const PruneChoice choice = choosePruning(solution, shot.tracks, rules, pinned);
  EXPECT_FALSE(std::binary_search(choice.tracks.begin(), choice.tracks.end(), pinned[0]));
  EXPECT_FALSE(choice.spared.empty());
  EXPECT_GE(choice.fewest_tracks, 40);
  EXPECT_GT(choice.tracks.back(), choice.spared.front()) << "by how bad they are, not by their number";
  std::map<int, int> left;
  for (const SolvedTrack& t : solution.tracks) {
    if (t.holdout || std::binary_search(choice.tracks.begin(), choice.tracks.end(), t.id)) continue;
    for (const TrackError& e : t.errors) left[e.frame] += e.used;
  }
  for (const auto& [frame, count] : left) EXPECT_GE(count, 40) << frame;
}

TEST_F(PruneRulesTest, BadSightingsOfAGoodTrackGoAlone) {
  const int id =
      std::max_element(solution.tracks.begin(), solution.tracks.end(), [](const SolvedTrack& a, const SolvedTrack& b) { return a.life < b.life; })->id;
  const int first = track(id).errors[3].frame, second = track(id).errors[4].frame;
  for (const std::size_t i : {3u, 4u}) track(id).errors[i].error_px = 6;
  rules.max_sighting_px = 3;
  const PruneChoice choice = choosePruning(solution, shot.tracks, rules);
  EXPECT_THAT(choice.tracks, IsEmpty());
  EXPECT_TRUE(choice.sightings == (std::vector<TrackFrame>{{id, first}, {id, second}})) << choice.sightings.size();
  for (TrackError& e : track(id).errors) e.error_px = 6;
  EXPECT_LE(choosePruning(solution, shot.tracks, rules).sightings.size(), track(id).errors.size() / 2) << "half of a track stays";
  // A solve leaves them out.
  SolveOptions options;
  options.dropped = choice.sightings;
  const auto solved = reviewedSolve(shot.tracks, options, {});
  ASSERT_TRUE(solved.ok());
  for (const TrackError& e : (*solved)->find(id)->errors) EXPECT_EQ(e.used, e.frame != first && e.frame != second) << e.frame;
}

TEST_F(PruneRulesTest, RulesAreReadFromAFileAndWhatIsWrongIsNamed) {
  PruneRules all{.min_life = 5, .max_typical_px = 1.5, .behind = true, .regions = {{7, {Vec2(1, 2), Vec2(3, 4), Vec2(5, 0)}}}, .edge_px = 12};
  const auto read = rulesFromJson(rulesToJson(all));
  ASSERT_TRUE(read.ok()) << read.error().message;
  EXPECT_EQ(*read, all);
  EXPECT_THAT(rulesFromJson(R"({"format":"dusky-moth-rules","version":1,"max_tipical_px":2})").error().message, HasSubstr("max_tipical_px"));
  EXPECT_THAT(rulesFromJson(R"({"format":"dusky-moth-rules","version":1,"max_typical_px":-2})").error().message, HasSubstr("between 0 and 1000"));
  EXPECT_THAT(rulesFromJson(R"({"format":"dusky-moth-rules","version":1,"regions":[{"frame":1,"outline":[[0,0]]}]})").error().message,
              HasSubstr("three corners"));
  EXPECT_FALSE(rulesFromJson("{").ok());
}

SyntheticPlan planWithBadTracks(std::uint64_t seed) {
  return {.frames = 40, .points = 260, .noise_px = 0.25, .outlier_share = 0.05, .life = 24, .seed = seed, .slide_share = 0.2, .slide_px = 2.0};
}

TEST(PrunePrediction, IsWhatTheNextSolveShows) {
  for (std::uint64_t seed = 1; seed <= 5; ++seed) {
    const SyntheticShot shot = makeSyntheticShot(planWithBadTracks(seed));
    const auto before = reviewedSolve(shot.tracks, {}, {});
    ASSERT_TRUE(before.ok());
    PruneRules rules;
    rules.max_typical_px = 1.25 * (*before)->rms_px, rules.max_sighting_px = 2.2 * (*before)->rms_px;
    const PruneChoice choice = choosePruning(**before, shot.tracks, rules);
    ASSERT_GT(choice.tracks.size(), 3u);
    ASSERT_GT(choice.sightings.size(), 10u);
    const SolveOptions fewer = without({}, choice);
    const auto predicted = predictPruning(**before, shot.tracks, fewer, {});
    ASSERT_TRUE(predicted.ok()) << predicted.error().message;
    const auto after = reviewedSolve(shot.tracks, fewer, {}, {}, *before);
    ASSERT_TRUE(after.ok());
    EXPECT_NEAR(predicted->rms_px, (*after)->rms_px, 0.03 * (*after)->rms_px) << "seed " << seed << ", before " << (*before)->rms_px;
    EXPECT_NEAR(predicted->holdout_rms_px, (*after)->holdout_rms_px, 0.1 * (*after)->holdout_rms_px)
        << "seed " << seed << ", before " << (*before)->holdout_rms_px;
    EXPECT_LT((*after)->rms_px, (*before)->rms_px);
    EXPECT_GT(predicted->slip_px, 0);
  }
}

TEST(AutomaticPruning, KeepsWhatIsBestAndNeverACameraThatIsNoBetter) {
  const SyntheticShot shot = makeSyntheticShot(planWithBadTracks(3));
  const auto before = reviewedSolve(shot.tracks, {}, {});
  ASSERT_TRUE(before.ok());
  const auto run = pruneWhileItHelps(*before, shot.tracks, {}, {}, {});
  ASSERT_TRUE(run.ok()) << run.error().message;
  for (std::size_t i = 0; i + 1 < run->rounds.size(); ++i) EXPECT_TRUE(run->rounds[i].better) << "it stops at the first that is not";
  if (run->rounds.empty() || !run->rounds.front().better) {
    EXPECT_EQ(run->best, *before);
    EXPECT_THAT(run->options.set_aside, IsEmpty());
  } else {
    EXPECT_NE(run->best, *before);
  }
  const auto slip_before = judgeByTruth(shot, **before), slip_after = judgeByTruth(shot, *run->best);
  ASSERT_TRUE(slip_before.ok() && slip_after.ok());
  EXPECT_LT(slip_after->slip_rms_px, 1.05 * slip_before->slip_rms_px);
  std::stop_source stop;
  stop.request_stop();
  const auto stopped = pruneWhileItHelps(*before, shot.tracks, {}, {}, Progress({}, stop.get_token()));
  ASSERT_TRUE(stopped.ok());
  EXPECT_EQ(stopped->best, *before);
}

}  // namespace dusky::testing
