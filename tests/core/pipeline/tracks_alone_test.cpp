// Tracks without footage, and tracks brought in beside those that were followed.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/atomic_file.h"
#include "core/pipeline/workspace.h"
#include "core/project/edits.h"
#include "core/track/track_files.h"
#include "tests/support/shot_maker.h"
#include "tests/support/synthetic_shot.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using ::testing::HasSubstr;

class TracksAlone : public ::testing::Test {
 protected:
  void SetUp() override {
    shot = makeSyntheticShot({.frames = 20, .points = 180, .first_frame = 0, .noise_px = 0.2});
    ASSERT_TRUE(writeFileAtomically(folder / "walk.json", tracksToJson(shot.tracks)).ok());
    ASSERT_TRUE(writeFileAtomically(folder / "walk.csv", tracksToCsv(shot.tracks)).ok());
  }
  static void track(Workspace& w) {
    const std::string key = tracksKey(w.document(), w.footage());
    const auto tracks = runTracks(w.document(), {});
    ASSERT_TRUE(tracks.ok()) << tracks.error().message;
    w.takeTracks(*tracks, key);
  }
  static void solve(Workspace& w) {
    const auto solved = runSolve(w.document(), w.footage(), *w.tracks(), {});
    ASSERT_TRUE(solved.ok()) << solved.error().message;
    w.takeSolution(*solved, solveKeys(w.document(), w.footage(), w.followedKey()));
  }
  TemporaryFolder folder;
  SyntheticShot shot;
};

TEST_F(TracksAlone, AreAShotOfTheirOwn) {
  Workspace w;
  ASSERT_TRUE(w.openFootage((folder / "walk.json").string()).ok());
  EXPECT_THAT(w.status(Step::Footage).line, HasSubstr("20 frames · 1280×720"));
  track(w);
  EXPECT_EQ(w.tracks()->tracks.size(), shot.tracks.tracks.size());
  solve(w);
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);
  EXPECT_EQ(w.solution()->placedFrames(), 20);
  EXPECT_NEAR(w.solution()->lens().focal_px, 1100, 12);
  ASSERT_TRUE(w.saveAs(folder / "walk.moth").ok() && w.flush().ok());
  Workspace again;
  std::string warning;
  ASSERT_TRUE(again.openProject(folder / "walk.moth", &warning).ok());
  EXPECT_EQ(warning, "");
  EXPECT_EQ(again.status(Step::Solve).state, StepState::Current);
}

TEST_F(TracksAlone, ATableNeedsTheSizeAndTakesRateAndRange) {
  Workspace w;
  EXPECT_THAT(w.openFootage((folder / "walk.csv").string()).error().message, HasSubstr("size"));
  ASSERT_TRUE(w.openFootage((folder / "walk.csv").string(), 1280, 720).ok());
  ASSERT_TRUE(w.run(changeFrameOffset(w.document(), 100)).ok());
  FollowOptions range = w.document().tracking;
  range.first_frame = 104, range.last_frame = 112;
  ASSERT_TRUE(w.run(setMember("Range", &Document::tracking, range)).ok());
  track(w);
  EXPECT_EQ(w.tracks()->first_frame, 104);
  EXPECT_EQ(w.tracks()->last_frame, 112);
  for (const Track& t : w.tracks()->tracks) EXPECT_GE(t.firstFrame(), 104);
}

TEST_F(TracksAlone, AreBroughtInBesideOthersAndTakenBack) {
  ShotPlan plan = planShot(ShotKind::Free);
  plan.frames = 12;
  ASSERT_TRUE(MadeShot(plan).write(folder.path().string(), "quay"));
  Workspace w;
  ASSERT_TRUE(w.openFootage((folder / "quay.0001.png").string()).ok());
  track(w);
  const TrackSetPtr followed = w.tracks();
  TrackSet theirs = *followed;
  theirs.tracks.resize(40);
  ASSERT_TRUE(w.saveAs(folder / "quay.moth").ok());
  ASSERT_TRUE(w.run(importTracks(w.document(), theirs, "roof")).ok());
  ASSERT_EQ(w.tracks()->tracks.size(), followed->tracks.size() + 40);
  const int first = w.tracks()->tracks[followed->tracks.size()].id;
  EXPECT_EQ(first, kFirstImportedId);
  EXPECT_EQ(w.tracks()->find(first)->kind, TrackKind::Imported);
  EXPECT_EQ(w.labelOf(first)->group, "roof");
  EXPECT_EQ(w.nameOf(first), std::to_string(first));
  // One is taken out, one is cut: that makes it a track by hand.
  ASSERT_TRUE(w.run(removeTracks(w.document(), {first}, w.followedKey())).ok());
  EXPECT_EQ(w.tracks()->find(first), nullptr);
  const int long_lived = [&] {
    for (const Track& t : w.tracks()->tracks) {
      if (t.kind == TrackKind::Imported && t.life() == 12) return t.id;
    }
    return 0;
  }();
  ASSERT_NE(long_lived, 0);
  ASSERT_TRUE(w.run(cutTracks(w.document(), {long_lived}, 7, w.followedKey())).ok());
  EXPECT_EQ(w.tracks()->find(long_lived), nullptr);
  ASSERT_EQ(w.document().work.by_hand.size(), 2u);
  EXPECT_EQ(w.tracks()->find(kFirstHandId)->lastFrame(), 6);
  EXPECT_EQ(w.tracks()->find(kFirstHandId + 1)->firstFrame(), 7);
  // The project has it all, at once.
  Workspace again;
  std::string warning;
  ASSERT_TRUE(w.flush().ok() && again.openProject(folder / "quay.moth", &warning).ok());
  EXPECT_EQ(warning, "");
  EXPECT_EQ(again.document(), w.document());
  EXPECT_EQ(again.tracks()->tracks, w.tracks()->tracks);
  for (int i = 0; i < 3; ++i) ASSERT_TRUE(w.undo().ok());
  EXPECT_EQ(w.tracks()->tracks.size(), followed->tracks.size());
  ASSERT_TRUE(w.redo().ok());
  EXPECT_EQ(w.tracks()->tracks.size(), followed->tracks.size() + 40);
}

TEST_F(TracksAlone, ImportedOnesAreSolvedWithoutFollowingAny) {
  Workspace w;
  ASSERT_TRUE(w.openFootage((folder / "walk.json").string()).ok());
  ASSERT_TRUE(w.run(importTracks(w.document(), shot.tracks, "walk")).ok());
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Current);
  EXPECT_THAT(w.status(Step::Tracks).line, HasSubstr("180 imported"));
  solve(w);
  ASSERT_TRUE(w.solution());
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);
  ASSERT_TRUE(w.run(changeFrameOffset(w.document(), 50)).ok());
  EXPECT_EQ(w.tracks()->tracks.front().firstFrame(), 50) << "their numbers move along";
}

}  // namespace dusky::testing
