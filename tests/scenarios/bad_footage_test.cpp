// Footage, mattes and masks that cannot work: every refusal is one sentence that says what, where and what to do, and nothing half-written is left.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <fstream>

#include "core/media/write_picture.h"
#include "core/pipeline/workspace.h"
#include "core/project/edits.h"
#include "tests/support/shot_maker.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::AllOf;
using ::testing::HasSubstr;

class BadFootage : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    good = new TemporaryFolder;
    ShotPlan plan = planShot(ShotKind::Free);
    plan.frames = 8;
    ASSERT_TRUE(MadeShot(plan).write(good->path().string(), "quay"));
  }
  static void TearDownTestSuite() { delete good; }
  static std::string goodShot() { return (*good / "quay.0001.png").string(); }

  /// A sequence of flat pictures.
  std::string flat(int frames, Rgb color, int width = 320, int height = 180) const {
    for (int n = 1; n <= frames; ++n) EXPECT_TRUE(writePicture((folder / fmt::format("flat.{:04d}.png", n)).string(), Picture(width, height, color)).ok());
    return (folder / "flat.0001.png").string();
  }
  /// White mattes (all is left out) for these frames.
  std::string mattes(int first, int last, int width = 640, int height = 360) const {
    const fs::path made = folder / "mattes";
    fs::create_directories(made);
    for (int n = first; n <= last; ++n)
      EXPECT_TRUE(writePicture((made / fmt::format("m.{:04d}.png", n)).string(), Picture(width, height, Rgb{255, 255, 255})).ok());
    return made.string();
  }
  static std::string trackRefusal(const Workspace& w) {
    const auto tracks = runTracks(w.document(), {});
    if (!tracks.ok()) return tracks.error().message;
    const auto solved = runSolve(w.document(), w.footage(), **tracks, {});
    return solved.ok() ? "" : solved.error().message;
  }
  static std::string refusalWithMattes(const std::string& mattes) {
    Workspace w;
    EXPECT_TRUE(w.openFootage(goodShot()).ok());
    MaskSettings masks;
    masks.mattes.folder = mattes;
    EXPECT_TRUE(w.run(setMember("Use mattes", &Document::masks, masks)).ok());
    return trackRefusal(w);
  }

  static TemporaryFolder* good;
  TemporaryFolder folder;
};
TemporaryFolder* BadFootage::good = nullptr;

TEST_F(BadFootage, BlackFramesHoldNothingToFollow) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(flat(6, {})).ok());
  EXPECT_THAT(trackRefusal(w), HasSubstr("tracks"));
}

TEST_F(BadFootage, OneFrameIsNoShot) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(flat(1, {90, 90, 90})).ok());
  EXPECT_FALSE(trackRefusal(w).empty());
  HandTrack track = newHandTrack(w.document(), {});
  track.putKey(1, {160, 90});
  const auto followed = runHandTrack(w.document(), track, {.frame = 1, .backward = true}, {});
  if (followed.ok()) EXPECT_EQ(followed->points.size(), 1u) << "there is nowhere to go";
}

TEST_F(BadFootage, AMaskOverEverythingIsNamed) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(goodShot()).ok());
  Mask all = newMask(w.document(), MaskShape::Box);
  all.keys = {{.frame = 1, .position = Vec2(320, 180), .points = {Vec2(400, 300)}}};
  ASSERT_TRUE(w.run(changeMask("Draw mask", w.document(), all)).ok());
  EXPECT_THAT(trackRefusal(w), AllOf(HasSubstr("Nothing can be tracked"), HasSubstr("preview")));
  auto source = openFootageOf(w.document());
  ASSERT_TRUE(source.ok());
  LiveMasks live;
  EXPECT_TRUE(findCandidates(**source, live, w.document(), 3)->empty());
}

TEST_F(BadFootage, MattesOfTheWrongSizeOrNumberAreNamed) {
  EXPECT_THAT(refusalWithMattes(mattes(1, 8, 320, 180)), AllOf(HasSubstr("320"), HasSubstr("640")));
  TemporaryFolder other;
  fs::create_directories(other / "m");
  for (int n = 1; n <= 5; ++n) ASSERT_TRUE(writePicture((other / fmt::format("m/m.{:04d}.png", n)).string(), Picture(640, 360)).ok());
  EXPECT_THAT(refusalWithMattes((other / "m").string()), AllOf(HasSubstr("no matte"), HasSubstr("6")));
  EXPECT_THAT(refusalWithMattes("/nowhere/mattes"), HasSubstr("/nowhere/mattes"));
}

TEST_F(BadFootage, AMatteThatCannotBeReadIsNamedWhenItsTurnComes) {
  TemporaryFolder other;
  fs::create_directories(other / "m");
  for (int n = 1; n <= 8; ++n) ASSERT_TRUE(writePicture((other / fmt::format("m/m.{:04d}.png", n)).string(), Picture(640, 360)).ok());
  std::ofstream(other / "m/m.0005.png", std::ios::trunc) << "not a picture";
  EXPECT_THAT(refusalWithMattes((other / "m").string()), HasSubstr("m.0005.png"));
}

TEST_F(BadFootage, AFrameThatCannotBeReadStopsTrackingWithItsName) {
  const std::string first = flat(6, {90, 90, 90});
  std::ofstream(folder / "flat.0004.png", std::ios::trunc) << "not a picture";
  Workspace w;
  ASSERT_TRUE(w.openFootage(first).ok());
  EXPECT_THAT(trackRefusal(w), HasSubstr("flat.0004.png"));
  HandTrack track = newHandTrack(w.document(), {});
  EXPECT_THAT(placeKey(w.document(), track, 4, {160, 90}, false).error().message, HasSubstr("flat.0004.png"));
  EXPECT_THAT(placeKey(w.document(), track, 2, {900, 90}, false).error().message, HasSubstr("outside the picture"));
  // Without it the others are looked at.
  ASSERT_TRUE(w.run(leaveOutFrames(w.document(), {4})).ok());
  EXPECT_THAT(trackRefusal(w), ::testing::Not(HasSubstr("flat.0004.png")));
}

TEST_F(BadFootage, ARefusalLeavesWhatWasThere) {
  Workspace w;
  ASSERT_TRUE(w.openFootage(goodShot()).ok());
  const auto tracks = runTracks(w.document(), {});
  ASSERT_TRUE(tracks.ok());
  w.takeTracks(*tracks, tracksKey(w.document(), w.footage()));
  const TrackSetPtr before = w.tracks();
  ASSERT_TRUE(w.run(addRun(w.document(), {.region = {{5, 5}, {6, 5}, {6, 6}}})).ok());
  const auto more = runTracks(w.document(), {}, {}, w.tracksStart());
  ASSERT_TRUE(more.ok()) << "a region that holds nothing adds nothing";
  EXPECT_EQ((*more)->tracks, before->tracks);
  ASSERT_TRUE(w.run(leaveOutFrames(w.document(), {1, 2, 3, 4, 5, 6, 7, 8})).ok());
  EXPECT_THAT(trackRefusal(w), HasSubstr("No frame of 1–8 is left"));
  EXPECT_EQ(w.tracks(), before);
}
}  // namespace dusky::testing
