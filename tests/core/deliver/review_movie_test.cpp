#include "core/deliver/review_movie.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/media/footage.h"
#include "core/media/movie_writer.h"
#include "core/scene/seen_scene.h"
#include "tests/support/synthetic_shot.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::HasSubstr;

constexpr std::uint8_t kPlate = 120;

/// Frames of one grey each, brighter by the number; one may be missing.
class GreyFrames final : public FrameSource {
 public:
  explicit GreyFrames(FootageInfo info) : info_(std::move(info)) {}
  const FootageInfo& info() const override { return info_; }
  static std::uint8_t greyOf(int number) { return static_cast<std::uint8_t>(40 + 12 * (number - 1001)); }
  Result<Frame> read(int number, FrameUse) override {
    const std::uint8_t grey = greyOf(number);
    Frame frame;
    frame.number = number, frame.picture = Picture(info_.width, info_.height, {grey, grey, grey});
    return frame;
  }

 private:
  FootageInfo info_;
};

class ReviewMovie : public ::testing::Test {
 protected:
  void SetUp() override {
    SyntheticPlan plan{.frames = 12, .points = 90, .first_frame = 1001};
    plan.lens.k1() = -0.1;
    shot = makeSyntheticShot(plan);
    solution = perfectSolution(shot);
    footage = {.path = "/shots/quay.1001.png", .kind = "sequence (png)", .width = 1280, .height = 720, .fps = 25, .first = 1001, .last = 1012};
    plain.whiskers = plain.notes = plain.objects = false;
  }
  ReviewInput input() const { return {footage, solution, scene, shot.tracks, objects, "quay"}; }
  Picture frame(const ReviewOptions& options, int number = 1006) const {
    return reviewFrame(input(), options, Picture(footage.width, footage.height, {kPlate, kPlate, kPlate}), number);
  }
  static bool isPlate(const Rgb& c) { return std::abs(c.r - kPlate) + std::abs(c.g - kPlate) + std::abs(c.b - kPlate) < 8; }
  /// A kept track seen well inside the picture.
  const SolvedTrack& trackInside(int number) const {
    for (const SolvedTrack& track : solution.tracks) {
      const Observation* seen = shot.tracks.find(track.id)->at(number);
      if (seen && std::abs(seen->position.x() - 640) < 200 && std::abs(seen->position.y() - 360) < 120) return track;
    }
    ADD_FAILURE() << "no track in the middle";
    return solution.tracks.front();
  }

  SyntheticShot shot;
  Solution solution;
  FootageInfo footage;
  SceneFrame scene;
  std::vector<TestObject> objects;
  ReviewOptions plain;
};

TEST_F(ReviewMovie, AnObjectStandsWhereItsTrackIsInEveryFrame) {
  const SolvedTrack& track = trackInside(1006);
  objects = {{.id = 1, .shape = ObjectShape::Cone, .track = track.id, .size = 0.4}};
  ReviewOptions options = plain;
  options.objects = true;
  for (int number : {1004, 1006, 1008}) {
    const auto camera = cameraIn(solution, scene, number);
    ASSERT_TRUE(camera);
    const Vec2 middle = *camera->see(track.point + Vec3(0, 0.15, 0)), tip = *camera->see(track.point + Vec3(0, 0.4, 0));
    const Picture picture = frame(options, number);
    EXPECT_FALSE(isPlate(picture.at(static_cast<int>(middle.x()), static_cast<int>(middle.y())))) << number;
    EXPECT_TRUE(isPlate(picture.at(static_cast<int>(tip.x()), static_cast<int>(tip.y()) - 6))) << number << ": nothing over its tip";
    EXPECT_TRUE(isPlate(picture.at(5, 5)));
  }
}

TEST_F(ReviewMovie, WhiskersLeadToWhereTheSolveSeesThePointEnlarged) {
  const int id = trackInside(1006).id;
  const Vec2 at = shot.tracks.find(id)->at(1006)->position;
  for (SolvedTrack& track : solution.tracks) {
    for (TrackError& e : track.errors) {
      const bool this_one = track.id == id && e.frame == 1006;
      e.error_px = this_one ? 3 : 0.05, e.used = this_one;
      e.reprojected = shot.tracks.find(track.id)->at(e.frame)->position + Vec2(this_one ? 3 : 0, 0);
    }
  }
  solution.rms_px = 0.2;
  ReviewOptions options = plain;
  options.whiskers = true, options.whisker = 20;
  const Picture picture = frame(options);
  const int x = static_cast<int>(at.x()), y = static_cast<int>(at.y());
  EXPECT_FALSE(isPlate(picture.at(x + 50, y)));
  EXPECT_TRUE(isPlate(picture.at(x + 66, y))) << "no longer than that";
  EXPECT_TRUE(isPlate(picture.at(x - 20, y)));
  const Rgb glowing = picture.at(x + 30, y);
  EXPECT_GT(glowing.r, glowing.b + 60) << "far over what is usual it glows amber";
}

TEST_F(ReviewMovie, NotesSayWhatIsKnownOfTheFrame) {
  ReviewOptions options = plain;
  options.notes = true;
  const auto band = [](const Picture& picture) {
    int light = 0;
    for (int y = picture.height - 22; y < picture.height - 2; ++y) {
      for (int x = 0; x < picture.width; ++x) light += picture.at(x, y).g > 180 ? 1 : 0;
    }
    return light;
  };
  EXPECT_EQ(band(frame(plain)), 0);
  const int solved = band(frame(options));
  EXPECT_GT(solved, 300) << "words stand there";
  solution.frames[5].placed = false;
  EXPECT_NE(band(frame(options)), solved) << "that it has no camera";
}

TEST_F(ReviewMovie, TheMovieHoldsEveryFrameAtTheFootagesRate) {
  const TemporaryFolder folder;
  footage.width = 961, footage.height = 541, footage.missing = {1004};
  GreyFrames source(footage);
  ReviewOptions options = plain;
  options.height = 270;
  const Status written = writeReview(source, input(), options, folder / "review.mp4", {});
  ASSERT_TRUE(written.ok()) << written.error().message;
  const auto movie = openFootage(folder / "review.mp4");
  ASSERT_TRUE(movie.ok());
  EXPECT_EQ((*movie)->info().kind, "movie (h264)");
  EXPECT_EQ((*movie)->info().frames(), 12);
  EXPECT_EQ((*movie)->info().height, 270);
  EXPECT_EQ((*movie)->info().width, 480);
  EXPECT_NEAR((*movie)->info().fps, 25, 1e-6);
  for (int i = 1; i <= 12; ++i) {
    const auto read = (*movie)->read(i);
    ASSERT_TRUE(read.ok());
    const int expected = i == 4 ? 12 : GreyFrames::greyOf(1000 + i);
    EXPECT_NEAR(read->picture.at(240, 135).g, expected, 4) << i;
  }
  options.frames = {1003, 1005};
  ASSERT_TRUE(writeReview(source, input(), options, folder / "part.mp4", {}).ok());
  EXPECT_EQ((*openFootage(folder / "part.mp4"))->info().frames(), 3);
}

TEST_F(ReviewMovie, CancelledOrRefusedItLeavesNothing) {
  const TemporaryFolder folder;
  GreyFrames source(footage);
  std::stop_source stop;
  const Progress halfway([&](const ProgressState& state) { state.fraction > 0.4 ? (void)stop.request_stop() : (void)0; }, stop.get_token());
  EXPECT_EQ(writeReview(source, input(), {}, folder / "review.mp4", halfway).error().kind, ErrorKind::Cancelled);
  EXPECT_TRUE(fs::is_empty(folder.path()));
  EXPECT_THAT(writeReview(source, input(), {.frames = {1, 5}}, folder / "review.mp4", {}).error().message, HasSubstr("1001"));
  EXPECT_THAT(writeReview(source, input(), {.height = 7}, folder / "review.mp4", {}).error().message, HasSubstr("120 to 4320"));
  EXPECT_THAT(writeReview(source, input(), {.whisker = 0}, folder / "review.mp4", {}).error().message, HasSubstr("enlarged"));
  EXPECT_THAT(writeReview(source, input(), {}, folder / "none" / "review.mp4", {}).error().message, HasSubstr("none"));
  EXPECT_TRUE(fs::is_empty(folder.path()));
  EXPECT_THAT(MovieWriter::create(folder / "odd.mp4", {.width = 641, .height = 360}).error().message, HasSubstr("even"));
}

}  // namespace dusky::testing
