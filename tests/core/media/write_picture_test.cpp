#include "core/media/write_picture.h"

#include <gtest/gtest.h>

#include <limits>
#include <random>

#include "core/media/footage.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace {

namespace fs = std::filesystem;
using Depth = PictureEncoding::Depth;

/// Values that the depth holds exactly, of all sizes, in no order.
std::vector<float> valuesOf(int count, int most) {
  std::mt19937 random(7);
  std::vector<float> values(count);
  for (float& v : values) v = static_cast<float>(random() % (most + 1)) / static_cast<float>(most);
  return values;
}

struct Case {
  int width, height;
  std::vector<std::string> channels;
};

TEST(WritePicture, APngIsReadBackAsItWas) {
  const TemporaryFolder folder;
  const Case cases[] = {{1, 1, {"R", "G", "B"}}, {37, 5, {"Y"}}, {3, 41, {"R", "G", "B"}}, {1280, 720, {"R", "G", "B"}}};
  for (const Case& c : cases) {
    for (const auto& [depth, most, name] : {std::tuple(Depth::Byte, 255, "uint8"), std::tuple(Depth::Word, 65535, "uint16")}) {
      SCOPED_TRACE(::testing::Message() << c.width << "x" << c.height << " of " << c.channels.size() << " " << name);
      const auto values = valuesOf(c.width * c.height * static_cast<int>(c.channels.size()), most);
      const fs::path path = folder.path() / "a.png";
      ASSERT_TRUE(writeValues(path, {values.data(), c.width, c.height, c.channels}, {.depth = depth}).ok());
      const auto read = readStoredPicture(path);
      ASSERT_TRUE(read.ok()) << read.error().message;
      EXPECT_EQ(read->width, c.width);
      EXPECT_EQ(read->height, c.height);
      EXPECT_EQ(read->channels.size(), c.channels.size());
      EXPECT_EQ(read->depth, name);
      for (std::size_t i = 0; i < values.size(); ++i) ASSERT_NEAR(read->values[i], values[i], 1e-7) << "value " << i;
    }
  }
}

TEST(WritePicture, APngLargerThanOneOfItsChunks) {
  const TemporaryFolder folder;
  const auto values = valuesOf(2000 * 1600 * 3, 65535);
  const fs::path path = folder.path() / "grain.png";
  ASSERT_TRUE(writeValues(path, {values.data(), 2000, 1600}, {.depth = Depth::Word}).ok());
  EXPECT_GT(fs::file_size(path), std::uintmax_t{1} << 24);
  const auto read = readStoredPicture(path);
  ASSERT_TRUE(read.ok()) << read.error().message;
  for (std::size_t i = 0; i < values.size(); i += 101) ASSERT_NEAR(read->values[i], values[i], 1e-7) << "value " << i;
  const auto through = readThroughPicture(path);
  ASSERT_TRUE(through.ok()) << through.error().message;
  EXPECT_EQ(std::tuple(through->width, through->height, through->channels.size(), through->depth), std::tuple(2000, 1600, 3u, std::string("uint16")));
  EXPECT_TRUE(through->values.empty());
  fs::resize_file(path, fs::file_size(path) * 2 / 3);
  EXPECT_FALSE(readThroughPicture(path).ok()) << "its last lines are missing";
}

TEST(WritePicture, ValuesOutsideAreBlackOrWhiteAndPixelsKeepTheirShape) {
  const TemporaryFolder folder;
  const float values[] = {-0.5f, std::numeric_limits<float>::quiet_NaN(), 7, 0.25f, 1, std::numeric_limits<float>::infinity()};
  for (int n = 1; n <= 2; ++n) {
    ASSERT_TRUE(writeValues(folder.path() / ("wide." + std::to_string(n) + ".png"), {values, 2, 1}, {.depth = Depth::Word, .pixel_aspect = 2}).ok());
  }
  const auto read = readStoredPicture(folder.path() / "wide.1.png");
  ASSERT_TRUE(read.ok()) << read.error().message;
  const float expected[] = {0, 0, 1, 0.25f, 1, 1};
  for (int i = 0; i < 6; ++i) EXPECT_NEAR(read->values[i], expected[i], 1e-5) << "value " << i;
  const auto footage = openFootage((folder.path() / "wide.1.png").string());
  ASSERT_TRUE(footage.ok()) << footage.error().message;
  EXPECT_NEAR((*footage)->info().pixel_aspect, 2, 1e-6);
}

TEST(WritePicture, HalvesAreTheNearestAndUncompressedOnesTheSame) {
  const TemporaryFolder folder;
  std::vector<float> values = valuesOf(33 * 7 * 3, 4096);
  values[5] = 1000.3f, values[6] = -2.00049f;
  PictureEncoding encoding{.depth = Depth::Half, .linear = true};
  for (const bool compressed : {true, false}) {
    encoding.compressed = compressed;
    ASSERT_TRUE(writeValues(folder.path() / "a.exr", {values.data(), 33, 7}, encoding).ok());
    const auto read = readStoredPicture(folder.path() / "a.exr");
    ASSERT_TRUE(read.ok()) << read.error().message;
    EXPECT_EQ(read->depth, "half");
    // Eleven bits: half of the last one at most is lost.
    for (std::size_t i = 0; i < values.size(); ++i) ASSERT_NEAR(read->values[i], values[i], std::abs(values[i]) / 2048 + 1e-7) << "value " << i;
  }
}

}  // namespace
}  // namespace dusky::testing
