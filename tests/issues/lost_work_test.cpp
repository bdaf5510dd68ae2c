// Ways in which work was lost, or could have been: two programs on one project, commands that replace it, outputs that are inputs, full disks.
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sqlite3.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>

#include "core/base/atomic_file.h"
#include "core/base/random.h"
#include "core/base/temporary_file.h"
#include "core/media/write_picture.h"
#include "core/pipeline/workspace.h"
#include "core/project/edits.h"
#include "tests/apps/cli/run_moth.h"
#include "tests/support/holder.h"
#include "tests/support/shot_maker.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::HasSubstr;
using ::testing::Not;

/// No file may grow beyond so much, as on a full disk.
class SmallDisk {
 public:
  explicit SmallDisk(rlim_t bytes) {
    ::signal(SIGXFSZ, SIG_IGN);
    ::getrlimit(RLIMIT_FSIZE, &before_);
    const rlimit small{bytes, before_.rlim_max};
    ::setrlimit(RLIMIT_FSIZE, &small);
  }
  ~SmallDisk() { ::setrlimit(RLIMIT_FSIZE, &before_); }

 private:
  rlimit before_{};
};

class LostWork : public ::testing::Test {
 protected:
  static const std::string& footage() { return quaySequence(12); }
  /// A project with a mask that an artist drew.
  fs::path artistsProject(const std::string& name = "quay.moth") {
    Workspace w;
    EXPECT_TRUE(w.openFootage(footage()).ok());
    const Mask left{.id = 1, .name = "left", .shape = MaskShape::Box, .keys = {{.frame = 1, .position = Vec2(60, 80), .points = {Vec2(60, 80)}}}};
    EXPECT_TRUE(w.run(changeMask("Draw mask", w.document(), left)).ok());
    EXPECT_TRUE(w.saveAs(out / name).ok());
    return out / name;
  }
  static Document documentOf(const fs::path& project) { return *(*ProjectStore::open(project, ProjectStore::Access::Read))->document(); }
  static std::vector<std::string> namesIn(const fs::path& folder) {
    std::vector<std::string> names;
    for (const auto& entry : fs::directory_iterator(folder)) names.push_back(entry.path().filename().string());
    return names;
  }
  TemporaryFolder out;
};

TEST_F(LostWork, OneProgramWritesAProjectTheOthersReadIt) {
  const fs::path project = artistsProject();
  const Document before = documentOf(project);
  {
    const Holder anna(project);
    Workspace w;
    ASSERT_TRUE(w.openProject(project).ok());
    EXPECT_FALSE(w.hasFile());
    EXPECT_THAT(w.readOnlyBecause(), HasSubstr("anna on quay-3, since 2026-11-29 10:42"));
    EXPECT_EQ(w.document(), before);
    EXPECT_TRUE(w.run(setMember("Seed", &Document::seed, 7)).ok());
    EXPECT_EQ(documentOf(project), before);
    EXPECT_THAT(w.saveAs(project).error().message, HasSubstr("open in another"));
    ASSERT_TRUE(w.saveAs(out / "copy.moth").ok());
    EXPECT_EQ(documentOf(out / "copy.moth").seed, 7);
    const Ran solved = moth({"solve", footage(), "-o", out.path().string(), "--new-project", project.string(), "--replace"});
    EXPECT_EQ(solved.code, 2);
    EXPECT_THAT(solved.err, HasSubstr("anna on quay-3"));
    EXPECT_FALSE(fs::exists(out / "camera.glb")) << "it is refused before the work begins";
  }
  Workspace w;
  ASSERT_TRUE(w.openProject(project).ok());
  EXPECT_TRUE(w.hasFile()) << "a lock ends with the program that was killed";
}

TEST_F(LostWork, AFileThatWasReplacedIsNotWrittenInto) {
  const fs::path project = artistsProject(), other = artistsProject("other.moth");
  Workspace w;
  ASSERT_TRUE(w.openProject(project).ok());
  EXPECT_FALSE(w.fileChangedOutside());
  EXPECT_TRUE(w.run(setMember("Seed", &Document::seed, 2)).ok());
  EXPECT_FALSE(w.fileChangedOutside()) << "its own changes";
  fs::rename(other, project);
  EXPECT_TRUE(w.fileChangedOutside());
  const Status saved = w.run(setMember("Seed", &Document::seed, 3));
  ASSERT_FALSE(saved.ok());
  EXPECT_THAT(saved.error().message, HasSubstr("changed by another program"));
  EXPECT_EQ(w.document().seed, 3) << "the change stands in the window";
  EXPECT_EQ(documentOf(project).seed, 1);
  fs::remove(project);
  EXPECT_THAT(w.run(setMember("Seed", &Document::seed, 4)).error().message, HasSubstr("removed by another program"));
  ASSERT_TRUE(w.saveAs(project).ok());
  EXPECT_EQ(documentOf(project).seed, 4);
}

TEST_F(LostWork, AChangeInsideTheFileIsNoticedToo) {
  const fs::path project = artistsProject();
  Workspace w;
  ASSERT_TRUE(w.openProject(project).ok());
  sqlite3* database = nullptr;
  ASSERT_EQ(sqlite3_open(project.c_str(), &database), SQLITE_OK);
  EXPECT_EQ(
      sqlite3_exec(database, "UPDATE document SET json = replace(json, '\"seed\":1', '\"seed\":9'); DELETE FROM note WHERE name = 'print of the document'",
                   nullptr, nullptr, nullptr),
      SQLITE_OK);
  sqlite3_close(database);
  EXPECT_TRUE(w.fileChangedOutside());
  EXPECT_FALSE(w.run(setMember("Seed", &Document::seed, 3)).ok());
  EXPECT_EQ(documentOf(project).seed, 9);
}

// A log that a killed program left was taken for the new file's, and spoiled it.
TEST_F(LostWork, WhatAKilledProgramLeftDoesNotSpoilTheNextProject) {
  const fs::path project = artistsProject(), log = project.string() + "-wal";
  TemporaryFolder elsewhere;
  const fs::path copy = elsewhere / "quay.moth";
  sqlite3* database = nullptr;
  sqlite3_open(project.c_str(), &database);
  sqlite3_exec(
      database,
      "PRAGMA journal_mode = WAL; UPDATE document SET json = replace(json, '\"seed\":1', '\"seed\":29'); DELETE FROM note WHERE name = 'print of the document'",
      nullptr, nullptr, nullptr);
  ASSERT_TRUE(fs::exists(log)) << "as an earlier version kept its projects";
  for (const char* ending : {"", "-wal", "-shm"}) fs::copy_file(project.string() + ending, copy.string() + ending);
  sqlite3_close(database);
  EXPECT_EQ(documentOf(copy).seed, 29) << "nothing that was saved is lost";
  Workspace w;
  ASSERT_TRUE(w.openFootage(footage()).ok());
  ASSERT_TRUE(w.saveAs(copy).ok());
  ASSERT_TRUE(w.run(setMember("Seed", &Document::seed, 2)).ok());
  EXPECT_THAT(namesIn(elsewhere.path()), ::testing::UnorderedElementsAre("quay.moth", ".quay.moth.lock")) << "one file, also while it is open";
  w = Workspace();
  EXPECT_THAT(namesIn(elsewhere.path()), ::testing::ElementsAre("quay.moth"));
  EXPECT_EQ(documentOf(copy).seed, 2);
  std::string verdict;
  sqlite3_open(copy.c_str(), &database);
  const auto note = [](void* text, int, char** row, char**) { return static_cast<std::string*>(text)->assign(row[0]), 0; };
  sqlite3_exec(database, "PRAGMA integrity_check", note, &verdict, nullptr);
  sqlite3_close(database);
  EXPECT_EQ(verdict, "ok");
}

// A project of version 1, as the first programs wrote it.
TEST_F(LostWork, OldProjectsAreBroughtUpToDateAndNewerOnesAreLeftAlone) {
  const fs::path project = artistsProject();
  const Document before = documentOf(project);
  const auto change = [&](const char* sql) {
    sqlite3* database = nullptr;
    sqlite3_open(project.c_str(), &database);
    EXPECT_EQ(sqlite3_exec(database, sql, nullptr, nullptr, nullptr), SQLITE_OK) << sql;
    sqlite3_close(database);
  };
  change("DROP TABLE note; DROP TABLE run; PRAGMA user_version = 1;");
  EXPECT_EQ(documentOf(project), before) << "who only reads changes nothing";
  {
    Workspace w;
    ASSERT_TRUE(w.openProject(project).ok());
    EXPECT_EQ(w.document(), before);
    EXPECT_TRUE(w.markMadeByCommand().ok());
  }
  EXPECT_TRUE((*ProjectStore::open(project, ProjectStore::Access::Read))->note("footage")) << "it remembers its footage now";
  change("PRAGMA user_version = 99;");
  {
    const auto newer = ProjectStore::open(project);
    ASSERT_TRUE(newer.ok()) << newer.error().message;
    EXPECT_THAT((*newer)->readOnlyBecause(), HasSubstr("newer Dusky Moth"));
    EXPECT_EQ(*(*newer)->document(), before) << "what can be had of it is there";
    EXPECT_EQ((*newer)->saveDocument({}).error().kind, ErrorKind::CannotWrite) << "and nothing is written into it";
  }
  change("DROP TABLE document;");
  EXPECT_THAT(ProjectStore::open(project).error().message, HasSubstr("newer Dusky Moth"));
  change("PRAGMA user_version = 2; PRAGMA application_id = 7;");
  EXPECT_THAT(ProjectStore::open(project).error().message, HasSubstr("not a Dusky Moth project"));
}

// It was found out after the whole solve.
TEST_F(LostWork, ADamagedProjectIsSaidBeforeTheWorkAndNothingIsAddedToIt) {
  const fs::path project = artistsProject();
  fs::resize_file(project, fs::file_size(project) - 4096);
  const std::string before = *readFile(project);
  EXPECT_THAT(moth({"info", project.string()}).out, HasSubstr("is damaged"));
  for (const std::vector<std::string>& command : {std::vector<std::string>{"solve", project.string(), "-o", (out / "a").string(), "--save"},
                                                  {"solve", footage(), "-o", (out / "a").string(), "--new-project", project.string()}}) {
    const Ran ran = moth(command);
    EXPECT_EQ(ran.code, 2);
    EXPECT_THAT(ran.err, ::testing::AllOf(HasSubstr("is damaged"), HasSubstr("--new-project")));
  }
  EXPECT_FALSE(fs::exists(out / "a" / "report.json"));
  EXPECT_TRUE(*readFile(project) == before);
}

TEST_F(LostWork, ASolveLeavesItsProjectAloneUnlessAskedToSave) {
  const fs::path project = artistsProject();
  const Document before = documentOf(project);
  const Ran left = moth({"solve", project.string(), "-o", out.path().string(), "--seed", "5"});
  ASSERT_EQ(left.code, 0) << left.err;
  EXPECT_THAT(left.out, HasSubstr("is left as it was"));
  EXPECT_EQ(documentOf(project), before);
  EXPECT_FALSE((*ProjectStore::open(project))->madeByCommand());
  const Ran saved = moth({"solve", project.string(), "-o", out.path().string(), "--save"});
  ASSERT_EQ(saved.code, 0) << saved.err;
  Document after = documentOf(project);
  EXPECT_EQ(std::exchange(after.ledger, before.ledger).shown, 1);
  EXPECT_EQ(after, before);
  Workspace w;
  ASSERT_TRUE(w.openProject(project).ok());
  EXPECT_TRUE(w.tracks() && w.solution()) << "its results are in the project";
  EXPECT_EQ(moth({"solve", footage(), "-o", out.path().string(), "--save"}).code, 2) << "footage is no project";
}

TEST_F(LostWork, ACommandReplacesNoProjectThatAnArtistChanged) {
  const std::string folder = (out / "solved").string(), name = fs::path(footage()).stem().string() + ".moth";
  const fs::path project = out / "solved" / name;
  ASSERT_EQ(moth({"solve", footage(), "-o", folder, "--quiet"}).code, 0);
  ASSERT_EQ(moth({"solve", footage(), "-o", folder, "--quiet", "--seed", "2"}).code, 0) << "nobody changed it in between";
  EXPECT_EQ(documentOf(project).seed, 2);
  {
    Workspace w;
    ASSERT_TRUE(w.openProject(project).ok());
    EXPECT_TRUE(w.solution());
    ASSERT_TRUE(w.run(setMember("Seed", &Document::seed, 1)).ok());
    EXPECT_TRUE(w.solution()) << "the first solve is still there";
  }
  const Ran refused = moth({"solve", footage(), "-o", folder, "--seed", "3"});
  EXPECT_EQ(refused.code, 2);
  EXPECT_THAT(refused.err, ::testing::AllOf(HasSubstr("--new-project"), HasSubstr("--replace")));
  EXPECT_EQ(documentOf(project).seed, 1);
  const std::string other = (out / "third.moth").string();
  EXPECT_EQ(moth({"solve", footage(), "-o", folder, "--seed", "3", "--quiet", "--new-project", other}).code, 0);
  EXPECT_EQ(documentOf(other).seed, 3);
  EXPECT_EQ(moth({"solve", footage(), "-o", folder, "--seed", "3", "--quiet", "--replace"}).code, 0);
  EXPECT_EQ(documentOf(project).seed, 3);
}

// A bare name that was not there yet was locked under that name and then, with its folder, as if by somebody else.
TEST_F(LostWork, AProjectIsWrittenUnderABareNameInTheWorkingDirectory) {
  const fs::path before = fs::current_path();
  const std::string footage_there = fs::absolute(footage()).string();
  fs::current_path(out.path());
  const Ran ran = moth({"solve", footage_there, "-o", "out", "--quiet", "--new-project", "quay.moth"});
  fs::current_path(before);
  EXPECT_EQ(ran.code, 0) << ran.err;
  Workspace w;
  ASSERT_TRUE(w.openProject(out / "quay.moth").ok());
  EXPECT_TRUE(w.solution());
}

// Tracks and solve were hidden when the footage was gone, and lost when it was moved.
TEST_F(LostWork, FootageThatMovedIsFoundAgainAndItsResultsStay) {
  TemporaryFolder shots;
  const fs::path first = shots / "first", second = shots / "second", project = out / "quay.moth";
  fs::create_directory(first);
  for (const auto& entry : fs::directory_iterator(footage())) {
    if (entry.path().extension() == ".png") fs::copy_file(entry.path(), first / entry.path().filename());
  }
  ASSERT_EQ(moth({"solve", first.string(), "-o", out.path().string(), "--new-project", project.string(), "--quiet"}).code, 0);
  fs::rename(first, second);
  std::string warning;
  Workspace w;
  ASSERT_TRUE(w.openProject(project, &warning).ok());
  EXPECT_TRUE(w.footageGone());
  EXPECT_THAT(warning, HasSubstr("There is no file"));
  EXPECT_THAT(w.status(Step::Footage).line, HasSubstr("not where it was"));
  EXPECT_TRUE(w.tracks() && w.solution()) << "what was made of it is shown";
  w.takeFilePrints(filePrintsOf(w.document()));
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);
  fs::rename(second, first);
  EXPECT_TRUE(w.takeFilePrints(filePrintsOf(w.document()))) << "there is something to show: it came back";
  EXPECT_FALSE(w.footageGone());
  fs::rename(first, second);
  w = Workspace();
  ASSERT_TRUE(w.openProject(project).ok());
  EXPECT_EQ(moth({"solve", project.string(), "-o", (out / "again").string(), "--seed", "2", "--quiet"}).code, 0) << "its tracks can be solved without it";
  EXPECT_THAT(moth({"mask", project.string(), "--preview", (out / "m").string()}).err, HasSubstr("--footage"));

  EXPECT_THAT(moth({"track", project.string(), "-o", (out / "t.json").string(), "--footage", DUSKY_DEMO_DATA "/ferry-landing.mp4"}).err,
              HasSubstr("is other footage"));
  const auto found = lookForFootage(w.footageInFile(), second);
  ASSERT_TRUE(found.ok()) << found.error().message;
  ASSERT_TRUE(w.relinkFootage(*found).ok());
  EXPECT_FALSE(w.footageGone());
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Current);
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);
  ASSERT_TRUE(w.undo().ok());
  EXPECT_TRUE(w.footageGone());
  EXPECT_TRUE(w.solution());
  ASSERT_TRUE(w.redo().ok());
  w = Workspace();
  warning.clear();
  ASSERT_TRUE(w.openProject(project, &warning).ok());
  EXPECT_EQ(warning, "");
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current) << "once and for all";
  EXPECT_THAT(moth({"info", project.string()}).out, ::testing::AllOf(HasSubstr("12 frames"), HasSubstr("verdict")));
  std::ofstream(second / "quay.0003.png", std::ios::app) << "changed";
  w.takeFilePrints(filePrintsOf(w.document()));
  EXPECT_EQ(w.status(Step::Tracks).state, StepState::Stale) << "another file in its place is not the same footage";
}

TEST_F(LostWork, ShowingMasksLeavesTheProjectAlone) {
  const fs::path project = artistsProject();
  const Document before = documentOf(project);
  const Ran ran = moth({"mask", project.string(), "--preview", (out / "masks").string(), "--frames", "2-4", "--step", "2", "--quiet"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  EXPECT_EQ(documentOf(project), before);
  EXPECT_THAT(moth({"mask", project.string(), "--preview", footage(), "--quiet"}).err, HasSubstr("holds the pictures that are read"));
}

TEST_F(LostWork, WhatIsReadIsNotWrittenOver) {
  const std::string movie = (out / "tracks.json").string();
  ASSERT_EQ(moth({"track", footage(), "-o", movie, "--quiet"}).code, 0);
  const std::string bytes = *readFile(movie);
  const Ran track = moth({"track", movie, "-o", movie});
  EXPECT_EQ(track.code, 2);
  EXPECT_THAT(track.err, HasSubstr("would destroy it"));
  EXPECT_EQ(moth({"solve", "--tracks", movie, "-o", (out / "x").string(), "--report", movie}).code, 2);
  EXPECT_EQ(*readFile(movie), bytes);
}

TEST_F(LostWork, DevicesAndLinksStayWhatTheyAre) {
  EXPECT_TRUE(writeFileAtomically("/dev/null", "gone").ok());
  EXPECT_TRUE(fs::is_character_file("/dev/null"));
  const fs::path real = out / "real.json", link = out / "link.json", dangling = out / "new.json", circle = out / "circle";
  std::ofstream(real) << "old";
  ::chmod(real.c_str(), 0640);
  fs::create_symlink("real.json", link);
  fs::create_symlink("later.json", dangling);
  fs::create_symlink("circle", circle);
  ASSERT_TRUE(writeFileAtomically(link, "new").ok());
  EXPECT_TRUE(fs::is_symlink(link));
  EXPECT_EQ(*readFile(real), "new");
  EXPECT_EQ(fs::status(real).permissions(), fs::perms(0640));
  ASSERT_TRUE(writeFileAtomically(dangling, "later").ok());
  EXPECT_EQ(*readFile(out / "later.json"), "later");
  EXPECT_THAT(writeFileAtomically(circle, "x").error().message, HasSubstr("circle"));
  int pipes[2];
  ASSERT_EQ(::pipe(pipes), 0);
  EXPECT_TRUE(writeFileAtomically("/dev/fd/" + std::to_string(pipes[1]), "through").ok());
  char read[16] = {};
  EXPECT_EQ(::read(pipes[0], read, sizeof read), 7);
  ::close(pipes[0]), ::close(pipes[1]);
}

TEST_F(LostWork, OnlyRegularFilesOfASaneSizeAreRead) {
  ::mkfifo((out / "pipe.json").c_str(), 0600);
  EXPECT_THAT(readFile(out / "pipe.json").error().message, HasSubstr("pipe or a device"));
  EXPECT_THAT(readFile("/dev/zero").error().message, HasSubstr("pipe or a device"));
  EXPECT_THAT(readFile(out.path()).error().message, HasSubstr("is a folder"));
  EXPECT_THAT(readFile(out / "nowhere").error().message, HasSubstr("There is no file"));
  std::ofstream(out / "large") << std::string(3 << 20, 'x');
  EXPECT_THAT(readFile(out / "large", 1 << 20).error().message, HasSubstr("larger than 1 MB"));
}

TEST_F(LostWork, WhatKilledProgramsLeftIsRemovedAndWhatIsBeingWrittenIsNot) {
  std::ofstream(out / ".dusky-moth-99-1.part") << "half";
  const fs::path folder = out / "sub";
  fs::create_directory(folder);
  std::ofstream(folder / ".dusky-moth-99-1.part.png") << "half";
  std::ofstream(folder / ".hers.part") << "not ours";
  ASSERT_TRUE(writeFileAtomically(folder / "a.json", "{}").ok());
  EXPECT_THAT(namesIn(folder), ::testing::UnorderedElementsAre("a.json", ".hers.part"));
  const auto open = TemporaryFile::beside(out / "b.json");
  ASSERT_TRUE(open.ok());
  EXPECT_TRUE(fs::exists(open->path()));
  const pid_t child = ::fork();
  if (child == 0) {  // a program of its own looks through the folder
    removeLeftovers(out.path() / "sub" / "..");
    ::_exit(fs::exists(open->path()) ? 0 : 1);
  }
  int status = -1;
  ::waitpid(child, &status, 0);
  EXPECT_EQ(status, 0);
}

TEST_F(LostWork, AFullDiskIsAnErrorAndLeavesNothingUnderAFinalName) {
  Picture picture(400, 300);
  Random random(5);  // what no compression makes small
  for (Rgb& c : picture.data) {
    for (std::uint8_t* v : {&c.r, &c.g, &c.b}) *v = static_cast<std::uint8_t>(random.index(256));
  }
  ASSERT_TRUE(writePicture(out / "fine.png", picture).ok());
  const fs::path project = artistsProject();
  {
    const SmallDisk full(20000);
    for (const char* name : {"a.png", "a.jpg", "a.exr"}) {
      EXPECT_FALSE(writePicture(out / name, picture).ok()) << name;
      EXPECT_FALSE(fs::exists(out / name));
    }
    EXPECT_FALSE(writeFileAtomically(out / "fine.png", std::string(30000, 'x')).ok());
    const Ran masks = moth({"mask", project.string(), "--preview", (out / "masks").string(), "--quiet"});
    EXPECT_EQ(masks.code, 2);
    EXPECT_TRUE(fs::is_empty(out / "masks"));
  }
  EXPECT_GT(fs::file_size(out / "fine.png"), 20000u) << "what stood there stands";
  for (const std::string& name : namesIn(out.path())) EXPECT_THAT(name, Not(HasSubstr(".part")));
}

}  // namespace dusky::testing
