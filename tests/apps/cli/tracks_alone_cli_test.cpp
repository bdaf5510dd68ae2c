// moth solve --tracks: 2D tracks in, with footage and without.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/atomic_file.h"
#include "core/pipeline/workspace.h"
#include "core/project/edits.h"
#include "core/track/track_files.h"
#include "tests/apps/cli/run_moth.h"
#include "tests/support/shot_maker.h"
#include "tests/support/synthetic_shot.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::AllOf;
using ::testing::HasSubstr;

class TracksAloneCli : public ::testing::Test {
 protected:
  void SetUp() override {
    const TrackSet tracks = makeSyntheticShot({.frames = 20, .points = 180, .noise_px = 0.2}).tracks;
    ASSERT_TRUE(writeFileAtomically(folder / "walk.json", tracksToJson(tracks)).ok());
    ASSERT_TRUE(writeFileAtomically(folder / "walk.csv", tracksToCsv(tracks)).ok());
  }
  std::string at(const char* name) { return (folder / name).string(); }
  nlohmann::json report(const char* name) { return nlohmann::json::parse(*readFile(folder / name / "report.json")); }
  TemporaryFolder folder;
};

TEST_F(TracksAloneCli, AreSolvedWithoutFootage) {
  const Ran json = moth({"solve", "--tracks", at("walk.json"), "-o", at("a"), "--quiet"});
  ASSERT_EQ(json.code, 0) << json.err;
  const Ran csv = moth({"solve", "--tracks", at("walk.csv"), "--size", "1280x720", "--fps", "25", "-o", at("b"), "--quiet"});
  ASSERT_EQ(csv.code, 0) << csv.err;
  EXPECT_EQ(report("a")["frames"].size(), 20u);
  EXPECT_EQ(report("b")["footage"]["fps"], 25);
  EXPECT_EQ(report("b")["footage"]["width"], 1280);
  const double focal = report("a")["cameras"]["A"]["lens"]["parameters"]["focal_px"];
  EXPECT_NEAR(focal, 1100, 12);
  EXPECT_NEAR(report("b")["cameras"]["A"]["lens"]["parameters"]["focal_px"].get<double>(), focal, 0.1) << "the same places";
  Workspace again;
  std::string warning;
  ASSERT_TRUE(again.openProject(folder / "a" / "walk.moth", &warning).ok());
  EXPECT_EQ(warning, "");
  EXPECT_TRUE(again.solution());
}

TEST_F(TracksAloneCli, ACameraThatExplainsLittleEndsWith5AndTheReportSaysWhy) {
  const SyntheticShot astray = makeSyntheticShot({.frames = 20, .points = 900, .noise_px = 0.2, .outlier_share = 0.8});
  ASSERT_TRUE(writeFileAtomically(folder / "astray.json", tracksToJson(astray.tracks)).ok());
  const Ran ran = moth({"solve", "--tracks", at("astray.json"), "-o", at("x")});
  EXPECT_EQ(ran.code, 5);
  EXPECT_THAT(ran.err, HasSubstr("not to be trusted"));
  EXPECT_THAT(ran.out, HasSubstr("verdict  reject: Only"));
  const auto verdict = report("x")["verdict"];
  EXPECT_EQ(verdict["level"], "reject");
  EXPECT_LT(verdict["explained_share"].get<double>(), 0.25);
  EXPECT_EQ(verdict["causes"][0]["what"], "few tracks explained");
  EXPECT_TRUE(verdict["causes"][0]["first"].is_null()) << "all over the shot";
  EXPECT_TRUE(fs::exists(folder / "x" / "camera.glb")) << "everything is still written";

  ASSERT_EQ(moth({"solve", "--tracks", at("walk.json"), "-o", at("y"), "--quiet"}).code, 0);
  EXPECT_NE(report("y")["verdict"]["level"], "reject");
  EXPECT_NEAR(report("y")["verdict"]["noise_floor_px"].get<double>(), 0.2, 0.05);
  EXPECT_EQ(report("y")["readout_ms"], 0);
}

TEST_F(TracksAloneCli, ARollingShutterIsToldInMillisecondsUnlessItIsRuledOut) {
  SyntheticPlan plan{.frames = 40, .points = 500, .noise_px = 0.15, .life = 30, .readout = 0.3};
  plan.path = [](int i) {
    const Pose on = walkingOn(i, 0.07);
    return Pose{on.world_from_camera * rotationFromVector(0.008 * Vec3(std::sin(0.9 * i), std::cos(1.3 * i), std::sin(0.7 * i))), on.centre};
  };
  ASSERT_TRUE(writeFileAtomically(folder / "rolls.json", tracksToJson(makeSyntheticShot(plan).tracks)).ok());
  ASSERT_EQ(moth({"solve", "--tracks", at("rolls.json"), "--fps", "25", "-o", at("r"), "--quiet"}).code, 0);
  EXPECT_NEAR(report("r")["readout_ms"].get<double>(), 0.3 * 40, 1);
  moth({"solve", "--tracks", at("rolls.json"), "--fps", "25", "--global-shutter", "-o", at("g"), "--quiet"});
  EXPECT_EQ(report("g")["readout_ms"], 0);
  EXPECT_EQ(moth({"solve", "--tracks", at("rolls.json"), "--global-shutter", "--find-readout", "-o", at("h")}).code, 2);
}

TEST_F(TracksAloneCli, StandInPlaceOfTrackingWithFootage) {
  ShotPlan plan = planShot(ShotKind::Free);
  plan.frames = 14;
  ASSERT_TRUE(MadeShot(plan).write((folder / "shot").string(), "f") || fs::create_directories(folder / "shot"));
  ASSERT_TRUE(MadeShot(plan).write((folder / "shot").string(), "f"));
  const Ran tracked = moth({"track", at("shot"), "-o", at("t.csv"), "--quiet"});
  ASSERT_EQ(tracked.code, 0) << tracked.err;
  const Ran solved = moth({"solve", at("shot"), "--tracks", at("t.csv"), "-o", at("c"), "--quiet"});
  ASSERT_EQ(solved.code, 0) << solved.err;
  const auto ids = report("c")["points"];
  ASSERT_FALSE(ids.empty());
  for (const auto& point : ids) EXPECT_GE(point["id"].get<int>(), kFirstImportedId);
  // Frames that the footage has not, and a size that is not its own.
  EXPECT_TRUE(writeFileAtomically(folder / "late.csv", "1,30,5,5\n1,31,6,5\n1,32,7,5\n").ok());
  const Ran late = moth({"solve", at("shot"), "--tracks", at("late.csv"), "-o", at("d")});
  EXPECT_EQ(late.code, 2);
  EXPECT_THAT(late.err, AllOf(HasSubstr("late.csv"), HasSubstr("frame 30"), HasSubstr("1–14")));
  const Ran other = moth({"solve", at("shot"), "--tracks", at("walk.json"), "-o", at("d")});
  EXPECT_THAT(other.err, HasSubstr("1280×720"));
  EXPECT_FALSE(fs::exists(folder / "d"));
}

TEST_F(TracksAloneCli, BadArgumentsAreNamed) {
  EXPECT_THAT(moth({"solve", "-o", at("e")}).err, AllOf(HasSubstr("FOOTAGE"), HasSubstr("--tracks")));
  EXPECT_THAT(moth({"solve", "--tracks", at("walk.csv"), "-o", at("e")}).err, HasSubstr("how large the picture is"));
  EXPECT_THAT(moth({"solve", "--tracks", at("walk.csv"), "--size", "big", "-o", at("e")}).err, HasSubstr("1920x1080"));
  EXPECT_EQ(moth({"solve", "--tracks", at("none.json"), "-o", at("e")}).code, 2);
  EXPECT_FALSE(fs::exists(folder / "e"));
}

TEST_F(TracksAloneCli, WeightsAreTakenByNumberAndKeptWithTheProject) {
  ASSERT_EQ(moth({"solve", "--tracks", at("walk.json"), "-o", at("a"), "--quiet"}).code, 0);
  const std::string one = std::to_string(report("a")["points"][0]["id"].get<int>());
  ASSERT_EQ(moth({"solve", "--tracks", at("walk.json"), "-o", at("w"), "--quiet", "--weight", one + "=40", "--weight", one + "=60"}).code, 0);
  EXPECT_NE(report("w")["rms_px"], report("a")["rms_px"]);
  EXPECT_LT(report("w")["points"][0]["typical_error_px"].get<double>(), report("a")["points"][0]["typical_error_px"].get<double>()) << "it pulls";
  Workspace again;
  ASSERT_TRUE(again.openProject(folder / "w" / "walk.moth").ok());
  ASSERT_EQ(again.document().picks.weights.size(), 1u);
  EXPECT_EQ(again.document().picks.weights[0].weight, 60) << "the last word";
  EXPECT_THAT(moth({"info", at("w/walk.moth")}).out, HasSubstr("1 weighted"));
  const Ran back = moth({"solve", at("w/walk.moth"), "-o", at("b"), "--quiet", "--weight", one + "=1"});
  EXPECT_EQ(back.code, 0) << back.err;
  EXPECT_EQ(report("b")["rms_px"], report("a")["rms_px"]) << "back to the last digit";
  for (const char* wrong : {"12", "12=", "=3", "12=0", "12=1000", "12=4x", "12=nan"}) {
    const Ran refused = moth({"solve", "--tracks", at("walk.json"), "-o", at("e"), "--weight", wrong});
    EXPECT_EQ(refused.code, 2) << wrong;
    EXPECT_THAT(refused.err, AllOf(HasSubstr("--weight"), HasSubstr(wrong)));
  }
  const Ran nobody = moth({"solve", "--tracks", at("walk.json"), "-o", at("e"), "--weight", "lamp=4"});
  EXPECT_EQ(nobody.code, 2);
  EXPECT_THAT(nobody.err, HasSubstr("\"lamp\""));
  EXPECT_FALSE(fs::exists(folder / "e"));
}

TEST_F(TracksAloneCli, AProjectKeepsItsSeedUnlessOneIsGiven) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(at("walk.json")).ok());
  ASSERT_TRUE(w.run(setMember("Seed", &Document::seed, 7)).ok());
  ASSERT_TRUE(w.saveAs(folder / "seven.moth").ok() && w.flush().ok());
  const auto seedOf = [&](const char* target, const std::vector<std::string>& more) {
    std::vector<std::string> arguments = {"solve", at("seven.moth"), "-o", at(target), "--quiet"};
    arguments.insert(arguments.end(), more.begin(), more.end());
    EXPECT_EQ(moth(arguments).code, 0);
    Workspace solved;
    EXPECT_TRUE(solved.openProject(folder / target / "seven.moth").ok());
    return solved.document().seed;
  };
  EXPECT_EQ(seedOf("own", {}), 7);
  EXPECT_EQ(seedOf("given", {"--seed", "3"}), 3);
}

}  // namespace dusky::testing
