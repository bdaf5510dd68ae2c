// A result stood under a key that was not its own: a solve that finished after an undo was taken for one of the tracks of now, and one that was carried on
// for a fresh one. And every edit looked at each file of the footage.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/pipeline/workspace.h"
#include "core/project/edits.h"
#include "tests/support/shot_maker.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;

class KeysOfResults : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder = new TemporaryFolder;
    ShotPlan plan = planShot(ShotKind::Free);
    plan.frames = 12;
    ASSERT_TRUE(MadeShot(plan).write(folder->path().string(), "quay"));
  }
  static void TearDownTestSuite() { delete folder; }
  void SetUp() override { ASSERT_TRUE(w.openFootage((*folder / "quay.0001.png").string()).ok()); }

  void track() {
    const std::string key = tracksKey(w.document(), w.footage());
    const auto tracks = runTracks(w.document(), {});
    ASSERT_TRUE(tracks.ok()) << tracks.error().message;
    w.takeTracks(*tracks, key);
  }
  SolutionPtr solve(const SolutionPtr& from = nullptr) {
    const auto solved = runSolve(w.document(), w.footage(), *w.tracks(), {}, {}, from);
    EXPECT_TRUE(solved.ok()) << solved.error().message;
    return solved.ok() ? *solved : nullptr;
  }
  SolveKeys keys(const std::string& from = {}) const { return solveKeys(w.document(), w.footage(), w.followedKey(), from); }
  void fewerFeatures() {
    FollowOptions fewer = w.document().tracking;
    fewer.features = 250;
    ASSERT_TRUE(w.run(setMember("Features", &Document::tracking, fewer)).ok());
  }

  static TemporaryFolder* folder;
  Workspace w;
};
TemporaryFolder* KeysOfResults::folder = nullptr;

TEST_F(KeysOfResults, ASolveThatEndsAfterAnUndoWaitsForItsOwnTracks) {
  track();
  const TrackSetPtr many = w.tracks();
  fewerFeatures();
  track();
  const SolveKeys asked = keys();
  const SolutionPtr of_few = solve();
  ASSERT_TRUE(of_few);
  ASSERT_TRUE(w.undo().ok());
  ASSERT_EQ(w.tracks(), many);
  w.takeSolution(of_few, asked);
  EXPECT_EQ(w.solution(), nullptr) << "its ids mean other tracks";
  EXPECT_FALSE(w.deliveryJob().ok());
  ASSERT_TRUE(w.redo().ok());
  EXPECT_EQ(w.solution(), of_few) << "it is there when its tracks are";
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);
}

TEST_F(KeysOfResults, ACarriedOnSolveHasAKeyOfItsOwnAndAnswersTheSameQuestion) {
  track();
  const SolutionPtr first = solve();
  w.takeSolution(first, keys());
  const std::string own_of_first = w.solutionKeys().own;
  const SolutionPtr second = solve(first);
  w.takeSolution(second, keys(own_of_first));
  EXPECT_NE(w.solutionKeys().own, own_of_first) << "same key, same result";
  EXPECT_EQ(w.solutionKeys().asked, own_of_first) << "a fresh solve's own key is the question";
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);
  EXPECT_EQ(w.solution(), second);
  // Away and back: the one made last is found, in this session and from the file.
  ASSERT_TRUE(w.run(setAside(w.document(), {first->tracks[0].id})).ok());
  ASSERT_TRUE(w.undo().ok());
  EXPECT_EQ(w.solution(), second);
  const TemporaryFolder out;
  ASSERT_TRUE(w.saveAs(out / "shot.moth").ok());
  ASSERT_TRUE(w.flush().ok());
  Workspace again;
  ASSERT_TRUE(again.openProject(out / "shot.moth").ok());
  ASSERT_TRUE(again.solution());
  EXPECT_EQ(again.solutionKeys(), w.solutionKeys());
  EXPECT_EQ(again.solution()->rms_px, second->rms_px);
  // Solved from nothing once more, the fresh one stands again.
  again.takeSolution(first, {w.followedKey(), own_of_first, own_of_first});
  ASSERT_TRUE(again.flush().ok());
  Workspace third;
  ASSERT_TRUE(third.openProject(out / "shot.moth").ok());
  EXPECT_EQ(third.solutionKeys().own, own_of_first);
}

TEST_F(KeysOfResults, AnEditLooksAtNoFile) {
  const TemporaryFolder copy;
  fs::copy(folder->path(), copy / "shot", fs::copy_options::recursive);
  ASSERT_TRUE(w.openFootage((copy / "shot" / "quay.0001.png").string()).ok());
  track();
  ASSERT_EQ(w.status(Step::Tracks).state, StepState::Current);
  fs::last_write_time(copy / "shot" / "quay.0007.png", fs::file_time_type::clock::now() + std::chrono::seconds(5));
  ASSERT_TRUE(w.run(pinTracks(w.document(), {w.tracks()->tracks[0].id}, true)).ok());
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Current) << "nobody has looked";
  w.takeFilePrints(filePrintsOf(w.document()));
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Stale);
}

TEST_F(KeysOfResults, TheWorldIsWorkedOutOnceForASolveAndItsPicks) {
  track();
  w.takeSolution(solve(), keys());
  const Similarity& before = w.scene()->scene_from_solve;
  (void)w.status(Step::Scene);
  EXPECT_EQ(&w.scene()->scene_from_solve, &before);
  const double scale = before.scale;
  std::vector<int> ids;
  for (const SolvedTrack& t : w.solution()->tracks) {
    if (t.state == TrackState::Kept && ids.size() < 2) ids.push_back(t.id);
  }
  ASSERT_TRUE(w.run(useAsLength(w.document(), ids[0], ids[1], 77)).ok());
  EXPECT_NE(w.scene()->scene_from_solve.scale, scale);
}

}  // namespace dusky::testing
