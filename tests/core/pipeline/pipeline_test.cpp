#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/media/footage.h"
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
    workspace.takeTracks(*tracks, track_key);
    const SolveKeys keys = solveKeys(workspace.document(), workspace.footage(), track_key);
    const auto solved = runSolve(workspace.document(), workspace.footage(), **tracks, {});
    ASSERT_TRUE(solved.ok()) << solved.error().message;
    workspace.takeSolution(*solved, keys);
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
  ASSERT_TRUE(w.undo().ok());
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);
  ASSERT_TRUE(w.run(weighTracks(w.document(), {solved->tracks[0].id}, 5)).ok());
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Stale) << "other weights, another solve";
}

TEST_F(WorkspaceTest, ASolveIsNeverShownWithOtherTracks) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  work(w);
  const SolutionPtr solved = w.solution();
  ASSERT_TRUE(w.run(setMember("Features", &Document::tracking, fewer(w))).ok());
  EXPECT_EQ(w.solution(), solved) << "settings alone change no track";
  const auto tracks = runTracks(w.document(), {});
  w.takeTracks(*tracks, tracksKey(w.document(), w.footage()));
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
  ASSERT_TRUE(w.saveAs(out / "shot.moth").ok() && w.flush().ok());
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
  ASSERT_TRUE(w.saveAs(out / "shot.moth").ok() && w.flush().ok());
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
  const auto delivered = job->run(out.path(), {}, {});
  ASSERT_TRUE(delivered.ok()) << delivered.error().message;
  EXPECT_EQ(delivered->files.size(), 7u) << "four, and the receipt with its page and picture";
  EXPECT_TRUE(delivered->receipt->passed()) << delivered->receipt->failure();
}

TEST_F(WorkspaceTest, KeysCountWhatChangesAResultAndNothingElse) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  const Document base = w.document();
  const auto keys = [&](const std::function<void(Document&)>& change) {
    Document d = base;
    change(d);
    return std::pair{tracksKey(d, w.footage()) != tracksKey(base, w.footage()),
                     solveKey(d, w.footage(), tracksKey(d, w.footage())) != solveKey(base, w.footage(), tracksKey(base, w.footage()))};
  };
  using Changed = std::pair<bool, bool>;
  EXPECT_EQ(keys([](Document& d) { d.tracking.min_strength = 9; }), Changed(true, true));
  EXPECT_EQ(keys([](Document& d) { d.lens.lens = LensChoice::None; }), Changed(false, true));
  EXPECT_EQ(keys([](Document& d) { d.picks.set_aside = {4}; }), Changed(false, true));
  EXPECT_EQ(keys([](Document& d) { d.seed = 5; }), Changed(false, true));
  EXPECT_EQ(keys([](Document& d) { d.lens.focal_mm = 99; }), Changed(false, false)) << "not read while the focal length is unknown";
  EXPECT_EQ(keys([](Document& d) { d.picks.scene.origin = 3; }), Changed(false, false));
  EXPECT_EQ(keys([](Document& d) { d.delivery.folder = "/x"; }), Changed(false, false));
}

TEST_F(WorkspaceTest, AFileReplacedInItsPlaceMakesTheTracksStale) {
  const TemporaryFolder copy;
  fs::copy(folder->path(), copy / "shot", fs::copy_options::recursive);
  Workspace w;
  ASSERT_TRUE(w.openFootage((copy / "shot" / "quay.0001.png").string()).ok());
  const std::string before = tracksKey(w.document(), w.footage());
  EXPECT_EQ(tracksKey(w.document(), w.footage()), before);
  const auto folder_time = fs::last_write_time(copy / "shot");
  fs::last_write_time(copy / "shot" / "quay.0007.png", fs::file_time_type::clock::now() + std::chrono::seconds(5));
  ASSERT_EQ(fs::last_write_time(copy / "shot"), folder_time);
  EXPECT_NE(tracksKey(w.document(), w.footage()), before);
}

TEST(Steps, MillimetresBecomePixelsByTheSensorsWidth) {
  Document d;
  d.lens = {.focal = FocalKnowledge::Near, .focal_mm = 30, .sensor_mm = 24, .readout_ms = 8};
  const FootageInfo footage{.width = 1920, .height = 1080, .fps = 25, .pixel_aspect = 2};
  const auto options = solveOptionsOf(d, footage);
  ASSERT_TRUE(options.ok());
  EXPECT_DOUBLE_EQ(options->focal_px, 2400);
  EXPECT_DOUBLE_EQ(options->readout, 0.2) << "8 of 40 ms";
  EXPECT_EQ(options->pixel_aspect, 2) << "as the footage says";
  d.lens.known = "no lens";
  EXPECT_FALSE(solveOptionsOf(d, footage).ok());
  d.footage_path = "/shots/quay.mp4";
  EXPECT_EQ(defaultDeliveryFolder(d), "/shots/quay-delivery");
  d.delivery.folder = "/elsewhere";
  EXPECT_EQ(defaultDeliveryFolder(d), "/elsewhere");
  DeliveryChoices own;
  own.what = {"plates"};
  d.delivery.presets = {{"compositing", own}};
  EXPECT_EQ(presetNamed(d, "compositing")->what, own.what) << "the artist's own come first";
  EXPECT_TRUE(presetNamed(d, "3D scene")->wants("camera.usda"));
  EXPECT_THAT(presetNamed(d, "nothing").error().message, HasSubstr("splat training"));
}

TEST_F(WorkspaceTest, AddedRunsGoOnFromWhatIsThereAndUndoTakesThemBack) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  ASSERT_TRUE(w.run(setMember("Features", &Document::tracking, fewer(w))).ok());
  work(w);
  const TrackSetPtr first = w.followed();
  ASSERT_TRUE(w.run(addRun(w.document(), {.region = {{200, 100}, {440, 100}, {440, 260}, {200, 260}}, .first_frame = 6, .last_frame = 9})).ok());
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Stale);
  const TracksStart start = w.tracksStart();
  EXPECT_EQ(start.tracks, first);
  EXPECT_EQ(start.runs, 1);
  const auto more = runTracks(w.document(), {}, {}, start);
  ASSERT_TRUE(more.ok()) << more.error().message;
  EXPECT_GT((*more)->tracks.size(), first->tracks.size());
  EXPECT_TRUE(std::equal(first->tracks.begin(), first->tracks.end(), (*more)->tracks.begin())) << "it adds and never changes";
  const auto anew = runTracks(w.document(), {});
  ASSERT_TRUE(anew.ok());
  EXPECT_EQ((*anew)->tracks, (*more)->tracks) << "the same whether it goes on or begins anew";
  w.takeTracks(*more, tracksKey(w.document(), w.footage()));
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Current);
  ASSERT_TRUE(w.undo().ok());
  EXPECT_EQ(w.followed(), first);
}

TEST_F(WorkspaceTest, WorkByHandIsInTheTracksStalesTheSolveAndSurvivesTheFile) {
  TemporaryFolder files;
  const auto path = files.path() / "quay.moth";
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  work(w);
  ASSERT_TRUE(w.saveAs(path).ok() && w.flush().ok());
  const SolutionPtr solved = w.solution();
  const Track victim = *std::find_if(w.tracks()->tracks.begin(), w.tracks()->tracks.end(), [](const Track& t) { return t.life() >= 10; });
  const int cut = victim.firstFrame() + 5;
  ASSERT_TRUE(w.run(cutTracks(w.document(), {victim.id}, cut, w.followedKey())).ok());
  EXPECT_EQ(w.tracks()->find(victim.id)->lastFrame(), cut - 1);
  EXPECT_TRUE(w.tracks()->find(kFirstCutId));
  EXPECT_EQ(w.followed()->find(victim.id)->life(), victim.life()) << "what was followed stays as it is";
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Current);
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Stale);
  EXPECT_EQ(w.solution(), solved) << "and is still shown";
  ASSERT_TRUE(w.run(nameTrack(w.document(), victim.id, "Corner", w.followedKey())).ok());
  EXPECT_EQ(w.labelOf(victim.id)->name, "Corner");

  auto hand = placeKey(w.document(), newHandTrack(w.document(), {}), 8, {320, 200}, true);
  ASSERT_TRUE(hand.ok()) << hand.error().message;
  std::string note;
  hand = runHandTrack(w.document(), *hand, {.frame = 8, .backward = true}, {}, &note);
  ASSERT_TRUE(hand.ok()) << hand.error().message;
  ASSERT_TRUE(w.run(changeHandTrack("Place track", w.document(), *hand)).ok());
  EXPECT_GE(w.tracks()->find(kFirstHandId)->life(), 3) << note;
  EXPECT_THAT(w.status(Step::Tracks).line, HasSubstr("1 by hand"));
  const auto again = runSolve(w.document(), w.footage(), *w.tracks(), {});
  ASSERT_TRUE(again.ok());
  EXPECT_TRUE((*again)->find(kFirstHandId)) << "the solve takes it";

  Workspace back;
  ASSERT_TRUE(back.openProject(path).ok());
  EXPECT_EQ(back.tracks()->tracks, w.tracks()->tracks);
  ASSERT_TRUE(w.run(setMember("Features", &Document::tracking, fewer(w))).ok());
  w.takeTracks(*runTracks(w.document(), {}), tracksKey(w.document(), w.footage()));
  EXPECT_FALSE(w.tracks()->find(kFirstCutId)) << "edits of other tracks don't apply";
  EXPECT_FALSE(w.labelOf(victim.id));
  EXPECT_TRUE(w.tracks()->find(kFirstHandId));
}

TEST_F(WorkspaceTest, PicksGoAlongToOtherTracksAndBack) {
  const TemporaryFolder files;
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  work(w);
  std::vector<Track> lasting;
  for (const Track& t : w.tracks()->tracks) {
    if (t.life() == 16 && lasting.size() < 6) lasting.push_back(t);
  }
  ASSERT_EQ(lasting.size(), 6u);
  ASSERT_TRUE(w.run(useAsLength(w.document(), lasting[0].id, lasting[1].id, 2)).ok());
  ASSERT_TRUE(w.run(setAside(w.document(), {lasting[2].id, lasting[3].id})).ok());
  ASSERT_TRUE(w.run(placeObjects(w.document(), ObjectShape::Cone, {lasting[4].id}, 0.2)).ok());
  const Picks made = w.document().picks;
  EXPECT_EQ(made.key, w.followedKey());
  ASSERT_TRUE(w.saveAs(files / "quay.moth").ok() && w.flush().ok());

  FollowOptions other = w.document().tracking;
  other.min_distance_px *= 1.3;
  ASSERT_TRUE(w.run(setMember("Spacing", &Document::tracking, other)).ok());
  w.takeTracks(*runTracks(w.document(), {}), tracksKey(w.document(), w.footage()));
  const Picks carried = w.document().picks;
  ASSERT_EQ(static_cast<int>(carried.tracks().size()) + w.lostPicks(), 5);
  ASSERT_LE(w.lostPicks(), 2);
  const auto expectSamePlace = [&](int id, const Track& before) {
    const Track* now = w.tracks()->find(id);
    ASSERT_TRUE(now);
    const Observation* o = now->at(8);
    if (o) EXPECT_LT((o->position - before.at(8)->position).norm(), 2.5);
  };
  if (carried.scene.length) expectSamePlace(carried.scene.length->from, lasting[0]), expectSamePlace(carried.scene.length->to, lasting[1]);
  for (const TestObject& object : carried.objects) expectSamePlace(object.track, lasting[4]);

  Workspace again;
  ASSERT_TRUE(w.flush().ok() && again.openProject(files / "quay.moth").ok());
  EXPECT_EQ(again.document(), w.document()) << "also from the file, where both sets of tracks are kept";
  ASSERT_TRUE(w.undo().ok());
  EXPECT_EQ(w.document().picks, made) << "nothing is lost on the way back";
  ASSERT_TRUE(w.redo().ok());
  ASSERT_TRUE(w.run(pinTracks(w.document(), {w.tracks()->tracks[0].id}, true)).ok());
  EXPECT_EQ(w.document().picks.key, w.followedKey());
  EXPECT_EQ(w.lostPicks(), 0) << "from here on the picks are of these tracks";
  ASSERT_TRUE(w.undo().ok());
  EXPECT_EQ(w.document().picks, carried);
}

TEST_F(WorkspaceTest, CandidatesKeepOutOfMasks) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  auto source = openFootage(footage());
  ASSERT_TRUE(source.ok());
  LiveMasks live;
  const auto all = findCandidates(**source, live, w.document(), 4);
  ASSERT_TRUE(all.ok());
  Mask left = newMask(w.document(), MaskShape::Box);
  left.keys = {{.frame = 1, .position = Vec2(160, 180), .points = {Vec2(160, 180)}}};
  ASSERT_TRUE(w.run(changeMask("Draw mask", w.document(), left)).ok());
  const auto right = findCandidates(**source, live, w.document(), 4);
  ASSERT_TRUE(right.ok());
  EXPECT_LT(right->size(), all->size());
  for (const Feature& f : *right) EXPECT_GT(f.position.x(), 320);
  EXPECT_FALSE(findCandidates(**source, live, w.document(), 99).ok());
}
}  // namespace dusky::testing
