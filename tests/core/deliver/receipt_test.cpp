// What a receipt must find: files that were damaged or changed after they were written, each in one way.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <regex>

#include "core/base/atomic_file.h"
#include "tests/support/made_delivery.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::HasSubstr;

class ReceiptTest : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    made = std::make_unique<MadeDelivery>(smallPlan());
    whole = std::make_unique<TemporaryFolder>();
    choices.what = {"camera.glb", "camera.usda", "points.ply", "camera.csv", "lens.json", "st-maps", "plates", "splat-set", "report.json"};
    const auto delivered = deliver(made->input(), choices, whole->path(), {});
    ASSERT_TRUE(delivered.ok()) << delivered.error().message;
    ASSERT_TRUE(delivered->receipt->passed()) << delivered->receipt->failure();
  }
  static void TearDownTestSuite() { made.reset(), whole.reset(); }
  void SetUp() override { fs::copy(whole->path(), folder.path(), fs::copy_options::recursive | fs::copy_options::overwrite_existing); }

  /// What the receipt says is wrong; empty: nothing.
  std::string failure() const { return checkDelivery(made->input(), choices, folder.path(), {})->failure(); }
  std::string text(const char* name) const { return *readFile(folder / name); }
  void put(const char* name, const std::string& bytes) const { ASSERT_TRUE(writeFileAtomically(folder / name, bytes).ok()); }
  void replace(const char* name, const std::string& pattern, const std::string& with) const {
    const std::string before = text(name), after = std::regex_replace(before, std::regex(pattern), with);
    ASSERT_NE(before, after) << "nothing was changed";
    put(name, after);
  }

  static std::unique_ptr<MadeDelivery> made;
  static std::unique_ptr<TemporaryFolder> whole;
  static DeliveryChoices choices;
  TemporaryFolder folder;
};
std::unique_ptr<MadeDelivery> ReceiptTest::made;
std::unique_ptr<TemporaryFolder> ReceiptTest::whole;
DeliveryChoices ReceiptTest::choices;

TEST_F(ReceiptTest, WhatIsAsItWasWrittenPasses) { EXPECT_EQ(failure(), ""); }

TEST_F(ReceiptTest, AFlippedAxisIsFound) {
  replace("camera.usda", "upAxis = \"Y\"", "upAxis = \"Z\"");
  EXPECT_THAT(failure(), HasSubstr("camera.usda: says Z is up"));
}

/// As an exporter would that takes the wrong handedness: every x of cameras and points the other way.
TEST_F(ReceiptTest, AMirrorIsFound) {
  const std::string number = R"((-?[0-9][-+.e0-9]*))";
  std::string usda = text("camera.usda");
  usda = std::regex_replace(usda, std::regex(R"(\()" + number + ", " + number + ", " + number + R"(, 1\) \))"), "(-$1, $2, $3, 1) )");
  usda = std::regex_replace(usda, std::regex("\\(--"), "(");
  put("camera.usda", usda);
  EXPECT_THAT(failure(), HasSubstr("camera.usda: "));
}

TEST_F(ReceiptTest, AFrameOneLateIsFound) {
  // The transform of each frame takes the place of that before it.
  std::string usda = text("camera.usda");
  for (int frame = 1001; frame <= 1006; ++frame)
    usda = std::regex_replace(usda, std::regex(std::to_string(frame) + R"(: \( \()"), std::to_string(frame - 1) + ": ( (");
  put("camera.usda", usda);
  EXPECT_THAT(failure(), HasSubstr("camera.usda: "));
  EXPECT_THAT(checkDelivery(made->input(), choices, folder.path(), {})->json(), HasSubstr("1 frame"));
}

TEST_F(ReceiptTest, AWrongFocalLengthIsFound) {
  const std::string usda = text("camera.usda");
  std::smatch found;
  ASSERT_TRUE(std::regex_search(usda, found, std::regex("float focalLength = ([0-9.]+)")));
  replace("camera.usda", "float focalLength = [0-9.]+", "float focalLength = " + std::to_string(1.02 * std::stod(found[1])));
  EXPECT_THAT(failure(), HasSubstr("camera.usda: points lie"));
}

TEST_F(ReceiptTest, SwappedPlatesAreFound) {
  fs::rename(folder / "plates" / "plate.1002.png", folder / "plates" / "x");
  fs::rename(folder / "plates" / "plate.1005.png", folder / "plates" / "plate.1002.png");
  fs::rename(folder / "plates" / "x", folder / "plates" / "plate.1005.png");
  EXPECT_THAT(failure(), HasSubstr("plates: the plate of frame 1002"));
}

TEST_F(ReceiptTest, NeighboursSwappedAreFound) {
  fs::rename(folder / "plates" / "plate.1003.png", folder / "plates" / "x");
  fs::rename(folder / "plates" / "plate.1004.png", folder / "plates" / "plate.1003.png");
  fs::rename(folder / "plates" / "x", folder / "plates" / "plate.1004.png");
  EXPECT_THAT(failure(), HasSubstr("plates: the plate of frame 1003"));
}

TEST_F(ReceiptTest, AMissingPlateIsFound) {
  fs::remove(folder / "plates" / "plate.1004.png");
  EXPECT_THAT(failure(), HasSubstr("1004"));
}

TEST_F(ReceiptTest, StMapsThatAreExchangedAreFound) {
  fs::copy_file(folder / "st-maps" / "undistort.exr", folder / "st-maps" / "redistort.exr", fs::copy_options::overwrite_existing);
  EXPECT_THAT(failure(), HasSubstr("st-maps: "));
}

TEST_F(ReceiptTest, EveryFileThatIsCutOffIsFound) {
  for (const char* name : {"camera.glb", "camera.usda", "points.ply", "camera.csv", "lens.json", "report.json", "st-maps/undistort.exr",
                           "plates/plate.1003.png", "splat-set/points.ply", "splat-set/transforms_train.json"}) {
    const std::string bytes = text(name);
    put(name, bytes.substr(0, bytes.size() / 2));
    const std::string said = failure();
    EXPECT_NE(said, "") << name;
    EXPECT_THAT(said, HasSubstr(fs::path(name).begin()->string())) << name;
    put(name, bytes);
  }
  EXPECT_EQ(failure(), "");
}

TEST_F(ReceiptTest, ASplatSetWithTheWrongMatricesIsFound) {
  const std::string train = text("splat-set/transforms_train.json");
  std::smatch found;
  ASSERT_TRUE(std::regex_search(train, found, std::regex("\"camera_angle_x\": ([0-9.]+)")));
  replace("splat-set/transforms_train.json", "\"camera_angle_x\": [0-9.]+", "\"camera_angle_x\": " + std::to_string(1.03 * std::stod(found[1])));
  EXPECT_THAT(failure(), HasSubstr("splat-set: points lie"));
}

TEST_F(ReceiptTest, ColoursThatAreOffAreFound) {
  std::string ply = text("points.ply");
  ply[ply.find("end_header\n") + 11 + 12] ^= 0x40;
  put("points.ply", ply);
  EXPECT_THAT(failure(), HasSubstr("colour"));
}

TEST_F(ReceiptTest, ARollingShutterIsToldAsWhatItCosts) {
  MadeDelivery rolling(smallPlan());
  rolling.solution.readout = 0.3;
  for (SolvedTrack& track : rolling.solution.tracks) {
    for (TrackError& error : track.errors) error.reprojected += Vec2(0.4, 0);
  }
  const TemporaryFolder out;
  DeliveryChoices cameras;
  const auto delivered = deliver(rolling.input(), cameras, out.path(), {});
  ASSERT_TRUE(delivered.ok());
  EXPECT_THAT(delivered->receipt->notes, ::testing::Contains(HasSubstr("0.40 px")));
}

/// Gives every frame the picture of the one after it.
class Late final : public FrameSource {
 public:
  explicit Late(std::unique_ptr<FrameSource> source) : source_(std::move(source)) {}
  const FootageInfo& info() const override { return source_->info(); }
  Result<Frame> read(int number, FrameUse use) override {
    auto frame = source_->read(std::min(number + 1, info().last), use);
    if (frame.ok()) frame->number = number;
    return frame;
  }

 private:
  std::unique_ptr<FrameSource> source_;
};

TEST_F(ReceiptTest, AFailedReceiptKeepsWhatWasThereAndSaysSoByName) {
  const TemporaryFolder out;
  DeliveryChoices plates;
  plates.what = {"plates", "camera.glb"};
  ASSERT_TRUE(deliver(made->input(), plates, out.path(), {}).ok());
  const std::string before = *readFile(out / "plates" / "plate.1002.png");
  // Footage that is a frame late when plates are made of it, and right when they are checked.
  DeliveryInput input = made->input();
  input.open_footage = [open = made->input().open_footage, opened = std::make_shared<int>(0)]() -> Result<std::unique_ptr<FrameSource>> {
    auto source = open();
    if (++*opened > 1) return source;
    return std::unique_ptr<FrameSource>(std::make_unique<Late>(std::move(*source)));
  };
  const auto delivered = deliver(input, plates, out.path(), {});
  ASSERT_TRUE(delivered.ok()) << delivered.error().message;
  ASSERT_FALSE(delivered->receipt->passed());
  EXPECT_THAT(delivered->receipt->failure(), HasSubstr("plates: "));
  EXPECT_EQ(*readFile(out / "plates" / "plate.1002.png"), before);
  EXPECT_TRUE(fs::exists(out / "failed-delivery" / "camera.glb"));
  EXPECT_TRUE(fs::exists(out / "failed-delivery" / "receipt.json"));
  for (const DeliveredFile& file : delivered->files) EXPECT_TRUE(fs::exists(file.path)) << file.path;
}

}  // namespace dusky::testing
