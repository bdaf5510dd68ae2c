// Shots without a project file, damaged projects, and the log.
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>
#include <mutex>

#include "core/base/atomic_file.h"
#include "core/base/log.h"
#include "core/pipeline/workspace.h"
#include "core/project/edits.h"
#include "tests/support/shot_maker.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace {
namespace fs = std::filesystem;
using ::testing::HasSubstr;

Workspace opened(const fs::path& kept_in) {
  Workspace w;
  EXPECT_TRUE(w.openFootage(quaySequence(12) + "/quay.0001.png").ok());
  w.keepUnsavedIn(kept_in);
  return w;
}

TrackSetPtr tracked(const Workspace& w) { return *runTracks(w.document(), {}); }
std::string keyOf(const Workspace& w) { return tracksKey(w.document(), w.footage(), w.filePrints(), runsOf(w.document())); }
void changeSeed(Workspace& w, int seed) { EXPECT_TRUE(w.run(setMember("Set seed", &Document::seed, seed)).ok()); }

std::size_t projectsIn(const fs::path& folder) {
  std::size_t count = 0;
  std::error_code none;
  for (const auto& entry : fs::directory_iterator(folder, none)) count += entry.path().extension() == ".moth";
  return count;
}

/// In a program of its own, which dies without a word.
template <class Work>
void inAProgramThatDies(const Work& work) {
  const pid_t child = fork();
  ASSERT_GE(child, 0);
  if (child == 0) {
    work();
    _exit(9);
  }
  int how = 0;
  waitpid(child, &how, 0);
  ASSERT_TRUE(WIFEXITED(how) && WEXITSTATUS(how) == 9);
}

TEST(UnsavedShots, WhatAProgramThatDiedHadIsFoundAgainWholly) {
  const TemporaryFolder folder;
  const fs::path kept = folder / "unsaved";
  inAProgramThatDies([&] {
    Workspace w = opened(kept);
    w.takeTracks(tracked(w), keyOf(w));
    changeSeed(w, 77);
    (void)w.run(pinTracks(w.document(), {w.tracks()->tracks[3].id}, true));
    (void)w.flush();
    new Workspace(std::move(w));  // nothing of it ends
  });
  const auto shots = unsavedShots(kept);
  ASSERT_EQ(shots.size(), 1u);
  EXPECT_THAT(shots[0].footage, HasSubstr("quay.0001.png"));
  Workspace w;
  std::string warning;
  ASSERT_TRUE(w.openUnsaved(shots[0].file, &warning).ok());
  EXPECT_EQ(warning, "");
  EXPECT_FALSE(w.hasFile()) << "it still has no project file";
  EXPECT_TRUE(w.keptUnsaved());
  EXPECT_EQ(w.document().seed, 77);
  EXPECT_EQ(w.document().picks.pinned.size(), 1u);
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Current);
  EXPECT_TRUE(unsavedShots(kept).empty()) << "somebody is at it";
  ASSERT_TRUE(w.saveAs(folder / "quay.moth").ok());
  EXPECT_EQ(projectsIn(kept), 0u) << "it has a file of its own now";
  EXPECT_TRUE(w.hasFile());
}

TEST(UnsavedShots, NothingStaysOfAShotThatIsClosedAndNothingIsKeptOfOneThatWasOnlyLookedAt) {
  const TemporaryFolder folder;
  const fs::path kept = folder / "unsaved";
  {
    Workspace w = opened(kept);
    EXPECT_EQ(projectsIn(kept), 0u);
    changeSeed(w, 5);
    EXPECT_EQ(projectsIn(kept), 1u);
    EXPECT_EQ(w.filePath(), fs::path()) << "no file of the artist's";
    w.takeTracks(tracked(w), keyOf(w));
    w = opened(kept);
    EXPECT_EQ(projectsIn(kept), 0u) << "another shot was opened in its place";
    changeSeed(w, 6);
  }
  EXPECT_EQ(projectsIn(kept), 0u);
}

TEST(UnsavedShots, AFolderThatTakesNothingIsSaidOnceAndWorkGoesOn) {
  const TemporaryFolder folder;
  std::ofstream(folder / "unsaved") << "a file where the folder should be";
  Workspace w = opened(folder / "unsaved");
  std::vector<std::string> said;
  w.onWriteProblem([&](const Error& error) { said.push_back(error.message); });
  changeSeed(w, 5);
  changeSeed(w, 6);
  ASSERT_EQ(said.size(), 1u);
  EXPECT_THAT(said[0], HasSubstr("cannot be kept"));
  EXPECT_EQ(w.document().seed, 6);
}

TEST(WrittenLater, ChangesAreInTheFileAfterFlushAndAFailureIsTold) {
  const TemporaryFolder folder;
  Workspace w = opened(folder / "unsaved");
  std::mutex mutex;
  std::vector<std::string> said;
  w.onWriteProblem([&](const Error& error) {
    const std::lock_guard lock(mutex);
    said.push_back(error.message);
  });
  ASSERT_TRUE(w.saveAs(folder / "a.moth").ok());
  for (int seed = 2; seed < 40; ++seed) changeSeed(w, seed);
  ASSERT_TRUE(w.flush().ok());
  EXPECT_EQ((*ProjectStore::open(folder / "a.moth", ProjectStore::Access::Read))->document()->seed, 39);
  EXPECT_FALSE(w.fileChangedOutside()) << "it was this one";
  fs::remove(folder / "a.moth");
  changeSeed(w, 50);
  EXPECT_FALSE(w.flush().ok());
  const std::lock_guard lock(mutex);
  ASSERT_EQ(said.size(), 1u);
  EXPECT_THAT(said[0], HasSubstr("removed by another program"));
  EXPECT_EQ(w.document().seed, 50) << "nothing of it is lost";
}

TEST(WrittenLater, WhatWasMadeBeforeTheFirstChangeIsKeptToo) {
  const TemporaryFolder folder;
  const fs::path kept = folder / "unsaved";
  inAProgramThatDies([&] {
    Workspace w = opened(kept);
    w.onWriteProblem([](const Error&) {});
    w.takeTracks(tracked(w), keyOf(w));
    (void)w.run(pinTracks(w.document(), {w.tracks()->tracks[3].id}, true));
    (void)w.flush();
    new Workspace(std::move(w));
  });
  const auto shots = unsavedShots(kept);
  ASSERT_EQ(shots.size(), 1u);
  Workspace w;
  ASSERT_TRUE(w.openUnsaved(shots[0].file).ok());
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Current);
  EXPECT_EQ(w.document().picks.pinned.size(), 1u);
}

TEST(WrittenLater, ImportedTracksAreThereBeforeTheDocumentThatSpeaksOfThem) {
  const TemporaryFolder folder;
  const fs::path kept = folder / "unsaved";
  inAProgramThatDies([&] {
    Workspace w = opened(kept);
    w.onWriteProblem([](const Error&) {});
    const TrackSetPtr tracks = tracked(w);
    (void)w.run(importTracks(w.document(), *tracks, "survey"));  // the first change, and nothing is waited for
    new Workspace(std::move(w));
  });
  const auto shots = unsavedShots(kept);
  ASSERT_EQ(shots.size(), 1u);
  Workspace w;
  std::string warning;
  ASSERT_TRUE(w.openUnsaved(shots[0].file, &warning).ok());
  EXPECT_EQ(warning, "");
  ASSERT_EQ(w.document().work.imported.size(), 1u);
  ASSERT_TRUE(w.tracks());
  EXPECT_GT(w.tracks()->tracks.size(), 50u);
}

TEST(UnsavedShots, UndoGoesOnAfterSaving) {
  const TemporaryFolder folder;
  Workspace w = opened(folder / "unsaved");
  for (int seed : {2, 3, 4}) changeSeed(w, seed);
  ASSERT_TRUE(w.saveAs(folder / "a.moth").ok());
  ASSERT_TRUE(w.undo().ok());
  ASSERT_TRUE(w.undo().ok());
  EXPECT_EQ(w.document().seed, 2);
  EXPECT_EQ((*ProjectStore::open(folder / "a.moth", ProjectStore::Access::Read))->document()->seed, 2) << "what was undone is saved as well";
  ASSERT_TRUE(w.saveAs(folder / "b.moth").ok());
  ASSERT_TRUE(w.redo().ok());
  ASSERT_TRUE(w.redo().ok());
  EXPECT_EQ(w.document().seed, 4);
}

class DamagedProject : public ::testing::Test {
 protected:
  void SetUp() override {
    Workspace w = opened(folder / "unsaved");
    w.takeTracks(tracked(w), keyOf(w));
    changeSeed(w, 31);
    ASSERT_TRUE(w.saveAs(project).ok());
    whole = *readFile(project);
  }
  void write(const std::string& bytes) { std::ofstream(project, std::ios::binary | std::ios::trunc) << bytes; }

  TemporaryFolder folder;
  fs::path project = folder / "quay.moth";
  std::string whole;
};

TEST_F(DamagedProject, AByteThatChangedInAResultIsNoticed) {
  std::string bytes = whole;
  const auto at = bytes.find("print:");
  ASSERT_NE(at, std::string::npos);
  bytes[at + 200] = static_cast<char>(bytes[at + 200] ^ 4);
  write(bytes);
  Workspace w;
  std::string warning;
  ASSERT_TRUE(w.openProject(project, &warning).ok());
  EXPECT_THAT(warning, HasSubstr("left out: tracks"));
  EXPECT_FALSE(w.tracks());
  EXPECT_EQ(w.document().seed, 31) << "the rest is there";
  w.takeTracks(tracked(w), keyOf(w));
  EXPECT_TRUE(w.flush().ok());
  w = Workspace();
  warning.clear();
  ASSERT_TRUE(w.openProject(project, &warning).ok());
  EXPECT_EQ(warning, "") << "made again";
  EXPECT_TRUE(w.tracks());
}

TEST_F(DamagedProject, OneThatWasCutOffOpensToBeReadForWhatCanBeHad) {
  int opened_some = 0;
  for (const double share : {0.1, 0.3, 0.5, 0.7, 0.9, 0.99}) {
    write(whole.substr(0, static_cast<std::size_t>(share * static_cast<double>(whole.size()))));
    const std::string before = *readFile(project);
    Workspace w;
    std::string warning;
    const Status opened = w.openProject(project, &warning);
    if (!opened.ok()) {
      EXPECT_THAT(opened.error().message, HasSubstr("quay.moth"));
      continue;
    }
    ++opened_some;
    EXPECT_EQ(w.document().seed, 31);
    EXPECT_FALSE(w.hasFile()) << share;
    EXPECT_THAT(w.readOnlyBecause(), HasSubstr("damaged"));
    changeSeed(w, 32);
    EXPECT_TRUE(*readFile(project) == before) << "nothing is written into a damaged file";
    ASSERT_TRUE(w.saveAs(folder / "mended.moth").ok());
    Workspace again;
    ASSERT_TRUE(again.openProject(folder / "mended.moth").ok());
    EXPECT_EQ(again.document().seed, 32);
    EXPECT_TRUE(again.hasFile());
  }
  EXPECT_GE(opened_some, 3);
}

TEST_F(DamagedProject, APartOfTheSettingsThatIsLostIsNamedAndTheRestStands) {
  std::string bytes = whole;
  const auto focal = bytes.find("\"focal_mm\":35.0");
  ASSERT_NE(focal, std::string::npos);
  bytes.replace(focal, 15, "\"focal_mm\":\"xx\"");
  write(bytes);
  Workspace w;
  ASSERT_TRUE(w.openProject(project).ok());
  EXPECT_THAT(w.readOnlyBecause(), HasSubstr("lens is lost"));
  EXPECT_EQ(w.document().seed, 31);
  EXPECT_EQ(w.document().lens, LensSettings());
  bytes = whole;
  const auto seed = bytes.find("\"seed\":31");
  ASSERT_NE(seed, std::string::npos);
  bytes.replace(seed, 9, "\"seed\":37");
  write(bytes);
  ASSERT_TRUE(w.openProject(project).ok());
  EXPECT_THAT(w.readOnlyBecause(), HasSubstr("damaged")) << "a setting that is another but can be read is noticed";
}

TEST(Log, HoldsWhatHappenedAndTheWordsOfLibraries) {
  const TemporaryFolder folder;
  logLine("to nobody");
  ASSERT_TRUE(openLog(folder / "a.log", LogKind::Whole).ok());
  logLine("tracked\n12 frames {}");
  std::ofstream(folder / "bad.mp4") << "no movie";
  EXPECT_FALSE(lookAtFootage((folder / "bad.mp4").string()).ok());
  EXPECT_FALSE(documentFromJson("{\"seed\":").ok());
  EXPECT_EQ(logFile(), folder / "a.log");
  closeLog();
  logLine("to nobody again");
  const std::string text = *readFile(folder / "a.log");
  EXPECT_THAT(text, ::testing::AllOf(HasSubstr("tracked 12 frames {}"), HasSubstr("FFmpeg: "), HasSubstr("parse error"), ::testing::Not(HasSubstr("nobody"))));
  ASSERT_TRUE(openLog(folder / "a.log", LogKind::Whole).ok());
  logProblem("once more");
  closeLog();
  EXPECT_THAT(*readFile(folder / "a.log"), ::testing::AllOf(HasSubstr("tracked"), HasSubstr("error: once more")));
}

TEST(Log, NeverGrowsWithoutEndAndNeverWritesIntoSomethingElse) {
  const TemporaryFolder folder;
  ASSERT_TRUE(openLog(folder / "long.log", LogKind::Rotating).ok());
  const std::string line(1000, 'x');
  for (int i = 0; i < 12000; ++i) logLine(line);
  closeLog();
  std::uintmax_t bytes = 0;
  for (const auto& entry : fs::directory_iterator(folder.path())) bytes += entry.file_size();
  EXPECT_LT(bytes, 6'000'000u);
  std::ofstream(folder / "work.txt") << "an artist's file";
  EXPECT_EQ(openLog(folder / "work.txt", LogKind::Whole).error().kind, ErrorKind::InvalidInput);
  EXPECT_EQ(*readFile(folder / "work.txt"), "an artist's file");
  EXPECT_EQ(openLog(folder / "work.txt" / "x.log", LogKind::Whole).error().kind, ErrorKind::CannotWrite);
}

}  // namespace
}  // namespace dusky::testing
