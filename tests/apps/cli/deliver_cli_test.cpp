// moth deliver: what is chosen, by names and presets, and what comes of it.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "core/base/atomic_file.h"
#include "core/track/track_files.h"
#include "tests/apps/cli/run_moth.h"
#include "tests/support/shot_maker.h"
#include "tests/support/synthetic_shot.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::HasSubstr;
using Json = nlohmann::json;

class DeliverCommand : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    shared = std::make_unique<TemporaryFolder>();
    ASSERT_EQ(moth({"solve", quaySequence(12), "-o", (*shared / "quay").string(), "--quiet"}).code, 0);
  }
  static void TearDownTestSuite() { shared.reset(); }
  /// The only project that solving wrote.
  static std::string project() {
    for (const auto& entry : fs::directory_iterator(*shared / "quay")) {
      if (entry.path().extension() == ".moth") return entry.path().string();
    }
    return {};
  }
  std::string out(const char* name) const { return (folder / name).string(); }
  static std::unique_ptr<TemporaryFolder> shared;
  TemporaryFolder folder;
};
std::unique_ptr<TemporaryFolder> DeliverCommand::shared;

TEST_F(DeliverCommand, WritesWhatIsNamedIntoAFolderOfAnyNameAndPrintsTheReceipt) {
  const Ran ran =
      moth({"deliver", project(), "-o", out("an alle, 撮影"), "--what", "camera.usda,plates,st-maps", "--plates", "exr", "--fit", "whole", "--json"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  const Json receipt = Json::parse(ran.out);
  EXPECT_EQ(receipt["format"], "dusky-moth-receipt");
  EXPECT_EQ(receipt["passed"], true);
  EXPECT_LT(receipt["drift_rms_px"], 1);
  for (const char* name :
       {"camera.usda", "plates/plate.0001.exr", "plates/plate.0012.exr", "st-maps/undistort.exr", "receipt.json", "receipt.html", "receipt.png"})
    EXPECT_TRUE(fs::exists(folder / "an alle, 撮影" / name)) << name;
  EXPECT_FALSE(fs::exists(folder / "an alle, 撮影" / "camera.glb"));
  EXPECT_EQ(std::distance(fs::directory_iterator(folder / "an alle, 撮影"), fs::directory_iterator()), 6);
}

TEST_F(DeliverCommand, PresetsAreTakenByName) {
  const Ran ran = moth({"deliver", project(), "-o", out("a"), "--preset", "3D scene"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("checks passed"));
  EXPECT_TRUE(fs::exists(folder / "a" / "camera.usda"));
  const Ran unknown = moth({"deliver", project(), "-o", out("b"), "--preset", "nothing"});
  EXPECT_EQ(unknown.code, 2);
  EXPECT_THAT(unknown.err, HasSubstr("compositing"));
  EXPECT_FALSE(fs::exists(folder / "b"));
}

TEST_F(DeliverCommand, StillsAreAsManyAsAskedFor) {
  ASSERT_EQ(moth({"deliver", project(), "-o", out("a"), "--what", "stills", "--stills", "3", "--quiet"}).code, 0);
  EXPECT_EQ(std::distance(fs::directory_iterator(folder / "a" / "stills"), fs::directory_iterator()), 3);
  for (const char* name : {"still.0001.png", "still.0012.png"}) EXPECT_TRUE(fs::exists(folder / "a" / "stills" / name)) << name;
  EXPECT_EQ(moth({"deliver", project(), "-o", out("b"), "--what", "stills", "--stills", "0"}).code, 2);
}

TEST_F(DeliverCommand, BadWordsAreRefusedBeforeAnythingIsWritten) {
  for (const auto& [option, value, word] :
       {std::tuple("--what", "camera.glb,film", "film"), {"--unit", "cm", "no scale"}, {"--scale", "-1", "scaled"}, {"--test-every", "1", "testing"}}) {
    const Ran ran = moth({"deliver", project(), "-o", out("a"), option, value});
    EXPECT_EQ(ran.code, 2) << option;
    EXPECT_THAT(ran.err, HasSubstr(word));
    EXPECT_TRUE(!fs::exists(folder / "a") || fs::is_empty(folder / "a"));
  }
  EXPECT_EQ(moth({"deliver", out("none.moth"), "-o", out("a")}).code, 2);
}

/// Files may not grow beyond 60 blocks of 1 kB: what a full disk says at that place.
TEST_F(DeliverCommand, AFullDiskIsToldAndLeavesWhatWasThere) {
  ASSERT_EQ(moth({"deliver", project(), "-o", out("a"), "--what", "camera.csv", "--quiet"}).code, 0);
  const std::string before = *readFile(folder / "a" / "camera.csv");
  const std::string command = "bash -c 'trap \"\" XFSZ; ulimit -f 60; exec " DUSKY_MOTH " deliver " + project() + " -o " + out("a") +
                              " --what camera.csv,plates --quiet' 2> " + out("said");
  EXPECT_EQ(WEXITSTATUS(std::system(command.c_str())), 2);
  EXPECT_THAT(*readFile(folder / "said"), HasSubstr("Cannot write"));
  EXPECT_EQ(*readFile(folder / "a" / "camera.csv"), before);
  EXPECT_FALSE(fs::exists(folder / "a" / "plates"));
  EXPECT_EQ(std::distance(fs::directory_iterator(folder / "a"), fs::directory_iterator()), 3);
}

TEST_F(DeliverCommand, TracksAloneHaveNoPlates) {
  ASSERT_TRUE(writeFileAtomically(folder / "walk.json", tracksToJson(makeSyntheticShot({.frames = 16, .points = 120}).tracks)).ok());
  ASSERT_EQ(moth({"solve", "--tracks", out("walk.json"), "-o", out("s"), "--quiet"}).code, 0);
  EXPECT_EQ(moth({"deliver", out("s/walk.moth"), "-o", out("a"), "--what", "camera.glb,camera.usda,st-maps"}).code, 0);
  const Ran ran = moth({"deliver", out("s/walk.moth"), "-o", out("b"), "--what", "plates"});
  EXPECT_EQ(ran.code, 2);
  EXPECT_THAT(ran.err, HasSubstr("2D tracks"));
}

}  // namespace dusky::testing
