#include "apps/cli/cli.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>

#include <fstream>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/base/atomic_file.h"
#include "core/pipeline/workspace.h"
#include "tests/support/shot_maker.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::AllOf;
using ::testing::HasSubstr;

struct Ran {
  int code = -1;
  std::string out, err;
};

/// Runs the command line inside this process and catches what it prints.
Ran moth(std::vector<std::string> arguments) {
  arguments.insert(arguments.begin(), "moth");
  std::vector<const char*> argv;
  for (const std::string& a : arguments) argv.push_back(a.c_str());
  ::testing::internal::CaptureStdout();
  ::testing::internal::CaptureStderr();
  Ran ran;
  ran.code = cli::run(static_cast<int>(argv.size()), argv.data(), {});
  std::fflush(stdout);
  std::fflush(stderr);
  ran.out = ::testing::internal::GetCapturedStdout();
  ran.err = ::testing::internal::GetCapturedStderr();
  return ran;
}

class CliTest : public ::testing::Test {
 protected:
  static void SetUpTestSuite() { shots = new TemporaryFolder; }
  static void TearDownTestSuite() { delete shots; }

  /// The folder of a shot of this kind, written when first asked for.
  static std::string shot(ShotKind kind, int frames = 20) {
    const fs::path folder = *shots / ("kind" + std::to_string(static_cast<int>(kind)));
    if (fs::create_directories(folder)) {
      ShotPlan plan = planShot(kind);
      plan.frames = frames;
      EXPECT_TRUE(MadeShot(plan).write(folder.string(), "shot"));
    }
    return folder.string();
  }
  static bool nothingIn(const fs::path& folder) { return !fs::exists(folder) || fs::is_empty(folder); }

  static TemporaryFolder* shots;
  TemporaryFolder out;
};
TemporaryFolder* CliTest::shots = nullptr;

TEST_F(CliTest, SolvesAndComparesAShot) {
  const std::string folder = shot(ShotKind::Free), target = (out / "result").string(), copy = (out / "copy.json").string();
  const Ran solved = moth({"solve", folder, "-o", target, "--report", copy, "--progress", "json"});
  ASSERT_EQ(solved.code, 0) << solved.err;
  EXPECT_THAT(solved.out, AllOf(HasSubstr("frames   20 of 20"), HasSubstr("holdout"), HasSubstr("camera.glb")));
  EXPECT_THAT(solved.err, HasSubstr("{\"fraction\":1.0,\"what\":\"done\""));
  for (const char* name : {"camera.glb", "points.ply", "camera.csv", "report.json"}) EXPECT_GT(fs::file_size(fs::path(target) / name), 100u) << name;
  EXPECT_EQ(*readFile(copy), *readFile(fs::path(target) / "report.json"));

  const Ran compared = moth({"compare", copy, folder + "/truth.json", "--json"});
  ASSERT_EQ(compared.code, 0) << compared.err;
  const auto figures = nlohmann::json::parse(compared.out);
  EXPECT_EQ(figures["frames_solved"], 20);
  EXPECT_LT(figures["slip_rms_px"].get<double>(), 0.3);
  EXPECT_LT(figures["focal_error_percent"].get<double>(), 1.0);
}

TEST_F(CliTest, WindowAndCommandLineGiveTheSame) {
  const std::string folder = shot(ShotKind::Free), target = (out / "result").string();
  ASSERT_EQ(moth({"solve", folder, "-o", target, "--quiet"}).code, 0);
  Workspace by_hand;
  ASSERT_TRUE(by_hand.openFootage(folder).ok());
  const auto tracks = runTracks(by_hand.document(), {});
  const auto solved = runSolve(by_hand.document(), **tracks, {});
  Workspace project;
  ASSERT_TRUE(project.openProject(fs::path(target) / (fs::path(folder).stem().string() + ".moth")).ok());
  ASSERT_TRUE(project.solution());
  EXPECT_EQ(project.solution()->rms_px, (*solved)->rms_px);
  EXPECT_EQ(project.solution()->frames[7].pose.centre, (*solved)->frames[7].pose.centre);
}

TEST_F(CliTest, SaysWhyAShotCannotBeSolved) {
  const Ran still = moth({"solve", shot(ShotKind::Still), "-o", (out / "still").string()});
  EXPECT_EQ(still.code, 4);
  EXPECT_THAT(still.err, HasSubstr("does not move"));
  EXPECT_TRUE(nothingIn(out / "still"));
  const Ran turned = moth({"solve", shot(ShotKind::Nodal), "-o", (out / "nodal").string(), "--quiet"});
  EXPECT_EQ(turned.code, 4);
  EXPECT_THAT(turned.err, HasSubstr("No parallax"));
  EXPECT_TRUE(nothingIn(out / "nodal"));
}

TEST_F(CliTest, AZoomIsNotPassedOffAsACamera) {
  const Ran ran = moth({"solve", shot(ShotKind::Zoom, 40), "-o", (out / "zoom").string()});
  if (ran.code == 0)
    EXPECT_THAT(ran.out, HasSubstr("focal length may change during the shot"));
  else
    EXPECT_EQ(ran.code, 4);
}

TEST_F(CliTest, BadArgumentsAreRefusedWithASentence) {
  const std::string folder = shot(ShotKind::Free), target = (out / "x").string();
  const auto refused = [&](std::vector<std::string> extra) {
    std::vector<std::string> all = {"solve", folder, "-o", target};
    all.insert(all.end(), extra.begin(), extra.end());
    const Ran ran = moth(all);
    EXPECT_EQ(ran.code, 2);
    EXPECT_TRUE(nothingIn(target));
    return ran.err;
  };
  EXPECT_THAT(refused({"--frames", "abc"}), HasSubstr("10-80"));
  EXPECT_THAT(refused({"--frames", "90-120"}), HasSubstr("90–120"));
  EXPECT_THAT(refused({"--focal-mm", "35"}), HasSubstr("--sensor-mm"));
  EXPECT_THAT(refused({"--focal", "locked"}), HasSubstr("needs the focal length"));
  EXPECT_THAT(refused({"--focal", "zoom"}), HasSubstr("zoom"));
  EXPECT_THAT(refused({"--motion", "nodal"}), HasSubstr("nodal"));
  EXPECT_THAT(refused({"--lens", "fisheye"}), HasSubstr("fisheye"));
  EXPECT_THAT(refused({"--lens", "glass"}), HasSubstr("--lens"));
  EXPECT_THAT(refused({"--max-tracks", "3"}), HasSubstr("20 to 20000"));
  EXPECT_THAT(refused({"--threads", "-2"}), HasSubstr("--threads"));
  EXPECT_THAT(refused({"--no-such-thing"}), HasSubstr("--no-such-thing"));
  EXPECT_EQ(moth({"solve"}).code, 2);
  EXPECT_EQ(moth({}).code, 2);
  EXPECT_EQ(moth({"dance"}).code, 2);
}

TEST_F(CliTest, UnreadableInputIsRefusedWithASentence) {
  std::ofstream(out / "list.mp4") << "rope, lamp oil, nails";
  for (const auto& [path, words] : {std::pair{std::string("/no/such/shot.mp4"), "/no/such/shot.mp4"}, {(out / "list.mp4").string(), "list.mp4"}}) {
    for (const std::vector<std::string>& call : {std::vector<std::string>{"info", path}, {"solve", path, "-o", (out / "y").string()}}) {
      const Ran ran = moth(call);
      EXPECT_EQ(ran.code, 2);
      EXPECT_THAT(ran.err, HasSubstr(words));
    }
  }
  EXPECT_TRUE(nothingIn(out / "y"));
  EXPECT_EQ(moth({"compare", "/no/report.json", "/no/truth.json"}).code, 2);
}

TEST_F(CliTest, AnOutputThatCannotBeWrittenIsNamed) {
  std::ofstream(out / "taken") << "a file";
  const Ran ran = moth({"solve", shot(ShotKind::Free), "-o", (out / "taken").string(), "--quiet"});
  EXPECT_EQ(ran.code, 2);
  EXPECT_THAT(ran.err, HasSubstr("taken"));
  EXPECT_EQ(*readFile(out / "taken"), "a file");
}

TEST_F(CliTest, HelpAndInfoTeach) {
  const Ran help = moth({"--help"});
  EXPECT_EQ(help.code, 0);
  EXPECT_THAT(help.out, AllOf(HasSubstr("moth solve FOOTAGE"), HasSubstr("moth compare"), HasSubstr("moth info")));
  EXPECT_THAT(moth({"solve", "--help"}).out, AllOf(HasSubstr("--focal-mm"), HasSubstr("Exit codes"), HasSubstr("--frames")));
  const Ran info = moth({"info", shot(ShotKind::Free)});
  EXPECT_EQ(info.code, 0);
  EXPECT_THAT(info.out, AllOf(HasSubstr("640×360"), HasSubstr("20 (1–20)")));
}

TEST_F(CliTest, LockedFocalAndRangeAreTaken) {
  const std::string target = (out / "r").string();
  ASSERT_EQ(moth({"solve", shot(ShotKind::Free), "-o", target, "--frames", "3-18", "--focal-px", "560", "--focal", "locked", "--quiet"}).code, 0);
  const auto report = nlohmann::json::parse(*readFile(fs::path(target) / "report.json"));
  EXPECT_EQ(report["frames"].size(), 16u);
  EXPECT_EQ(report["frames"][0]["frame"], 3);
  EXPECT_NEAR(report["cameras"]["A"]["lens"]["parameters"]["focal_px"].get<double>(), 560, 1e-9);
}

/// The program itself, so that signals are real.
pid_t start(const std::vector<std::string>& arguments) {
  std::vector<std::string> all = {DUSKY_MOTH};
  all.insert(all.end(), arguments.begin(), arguments.end());
  std::vector<char*> argv;
  for (std::string& a : all) argv.push_back(a.data());
  argv.push_back(nullptr);
  const pid_t child = fork();
  if (child == 0) {
    execv(argv[0], argv.data());
    _exit(99);
  }
  return child;
}

TEST_F(CliTest, InterruptedItEndsWith130AndLeavesNothingHalfWritten) {
  const pid_t child = start({"solve", shot(ShotKind::Free), "-o", (out / "cut").string(), "--quiet"});
  std::this_thread::sleep_for(std::chrono::milliseconds(700));
  kill(child, SIGINT);
  int status = 0;
  waitpid(child, &status, 0);
  ASSERT_TRUE(WIFEXITED(status));
  EXPECT_EQ(WEXITSTATUS(status), 130);
  EXPECT_TRUE(nothingIn(out / "cut"));
}

TEST_F(CliTest, KilledDuringASolveItLeavesAnEarlierProjectOpenable) {
  const std::string folder = shot(ShotKind::Free), target = (out / "kept").string();
  const fs::path project = fs::path(target) / (fs::path(folder).stem().string() + ".moth");
  ASSERT_EQ(moth({"solve", folder, "-o", target, "--quiet"}).code, 0);
  for (int wait_ms : {300, 1500, 2500, 3200}) {
    const pid_t child = start({"solve", folder, "-o", target, "--quiet", "--seed", "2"});
    std::this_thread::sleep_for(std::chrono::milliseconds(wait_ms));
    kill(child, SIGKILL);
    waitpid(child, nullptr, 0);
    Workspace workspace;
    ASSERT_TRUE(workspace.openProject(project).ok()) << "killed after " << wait_ms << " ms";
    EXPECT_TRUE(workspace.solution());
    EXPECT_TRUE(nlohmann::json::accept(*readFile(fs::path(target) / "report.json")));
  }
}

}  // namespace dusky::testing
