// Every solve is a run of the ledger, kept, found again and restored.
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sqlite3.h>

#include <fstream>

#include "core/pipeline/workspace.h"
#include "core/project/edits.h"
#include "core/project/result_codec.h"
#include "core/track/track_files.h"
#include "tests/support/synthetic_shot.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::ElementsAre;
using ::testing::HasSubstr;
using ::testing::SizeIs;

/// A shot of tracks alone, in a project.
class Runs : public ::testing::Test {
 protected:
  void SetUp() override {
    shot = makeSyntheticShot({.frames = 16, .points = 90, .noise_px = 0.3});
    writeFile(tracksToCsv(shot.tracks));
    ASSERT_TRUE(w.openFootage((folder / "walk.csv").string(), shot.tracks.width, shot.tracks.height).ok());
    w.takeTracks(*runTracks(w.document(), {}), tracksKey(w.document(), w.footage()));
    ASSERT_TRUE(w.saveAs(path()).ok());
  }
  void writeFile(const std::string& text) const { std::ofstream(folder / "walk.csv") << text; }
  fs::path path() const { return folder / "walk.moth"; }

  static void solve(Workspace& w, bool refine = false) {
    const SolutionPtr from = refine ? w.solution() : nullptr;
    const SolveKeys keys = solveKeys(w.document(), w.footage(), w.followedKey(), refine ? w.solutionKeys().own : "");
    const auto solved = runSolve(w.document(), w.footage(), *w.tracks(), {}, {}, from);
    ASSERT_TRUE(solved.ok()) << solved.error().message;
    w.takeSolution(*solved, keys, {.document = w.document(), .parent = w.shownRun(), .carried_on = refine});
  }
  static void setFocal(Workspace& w, double mm) {
    LensSettings lens = w.document().lens;
    lens.focal = FocalKnowledge::Near, lens.focal_mm = mm;
    ASSERT_TRUE(w.run(setMember("Focal length", &Document::lens, lens)).ok());
  }
  /// As it lies on the disk.
  Workspace again(ProjectStore::Access access = ProjectStore::Access::Read) {
    (void)w.flush();
    Workspace other;
    EXPECT_TRUE(other.openProject(path(), nullptr, access).ok());
    return other;
  }
  static std::vector<int> idsOf(const Workspace& w) {
    std::vector<int> ids;
    for (const dusky::Run& run : w.ledger().runs()) ids.push_back(run.id);
    return ids;
  }

  TemporaryFolder folder;
  SyntheticShot shot;
  Workspace w;
};

TEST_F(Runs, AreListedWithWhatWasChangedForThem) {
  EXPECT_EQ(w.shownRun(), 0);
  solve(w);
  EXPECT_EQ(w.shownRun(), 1);
  const double rms = w.solution()->rms_px;
  ASSERT_TRUE(w.run(setAside(w.document(), {3, 4, 5})).ok());
  EXPECT_EQ(w.shownRun(), 1) << "stale, but the one that is shown";
  solve(w, true);
  EXPECT_EQ(w.shownRun(), 2);
  setFocal(w, 31);
  solve(w);
  const Workspace on_disk = again();
  for (const Workspace* one : std::initializer_list<const Workspace*>{&w, &on_disk}) {
    const Workspace& ledger = *one;
    ASSERT_THAT(idsOf(ledger), ElementsAre(1, 2, 3));
    const auto& runs = ledger.ledger().runs();
    EXPECT_EQ(runs[0].summary.rms_px, rms);
    EXPECT_EQ(runs[0].summary.frames, 16);
    EXPECT_EQ(runs[1].parent, 1);
    EXPECT_TRUE(runs[1].carried_on);
    EXPECT_EQ(runs[2].parent, 2);
    EXPECT_THAT(ledger.changesOf(runs[1]), ElementsAre("3 tracks set aside"));
    EXPECT_THAT(ledger.changesOf(runs[2]), ElementsAre("focal length: 31 mm ± 3 %"));
    EXPECT_EQ(ledger.shownRun(), 3);
  }
}

TEST_F(Runs, AreRestoredWithTheirSettingsAndUndone) {
  solve(w);
  const std::string first = encode(*w.solution());
  ASSERT_TRUE(w.run(setAside(w.document(), {3, 4, 5})).ok());
  setFocal(w, 31);
  solve(w);
  const std::string second = encode(*w.solution());
  ASSERT_NE(first, second);
  // The scene was set after the first run: it stays.
  ASSERT_TRUE(w.run(useAsOrigin(w.document(), 7)).ok());

  Workspace other = again(ProjectStore::Access::Read);
  ASSERT_TRUE(other.restoreRun(1).ok());
  EXPECT_EQ(encode(*other.solution()), first);
  EXPECT_EQ(other.shownRun(), 1);
  EXPECT_EQ(other.status(Step::Solve).state, StepState::Current);
  EXPECT_EQ(other.document().lens.focal, FocalKnowledge::Unknown);
  EXPECT_THAT(other.document().picks.set_aside, SizeIs(0));
  EXPECT_EQ(other.document().picks.scene.origin, 7);
  // A solve read from the file has its errors again.
  double worst = 0;
  for (const SolvedTrack& track : other.solution()->tracks) {
    for (std::size_t i = 0; i < track.errors.size(); ++i) {
      const double was = w.runSource(1)->solution->find(track.id)->errors[i].error_px;
      if (!std::isnan(was)) worst = std::max(worst, std::abs(track.errors[i].error_px - was));
    }
  }
  EXPECT_LT(worst, 1e-6);
  ASSERT_TRUE(other.undo().ok());
  EXPECT_EQ(encode(*other.solution()), second);
  EXPECT_EQ(other.shownRun(), 2);
  EXPECT_EQ(other.document().lens.focal_mm, 31);
  EXPECT_EQ(other.document().picks.scene.origin, 7);
  ASSERT_TRUE(other.redo().ok());
  EXPECT_EQ(encode(*other.solution()), first);
}

TEST_F(Runs, ThatAnswerTheSameQuestionAreToldApart) {
  solve(w);
  const SolutionPtr fresh = w.solution();
  solve(w, true);
  const SolutionPtr refined = w.solution();
  ASSERT_EQ(w.shownRun(), 2);
  ASSERT_TRUE(w.restoreRun(1).ok());
  EXPECT_EQ(w.solution(), fresh);
  EXPECT_EQ(again().shownRun(), 1) << "what is shown is saved";
  ASSERT_TRUE(w.undo().ok());
  EXPECT_EQ(w.solution(), refined);
  solve(w);
  EXPECT_THAT(idsOf(w), ElementsAre(1, 2)) << "solving the same from nothing is the same solve";
  EXPECT_EQ(w.shownRun(), 1);
}

TEST_F(Runs, AllStayUntilTheyAreDropped) {
  for (int i = 0; i < 12; ++i) {
    setFocal(w, 30 + i);
    solve(w);
  }
  EXPECT_THAT(again().ledger().runs(), SizeIs(12));
  for (int id = 1; id <= 12; ++id) EXPECT_TRUE(again().runSource(id)->read().ok()) << id;
  LedgerMarks marks = w.document().ledger;
  marks.dropped = {2, 5}, marks.names[3] = "with the mark on the lens";
  ASSERT_TRUE(w.run(setMember("Drop runs", &Document::ledger, marks)).ok());
  EXPECT_THAT(w.ledger().runs(), SizeIs(12)) << "undo can still bring them back";
  ASSERT_TRUE(w.flush().ok());
  w = Workspace();
  ASSERT_TRUE(w.openProject(path()).ok());
  EXPECT_THAT(idsOf(w), ElementsAre(1, 3, 4, 6, 7, 8, 9, 10, 11, 12));
  EXPECT_EQ(w.document().ledger.nameOf(3), "with the mark on the lens");
  EXPECT_THAT(w.document().ledger.dropped, SizeIs(0));
  EXPECT_FALSE(w.runBytes().contains(5));
  EXPECT_GT(w.runBytes().at(6), 1000);
}

TEST_F(Runs, GoAlongIntoANewFileAndIntoAnotherProject) {
  solve(w);
  setFocal(w, 31);
  solve(w);
  ASSERT_TRUE(w.saveAs(folder / "copy.moth").ok());
  Workspace copy;
  ASSERT_TRUE(copy.openProject(folder / "copy.moth", nullptr, ProjectStore::Access::Read).ok());
  EXPECT_THAT(idsOf(copy), ElementsAre(1, 2));
  EXPECT_TRUE(copy.restoreRun(1).ok());

  // A project in which something else was solved: its own run stays, the others come after it.
  Workspace there;
  ASSERT_TRUE(there.openFootage((folder / "walk.csv").string(), shot.tracks.width, shot.tracks.height).ok());
  there.takeTracks(w.tracks(), w.followedKey());
  setFocal(there, 45);
  solve(there);
  ASSERT_TRUE(there.saveAs(folder / "there.moth").ok());
  there = Workspace();
  ASSERT_TRUE(w.saveInto(folder / "there.moth").ok());
  ASSERT_THAT(idsOf(w), ElementsAre(1, 2, 3));
  EXPECT_EQ(w.shownRun(), 3);
  EXPECT_EQ(w.ledger().find(3)->parent, 2);
  EXPECT_THAT(w.changesOf(*w.ledger().find(3)), ElementsAre(HasSubstr("31 mm")));
  EXPECT_TRUE(w.restoreRun(1).ok());
}

TEST_F(Runs, ThatCannotBeReadAreSaid) {
  solve(w);
  setFocal(w, 31);
  solve(w);
  ASSERT_TRUE(w.flush().ok());
  w = Workspace();
  sqlite3* raw = nullptr;
  ASSERT_EQ(sqlite3_open(path().c_str(), &raw), SQLITE_OK);
  sqlite3_exec(raw, "UPDATE result SET bytes = 'print:0123456789abcdefnothing' WHERE step = 'solve' AND key = (SELECT own FROM run WHERE id = 1);", nullptr,
               nullptr, nullptr);
  sqlite3_close(raw);
  ASSERT_TRUE(w.openProject(path()).ok());
  const Status restored = w.restoreRun(1);
  ASSERT_FALSE(restored.ok());
  EXPECT_THAT(restored.error().message, HasSubstr("run 1"));
  EXPECT_EQ(w.shownRun(), 2);
  EXPECT_FALSE(w.restoreRun(9).ok());
  w = Workspace();
  sqlite3_open(path().c_str(), &raw);
  sqlite3_exec(raw, "UPDATE run SET summary = '{\"rms_px\":0.001}' WHERE id = 2;", nullptr, nullptr, nullptr);
  sqlite3_close(raw);
  std::string warning;
  ASSERT_TRUE(w.openProject(path(), &warning).ok());
  EXPECT_THAT(warning, HasSubstr("run of the ledger is damaged"));
  ASSERT_THAT(idsOf(w), ElementsAre(1, 2)) << "its solve is there, so that its line can be made anew";
  EXPECT_EQ(w.ledger().find(2)->summary.rms_px, w.solution()->rms_px) << "a figure that somebody else wrote is not believed";
}

/// As the programs before the ledger wrote it; its footage is gone.
TEST(OldProjects, OfVersionTwoShowTheirSolveAsARun) {
  const TemporaryFolder folder;
  fs::copy_file(fs::path(DUSKY_SOURCE) / "tests/data/version-2.moth", folder / "old.moth");
  for (int times = 0; times < 2; ++times) {
    Workspace w;
    ASSERT_TRUE(w.openProject(folder / "old.moth").ok());
    ASSERT_TRUE(w.solution());
    EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);
    EXPECT_EQ(w.shownRun(), 1);
    EXPECT_THAT(w.ledger().runs(), SizeIs(1));
    EXPECT_EQ(w.solution()->placedFrames(), 15);
    EXPECT_LT(w.solution()->tracks[0].errors[3].error_px, 0.5);
    EXPECT_TRUE(w.flush().ok());
  }
  Workspace looked;
  fs::copy_file(fs::path(DUSKY_SOURCE) / "tests/data/version-2.moth", folder / "looked at.moth");
  ASSERT_TRUE(looked.openProject(folder / "looked at.moth", nullptr, ProjectStore::Access::Read).ok());
  EXPECT_EQ(looked.shownRun(), 1);
}

}  // namespace dusky::testing
