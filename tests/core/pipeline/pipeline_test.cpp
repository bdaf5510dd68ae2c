#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/pipeline/workspace.h"
#include "core/project/edits.h"
#include "tests/support/shot_maker.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::HasSubstr;

/// A made-up shot as PNG files, made once for all tests here.
class WorkspaceTest : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder = new TemporaryFolder;
    ShotPlan plan = planShot(ShotKind::Free);
    plan.frames = 16;
    ASSERT_TRUE(MadeShot(plan).write(folder->path().string(), "quay"));
  }
  static void TearDownTestSuite() { delete folder; }

  static std::string footage() { return (*folder / "quay.0001.png").string(); }
  /// Runs both steps on the calling thread, as a job would.
  static void work(Workspace& workspace) {
    const std::string track_key = tracksKey(workspace.document(), workspace.footage());
    const auto tracks = runTracks(workspace.document(), {});
    ASSERT_TRUE(tracks.ok()) << tracks.error().message;
    ASSERT_TRUE(workspace.takeTracks(*tracks, track_key).ok());
    const std::string solve_key = solveKey(workspace.document(), workspace.footage());
    const auto solved = runSolve(workspace.document(), **tracks, {});
    ASSERT_TRUE(solved.ok()) << solved.error().message;
    ASSERT_TRUE(workspace.takeSolution(*solved, solve_key).ok());
  }
  static FollowOptions fewer(const Workspace& workspace) {
    FollowOptions options = workspace.document().tracking;
    options.features = 250;
    return options;
  }

  static TemporaryFolder* folder;
};
TemporaryFolder* WorkspaceTest::folder = nullptr;

TEST_F(WorkspaceTest, StepsSayWhatIsStaleAndEarlierSettingsFindTheirResults) {
  Workspace w;
  EXPECT_EQ(w.status(Step::Footage).state, StepState::NotRun);
  ASSERT_TRUE(w.openFootage(footage()).ok());
  EXPECT_THAT(w.status(Step::Footage).line, HasSubstr("16 frames · 640×360"));
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::NotRun);
  work(w);
  const SolutionPtr solved = w.solution();
  for (Step step : {Step::Tracks, Step::Solve, Step::Scene}) EXPECT_EQ(w.status(step).state, StepState::Current);

  ASSERT_TRUE(w.run(setMember("Features", &Document::tracking, fewer(w))).ok());
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Stale);
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Stale);
  EXPECT_THAT(w.status(Step::Solve).line, HasSubstr("tracks"));
  work(w);
  EXPECT_NE(w.solution(), solved);
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);

  ASSERT_TRUE(w.undo().ok());
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Current) << "the earlier result is there at once";
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);
  EXPECT_EQ(w.solution(), solved);

  ASSERT_TRUE(w.run(setAside(w.document(), {solved->tracks[0].id})).ok());
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Current);
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Stale);
}

TEST_F(WorkspaceTest, ASolveIsNeverShownWithOtherTracks) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  work(w);
  const SolutionPtr solved = w.solution();
  ASSERT_TRUE(w.run(setMember("Features", &Document::tracking, fewer(w))).ok());
  EXPECT_EQ(w.solution(), solved) << "settings alone change no track";
  const auto tracks = runTracks(w.document(), {});
  ASSERT_TRUE(w.takeTracks(*tracks, tracksKey(w.document(), w.footage())).ok());
  EXPECT_EQ(w.solution(), nullptr) << "its ids mean other tracks now";
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Stale);
  EXPECT_FALSE(w.deliveryJob().ok());
  ASSERT_TRUE(w.undo().ok());
  EXPECT_EQ(w.solution(), solved);
  ASSERT_TRUE(w.redo().ok());
  EXPECT_EQ(w.solution(), nullptr);
  EXPECT_EQ(w.tracks(), *tracks);
}

TEST_F(WorkspaceTest, PicksForTheSceneDoNotTouchTheSolve) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  work(w);
  std::vector<int> ids;
  for (const SolvedTrack& t : w.solution()->tracks) {
    if (t.state == TrackState::Kept && ids.size() < 4) ids.push_back(t.id);
  }
  ASSERT_TRUE(w.run(useAsLength(w.document(), ids[0], ids[1], 2)).ok());
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);
  const auto scene = w.scene();
  ASSERT_TRUE(scene.ok());
  EXPECT_TRUE(scene->metric);
  EXPECT_NEAR(scene->scene_from_solve.scale * (w.solution()->find(ids[0])->point - w.solution()->find(ids[1])->point).norm(), 2, 1e-9);
}

TEST_F(WorkspaceTest, AProjectReopensWithItsResults) {
  const TemporaryFolder out;
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  work(w);
  ASSERT_TRUE(w.saveAs(out / "shot.moth").ok());
  ASSERT_TRUE(w.run(pinTracks(w.document(), {w.solution()->tracks[1].id}, true)).ok());  // saved as it is made

  Workspace again;
  std::string warning;
  ASSERT_TRUE(again.openProject(out / "shot.moth", &warning).ok());
  EXPECT_EQ(warning, "");
  EXPECT_EQ(again.document(), w.document());
  ASSERT_TRUE(again.solution() && again.tracks());
  EXPECT_EQ(again.tracks()->tracks, w.tracks()->tracks);
  EXPECT_EQ(again.solution()->rms_px, w.solution()->rms_px);
  EXPECT_EQ(again.status(Step::Solve).state, StepState::Current);
}

TEST_F(WorkspaceTest, AProjectWhoseFootageIsGoneOpensAndSaysSo) {
  const TemporaryFolder out;
  fs::copy(folder->path(), out / "moved", fs::copy_options::recursive);
  Workspace w;
  ASSERT_TRUE(w.openFootage((out / "moved" / "quay.0001.png").string()).ok());
  ASSERT_TRUE(w.saveAs(out / "shot.moth").ok());
  fs::remove_all(out / "moved");
  Workspace again;
  std::string warning;
  ASSERT_TRUE(again.openProject(out / "shot.moth", &warning).ok());
  EXPECT_THAT(warning, HasSubstr("quay.0001.png"));
}

TEST_F(WorkspaceTest, AFailedOpenLeavesTheShotAsItWas) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  EXPECT_FALSE(w.openFootage("/nowhere.mp4").ok());
  EXPECT_EQ(w.document().footage_path, footage());
  EXPECT_FALSE(w.openProject("/nowhere.moth").ok());
  EXPECT_TRUE(w.hasFootage());
}

TEST_F(WorkspaceTest, DeliversOnlyWhatIsSolved) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  EXPECT_THAT(w.deliveryJob().error().message, HasSubstr("no solved camera"));
  work(w);
  const TemporaryFolder out;
  const auto job = w.deliveryJob(12.5);
  ASSERT_TRUE(job.ok());
  EXPECT_EQ(job->timings.total_s, 12.5);
  EXPECT_GT(job->timings.track_s, 0);
  const auto files = job->run({.folder = out.path()}, {});
  ASSERT_TRUE(files.ok());
  EXPECT_EQ(files->size(), 4u);
}

TEST_F(WorkspaceTest, KeysCountWhatChangesAResultAndNothingElse) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  const Document base = w.document();
  const auto keys = [&](const std::function<void(Document&)>& change) {
    Document d = base;
    change(d);
    return std::pair{tracksKey(d, w.footage()) != tracksKey(base, w.footage()), solveKey(d, w.footage()) != solveKey(base, w.footage())};
  };
  using Changed = std::pair<bool, bool>;
  EXPECT_EQ(keys([](Document& d) { d.tracking.min_strength = 9; }), Changed(true, true));
  EXPECT_EQ(keys([](Document& d) { d.lens.distortion = false; }), Changed(false, true));
  EXPECT_EQ(keys([](Document& d) { d.set_aside = {4}; }), Changed(false, true));
  EXPECT_EQ(keys([](Document& d) { d.seed = 5; }), Changed(false, true));
  EXPECT_EQ(keys([](Document& d) { d.lens.focal_mm = 99; }), Changed(false, false)) << "not read while the focal length is unknown";
  EXPECT_EQ(keys([](Document& d) { d.scene.origin = 3; }), Changed(false, false));
  EXPECT_EQ(keys([](Document& d) { d.delivery.folder = "/x"; }), Changed(false, false));
}

TEST(Steps, MillimetresBecomePixelsByTheSensorsWidth) {
  Document d;
  d.lens = {FocalKnowledge::Near, 30, 24, true};
  EXPECT_DOUBLE_EQ(solveOptionsOf(d, 1920).focal_px, 2400);
  d.footage_path = "/shots/quay.mp4";
  EXPECT_EQ(defaultDeliveryFolder(d), "/shots/quay-delivery");
  d.delivery.folder = "/elsewhere";
  EXPECT_EQ(deliveryOptionsOf(d).folder, "/elsewhere");
}

}  // namespace dusky::testing
