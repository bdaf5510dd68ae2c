#include <OpenImageIO/imageio.h>
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <fstream>

#include "core/base/atomic_file.h"
#include "core/image/pyramid.h"
#include "core/media/footage.h"
#include "core/media/frame_check.h"
#include "core/media/shot_source.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::AllOf;
using ::testing::HasSubstr;

const fs::path kDemo = DUSKY_DEMO_DATA "/ferry-landing.mp4";

/// A picture whose grey says which frame it is.
void writePicture(const fs::path& path, int grey, int width = 64, int height = 48, OIIO::TypeDesc type = OIIO::TypeDesc::UINT8) {
  const auto out = OIIO::ImageOutput::create(path.string());
  ASSERT_TRUE(out && out->open(path.string(), OIIO::ImageSpec(width, height, 3, type))) << path;
  const std::vector<float> values(static_cast<std::size_t>(width) * height * 3, static_cast<float>(grey) / 255);
  ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, values.data()));
  ASSERT_TRUE(out->close());
}

void writeSequence(const TemporaryFolder& folder, const std::string& ending, int first, int last, OIIO::TypeDesc type = OIIO::TypeDesc::UINT8) {
  for (int n = first; n <= last; ++n) writePicture(folder / fmt::format("quay.{:04d}.{}", n, ending), 40 + 10 * (n - first), 64, 48, type);
}

std::string whyNot(const fs::path& path) {
  const auto source = openFootage(path);
  EXPECT_FALSE(source.ok()) << path;
  if (source.ok()) return "";
  EXPECT_EQ(source.error().kind, ErrorKind::Unreadable);
  return source.error().message;
}

TEST(Sequence, KeepsTheFilesOwnNumbers) {
  const TemporaryFolder folder;
  writeSequence(folder, "png", 998, 1003);
  for (const fs::path& path : {folder.path(), folder / "quay.1000.png"}) {
    auto source = openFootage(path);
    ASSERT_TRUE(source.ok()) << source.error().message;
    EXPECT_EQ((*source)->info().first, 998);
    EXPECT_EQ((*source)->info().last, 1003);
    EXPECT_EQ((*source)->info().width, 64);
    const auto frame = (*source)->read(1001);
    ASSERT_TRUE(frame.ok());
    EXPECT_EQ(frame->number, 1001);
    EXPECT_NEAR(frame->luma.at(10, 10), 70, 0.6);
    EXPECT_EQ(frame->picture.at(10, 10).g, 70);
  }
}

TEST(Sequence, ReadsEveryKindOfPictureAlike) {
  for (const auto& [ending, type] : {std::pair{"png", OIIO::TypeDesc::UINT16},
                                     {"tif", OIIO::TypeDesc::UINT16},
                                     {"tif", OIIO::TypeDesc::UINT8},
                                     {"dpx", OIIO::TypeDesc::UINT16},
                                     {"jpg", OIIO::TypeDesc::UINT8}}) {
    const TemporaryFolder folder;
    writeSequence(folder, ending, 1, 3, type);
    auto source = openFootage(folder.path());
    ASSERT_TRUE(source.ok()) << ending << source.error().message;
    EXPECT_NEAR((*source)->read(2)->luma.at(20, 20), 50, 1.0) << ending;
  }
}

TEST(Sequence, LinearExrIsBroughtToTheScreen) {
  const TemporaryFolder folder;
  writePicture(folder / "a.0001.exr", 55, 64, 48, OIIO::TypeDesc::HALF);  // linear 0.2157
  auto source = openFootage(folder.path());
  ASSERT_TRUE(source.ok()) << source.error().message;
  const double expected = 255 * (1.055 * std::pow(55.0 / 255, 1 / 2.4) - 0.055);  // IEC 61966-2-1
  EXPECT_NEAR((*source)->read(1)->luma.at(5, 5), expected, 0.3);
}

TEST(Sequence, PixelsThatAreNoNumberAreBlack) {
  const TemporaryFolder folder;
  const auto out = OIIO::ImageOutput::create((folder / "render.0001.exr").string());
  ASSERT_TRUE(out && out->open((folder / "render.0001.exr").string(), OIIO::ImageSpec(16, 8, 4, OIIO::TypeDesc::FLOAT)));
  std::vector<float> values(16 * 8 * 4, 0.5f);
  const float none = std::numeric_limits<float>::quiet_NaN(), endless = std::numeric_limits<float>::infinity();
  for (int c = 0; c < 4; ++c)
    values[static_cast<std::size_t>(c)] = none, values[static_cast<std::size_t>(4 + c)] = endless, values[static_cast<std::size_t>(8 + c)] = -endless;
  ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, values.data()) && out->close());
  auto source = openFootage(folder.path());
  ASSERT_TRUE(source.ok()) << source.error().message;
  const auto frame = (*source)->read(1);
  ASSERT_TRUE(frame.ok());
  EXPECT_EQ(frame->luma.at(0, 0), 0);
  EXPECT_EQ(frame->picture.at(0, 0).r, 0);
  EXPECT_NEAR(frame->luma.at(1, 0), 255, 0.01);
  EXPECT_EQ(frame->luma.at(2, 0), 0);
  EXPECT_EQ((*source)->read(1, FrameUse::Alpha)->luma.at(0, 0), 0);
  EXPECT_NEAR(frame->luma.at(5, 5), 255 * (1.055 * std::pow(0.5, 1 / 2.4) - 0.055), 0.3) << "the others are as they were";
}

TEST(Sequence, AlphaSaysHowOpaqueThePictureIs) {
  const TemporaryFolder folder;
  const auto out = OIIO::ImageOutput::create((folder / "keyed.0001.png").string());
  ASSERT_TRUE(out && out->open((folder / "keyed.0001.png").string(), OIIO::ImageSpec(8, 4, 4, OIIO::TypeDesc::UINT8)));
  std::vector<float> values;
  for (int i = 0; i < 32; ++i) values.insert(values.end(), {0.2f, 0.2f, 0.2f, i % 8 < 4 ? 1.0f : 0.4f});
  ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, values.data()) && out->close());
  auto source = openShot(folder.path(), {.frame_offset = 100, .tone = {.exposure_stops = 2}});
  ASSERT_TRUE(source.ok());
  EXPECT_TRUE((*source)->info().has_alpha);
  const auto alpha = (*source)->read(101, FrameUse::Alpha);
  ASSERT_TRUE(alpha.ok()) << alpha.error().message;
  EXPECT_EQ(alpha->luma.at(3, 2), 255);
  EXPECT_NEAR(alpha->luma.at(4, 2), 102, 0.5) << "the tone is not its matter";
  EXPECT_FALSE((*openFootage(kDemo))->info().has_alpha);
}

/// An EXR of two parts whose first part's data covers only a piece of its display window.
void writeTwoParts(const fs::path& path) {
  OIIO::ImageSpec first(20, 10, 3, OIIO::TypeDesc::HALF), second(64, 48, 3, OIIO::TypeDesc::HALF);
  first.x = 12, first.y = 8;
  first.full_width = 64, first.full_height = 48;
  const OIIO::ImageSpec specs[2] = {first, second};
  const auto out = OIIO::ImageOutput::create(path.string());
  ASSERT_TRUE(out && out->open(path.string(), 2, specs)) << OIIO::geterror();
  const std::vector<float> bright(20 * 10 * 3, 1.0f), dark(64 * 48 * 3, 0.0f);
  ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, bright.data()));
  ASSERT_TRUE(out->open(path.string(), second, OIIO::ImageOutput::AppendSubimage));
  ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, dark.data()) && out->close());
}

TEST(Sequence, ExrShowsItsDisplayWindowAndItsFirstPart) {
  const TemporaryFolder folder;
  writeTwoParts(folder / "window.0001.exr");
  auto source = openFootage(folder.path());
  ASSERT_TRUE(source.ok()) << source.error().message;
  EXPECT_EQ((*source)->info().width, 64);
  EXPECT_EQ((*source)->info().height, 48);
  const auto frame = (*source)->read(1);
  ASSERT_TRUE(frame.ok()) << frame.error().message;
  EXPECT_NEAR(frame->luma.at(12, 8), 255, 0.5) << "the first pixel of the data window";
  EXPECT_NEAR(frame->luma.at(31, 17), 255, 0.5);
  for (const auto& [x, y] : {std::pair{11, 8}, {12, 7}, {32, 17}, {31, 18}, {0, 0}}) EXPECT_EQ(frame->luma.at(x, y), 0) << x << "," << y;
}

TEST(Sequence, SaysWhatIsWrong) {
  const TemporaryFolder gaps, sizes, two, empty;
  writeSequence(gaps, "png", 1, 4);
  fs::remove(gaps / "quay.0003.png");
  auto gap = openFootage(gaps.path());
  ASSERT_TRUE(gap.ok());
  EXPECT_EQ((*gap)->info().missing, std::vector<int>{3});
  EXPECT_EQ((*gap)->info().frames(), 3);
  EXPECT_THAT((*gap)->info().warnings.front(), HasSubstr("Frames 3 are missing"));
  EXPECT_THAT((*gap)->read(3).error().message, HasSubstr("Frame 3 is missing"));
  EXPECT_NEAR((*gap)->read(4)->luma.at(5, 5), 70, 0.6) << "the numbers after the gap stay the files' own";

  writeSequence(sizes, "png", 1, 2);
  writePicture(sizes / "quay.0003.png", 90, 32, 32);
  auto source = openFootage(sizes.path());
  ASSERT_TRUE(source.ok());
  const auto frame = (*source)->read(3);
  ASSERT_FALSE(frame.ok());
  EXPECT_THAT(frame.error().message, AllOf(HasSubstr("quay.0003.png"), HasSubstr("32×32"), HasSubstr("64×48")));

  writeSequence(two, "png", 1, 2);
  writePicture(two / "other.0001.png", 10);
  EXPECT_THAT(whyNot(two.path()), AllOf(HasSubstr("more than one sequence"), HasSubstr("other.0001.png")));

  EXPECT_THAT(whyNot(empty.path()), HasSubstr("holds no PNG, JPEG, TIFF, DPX or EXR pictures"));
  EXPECT_THAT(whyNot(empty / "missing.0001.png"), HasSubstr("missing.0001.png"));
}

TEST(Sequence, NumbersThatAreNoneOfASequenceAreRefused) {
  const TemporaryFolder folder;
  writePicture(folder / "photo.000000001.png", 40);
  writePicture(folder / "photo.999999999.png", 40);
  EXPECT_THAT(whyNot(folder.path()), AllOf(HasSubstr("from 1 to 999999999"), HasSubstr("not one sequence")));
}

TEST(Sequence, ADamagedPictureIsNamed) {
  const TemporaryFolder folder;
  writeSequence(folder, "png", 1, 3);
  const std::string whole = *readFile(folder / "quay.0002.png");
  std::ofstream(folder / "quay.0002.png", std::ios::binary) << whole.substr(0, whole.size() / 3);
  auto source = openFootage(folder.path());
  ASSERT_TRUE(source.ok());
  const auto frame = (*source)->read(2);
  ASSERT_FALSE(frame.ok());
  EXPECT_THAT(frame.error().message, HasSubstr("quay.0002.png"));
  EXPECT_TRUE((*source)->read(3).ok()) << "the others are still fine";
}

TEST(Movie, KnowsWhatItHolds) {
  auto source = openFootage(kDemo);
  ASSERT_TRUE(source.ok()) << source.error().message;
  const FootageInfo& info = (*source)->info();
  EXPECT_EQ(info.width, 1280);
  EXPECT_EQ(info.height, 720);
  EXPECT_DOUBLE_EQ(info.fps, 24);
  EXPECT_EQ(info.first, 1);
  EXPECT_EQ(info.last, 120);
  EXPECT_THAT(info.kind, HasSubstr("h264"));
}

TEST(Movie, AJumpGivesTheSameFrameAsReadingInOrder) {
  auto in_order = openFootage(kDemo), jumping = openFootage(kDemo);
  ASSERT_TRUE(in_order.ok() && jumping.ok());
  std::vector<FloatPlane> planes;
  for (int n = 1; n <= 45; ++n) planes.push_back((*in_order)->read(n)->luma);
  for (int n : {40, 3, 44, 1, 20, 19, 45}) {
    const auto frame = (*jumping)->read(n);
    ASSERT_TRUE(frame.ok()) << n;
    EXPECT_EQ(frame->number, n);
    EXPECT_EQ(frame->luma.data, planes[n - 1].data) << "frame " << n;
  }
}

TEST(Movie, FramesOutsideAreRefused) {
  auto source = openFootage(kDemo);
  for (int n : {0, 121, -4}) {
    const auto frame = (*source)->read(n);
    ASSERT_FALSE(frame.ok());
    EXPECT_EQ(frame.error().kind, ErrorKind::InvalidInput);
    EXPECT_THAT(frame.error().message, HasSubstr("1–120"));
  }
}

TEST(Movie, SaysWhatIsWrong) {
  const TemporaryFolder folder;
  EXPECT_THAT(whyNot(folder / "missing.mp4"), HasSubstr("missing.mp4"));
  std::ofstream(folder / "text.mp4") << "This is a shopping list, not a movie.\nrope, lamp oil, nails\n";
  EXPECT_THAT(whyNot(folder / "text.mp4"), HasSubstr("text.mp4"));
  std::ofstream(folder / "empty.mov");
  EXPECT_THAT(whyNot(folder / "empty.mov"), HasSubstr("empty.mov"));
  EXPECT_THAT(whyNot(""), HasSubstr("Name the footage"));
}

TEST(Movie, ATruncatedOneNamesItsFirstMissingFrame) {
  const TemporaryFolder folder;
  const std::string whole = *readFile(kDemo);
  std::ofstream(folder / "cut.mp4", std::ios::binary) << whole.substr(0, whole.size() / 2);
  auto source = openFootage(folder / "cut.mp4");
  if (!source.ok()) {
    EXPECT_THAT(source.error().message, HasSubstr("cut.mp4"));
    return;
  }
  // The index stands at the front, so the count is whole; the pictures end early.
  Result<Frame> frame = (*source)->read(1);
  int n = 1;
  while (frame.ok() && n < 120) frame = (*source)->read(++n);
  ASSERT_FALSE(frame.ok()) << "a movie cut in half cannot have all its frames";
  EXPECT_GT(n, 20);
  EXPECT_THAT(frame.error().message, AllOf(HasSubstr("cut.mp4"), HasSubstr(fmt::format("frame {}", n))));
}

/// Makes a movie out of the demo shot with the given options of the FFmpeg program.
fs::path madeMovie(const TemporaryFolder& folder, const std::string& options) {
  const fs::path made = folder / "made.mp4";
  const std::string command = fmt::format("ffmpeg -v error -y -t 1 -i {} {} {}", kDemo.string(), options, made.string());
  EXPECT_EQ(std::system(command.c_str()), 0) << command;
  return made;
}

TEST(Movie, ATurnedOneStandsUpright) {
  const TemporaryFolder folder;
  auto plain = openFootage(kDemo), turned = openFootage(madeMovie(folder, "-c copy -metadata:s:v:0 rotate=90"));
  ASSERT_TRUE(turned.ok()) << turned.error().message;
  EXPECT_EQ((*turned)->info().width, 720);
  EXPECT_EQ((*turned)->info().height, 1280);
  const auto a = (*plain)->read(3), b = (*turned)->read(3);
  ASSERT_TRUE(a.ok() && b.ok());
  // Its display matrix says a quarter turn counterclockwise: the right side comes to the top.
  EXPECT_EQ(b->luma.at(0, 0), a->luma.at(1279, 0));
  EXPECT_EQ(b->luma.at(200, 1279 - 100), a->luma.at(100, 200));
  EXPECT_EQ(b->picture.at(200, 1279 - 100), a->picture.at(100, 200));
}

TEST(Movie, AlphaIsReadToo) {
  const TemporaryFolder folder;
  auto source = openFootage(madeMovie(folder, "-vf \"format=rgba,colorchannelmixer=aa=0.25\" -frames:v 3 -c:v png -f mov"));
  ASSERT_TRUE(source.ok()) << source.error().message;
  EXPECT_TRUE((*source)->info().has_alpha);
  const auto alpha = (*source)->read(2, FrameUse::Alpha);
  ASSERT_TRUE(alpha.ok());
  EXPECT_EQ(alpha->luma.width, 1280);
  EXPECT_NEAR(alpha->luma.at(600, 300), 64, 1.5);
  EXPECT_GT((*source)->read(2)->luma.at(600, 300), 0);
}

TEST(Movie, UnevenTimesAreNumberedInOrderAndSaidSo) {
  const TemporaryFolder folder;
  auto source = openFootage(madeMovie(folder, "-vf \"select='not(eq(mod(n,5),3))'\" -vsync vfr"));
  ASSERT_TRUE(source.ok()) << source.error().message;
  const FootageInfo& info = (*source)->info();
  EXPECT_EQ(info.first, 1);
  EXPECT_EQ(info.last, 19) << "24 frames without five of them";
  ASSERT_EQ(info.warnings.size(), 1u);
  EXPECT_THAT(info.warnings.front(), HasSubstr("frame rate varies"));
  EXPECT_TRUE((*source)->read(19).ok());
  EXPECT_TRUE((*openFootage(kDemo))->info().warnings.empty());
}

/// Frames made for the check: a texture that slides, one of them blurred, one repeated, and another shot at the end.
class SpoiltShot final : public FrameSource {
 public:
  const FootageInfo& info() const override { return info_; }
  Result<Frame> read(int number, FrameUse) override {
    Frame frame;
    frame.number = number;
    frame.luma = FloatPlane(160, 120);
    const int shown = number == 12 ? 11 : number, other = number >= 22 ? 50 : 0;
    for (int y = 0; y < 120; ++y) {
      for (int x = 0; x < 160; ++x) {
        const double u = x + 2.0 * shown + other, v = y * (other ? 1.7 : 1.0);
        frame.luma.at(x, y) =
            static_cast<float>(110 + 40 * std::sin(0.9 * u) * std::cos(0.7 * v) + 50 * std::sin(0.08 * u + (other ? 2 : 0)) * std::sin(0.11 * v));
      }
    }
    for (int k = 0; number == 7 && k < 12; ++k) frame.luma = soften(frame.luma);
    return frame;
  }

 private:
  FootageInfo info_{"spoilt", "made", 160, 120, 24.0, 1, 30};
};

TEST(CheckFrames, MarksBlurredRepeatedAndCutFramesAndNoOthers) {
  SpoiltShot shot;
  const auto frames = checkFrames(shot, {}, {});
  ASSERT_TRUE(frames.ok());
  ASSERT_EQ(frames->size(), 30u);
  for (const CheckedFrame& f : *frames) {
    const FrameFault expected = f.frame == 7 ? FrameFault::Blurred : f.frame == 12 ? FrameFault::Repeated : f.frame == 22 ? FrameFault::Cut : FrameFault::None;
    EXPECT_EQ(f.fault, expected) << f.frame << " " << f.sentence;
    EXPECT_EQ(f.sentence.empty(), expected == FrameFault::None);
  }
  EXPECT_FALSE(checkFrames(shot, {.range = {3, 40}}, {}).ok());
}

TEST(CheckFrames, FindsNothingWrongWithTheDemoShot) {
  auto source = openFootage(kDemo);
  const auto frames = checkFrames(**source, {.range = {1, 60}}, {});
  ASSERT_TRUE(frames.ok());
  for (const CheckedFrame& f : *frames) EXPECT_EQ(f.fault, FrameFault::None) << f.frame << " " << f.sentence;
}

TEST(IsPictureFile, GoesByTheEnding) {
  EXPECT_TRUE(isPictureFile("a.0001.EXR"));
  EXPECT_TRUE(isPictureFile("b.jpeg"));
  EXPECT_FALSE(isPictureFile("c.mp4"));
  EXPECT_FALSE(isPictureFile("png"));
}

TEST(ShotSource, NumbersRateAndToneAreTheArtists) {
  const TemporaryFolder folder;
  writeSequence(folder, "png", 7, 10);
  const auto shot = openShot(folder / "quay.0007.png", {.fps = 30, .frame_offset = 993, .tone = {.exposure_stops = 1}});
  ASSERT_TRUE(shot.ok()) << shot.error().message;
  EXPECT_EQ((*shot)->info().first, 1000);
  EXPECT_EQ((*shot)->info().last, 1003);
  EXPECT_EQ((*shot)->info().fps, 30);
  const auto frame = (*shot)->read(1002);
  ASSERT_TRUE(frame.ok()) << frame.error().message;
  EXPECT_EQ(frame->number, 1002);
  EXPECT_NEAR(frame->luma.at(9, 9), 60 * std::pow(2.0, 1 / 2.2), 0.5) << "the third picture, a stop up";
  EXPECT_NEAR(frame->picture.at(9, 9).g, 60 * std::pow(2.0, 1 / 2.2), 1);
  EXPECT_FALSE((*shot)->read(7).ok());
  EXPECT_THAT(openShot(folder / "quay.0007.png", {.tone = {.gamma = 0}}).error().message, HasSubstr("Gamma must be 0.2 to 5"));
  EXPECT_THAT(openShot(folder / "quay.0007.png", {.fps = -3}).error().message, HasSubstr("Frames per second"));
}

TEST(ShotSource, OneChannelIsSeenAndTracked) {
  const TemporaryFolder folder;
  const auto out = OIIO::ImageOutput::create((folder / "hut.0001.png").string());
  ASSERT_TRUE(out && out->open((folder / "hut.0001.png").string(), OIIO::ImageSpec(64, 48, 3, OIIO::TypeDesc::UINT8)));
  std::vector<float> values;
  for (int i = 0; i < 64 * 48; ++i) values.insert(values.end(), {0.2f, 0.4f, 0.8f});
  ASSERT_TRUE(out->write_image(OIIO::TypeDesc::FLOAT, values.data()) && out->close());
  const auto blue = openShot(folder / "hut.0001.png", {.tone = {.channel = Channel::Blue}});
  ASSERT_TRUE(blue.ok());
  EXPECT_NEAR((*blue)->read(1, FrameUse::Tracking)->luma.at(5, 5), 0.8 * 255, 1);
  EXPECT_NEAR((*blue)->read(1)->picture.at(5, 5).r, 0.8 * 255, 1);
  EXPECT_NEAR((*blue)->read(1, FrameUse::Tracking)->picture.at(5, 5).r, 0.2 * 255, 1) << "points keep their colours";
}
}  // namespace dusky::testing
