// Undistorted plates, ST maps and splat sets, against a shot whose truth is known.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>

#include "core/base/atomic_file.h"
#include "core/deliver/plate.h"
#include "core/media/footage.h"
#include "core/media/write_picture.h"
#include "tests/support/made_delivery.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::HasSubstr;

const MadeDelivery& shed() {
  static const MadeDelivery made(smallPlan());
  return made;
}

const MadeDelivery& zoomShot() {
  static const MadeDelivery made(smallPlan(ShotKind::Zoom));
  return made;
}

DeliveryChoices choose(std::vector<std::string> what) {
  DeliveryChoices choices;
  choices.what = std::move(what);
  return choices;
}

Delivered mustDeliver(const MadeDelivery& made, const DeliveryChoices& choices, const fs::path& folder) {
  auto delivered = deliver(made.input(), choices, folder, {});
  EXPECT_TRUE(delivered.ok()) << delivered.error().message;
  if (!delivered.ok()) return {};
  EXPECT_TRUE(!delivered->receipt || delivered->receipt->passed()) << delivered->receipt->failure();
  return *delivered;
}

FloatPicture pictureOf(const StoredPicture& stored) {
  FloatPicture picture(stored.width, stored.height);
  for (int y = 0; y < stored.height; ++y) {
    for (int x = 0; x < stored.width; ++x) picture.at(x, y) = {stored.at(x, y)[0], stored.at(x, y)[1], stored.at(x, y)[2]};
  }
  return picture;
}

/// Of soft pictures: what is sharper than pixels no resampling can give back.
FloatPicture softened(const FloatPicture& picture) {
  FloatPicture out = picture;
  for (int pass = 0; pass < 2; ++pass) {
    const FloatPicture from = out;
    for (int y = 1; y + 1 < picture.height; ++y) {
      for (int x = 1; x + 1 < picture.width; ++x) {
        for (std::size_t c = 0; c < 3; ++c) {
          float sum = 0;
          for (int j = -1; j <= 1; ++j) {
            for (int i = -1; i <= 1; ++i) sum += from.at(x + i, y + j)[c] * static_cast<float>((2 - std::abs(i)) * (2 - std::abs(j)));
          }
          out.at(x, y)[c] = sum / 16;
        }
      }
    }
  }
  return out;
}

/// The pixels that an ST map asks for, by its own convention: s to the right, t upwards, over a picture of a size that begins at (left, top).
SourceMap mapOf(const StoredPicture& st, int width, int height, int left, int top) {
  SourceMap map(st.width, st.height);
  const auto channel = [&](const char* name) {
    return static_cast<std::size_t>(std::find(st.channels.begin(), st.channels.end(), name) - st.channels.begin());
  };
  const std::size_t r = channel("R"), g = channel("G"), a = channel("A");
  for (int y = 0; y < st.height; ++y) {
    for (int x = 0; x < st.width; ++x) {
      const float* p = st.at(x, y);
      const double u = p[r] * static_cast<double>(width) + left, v = (1 - static_cast<double>(p[g])) * height + top;
      map.at(x, y) = p[a] > 0.5f ? std::array{static_cast<float>(u), static_cast<float>(v)} : std::array{NAN, NAN};
    }
  }
  return map;
}

TEST(Plates, AreThePictureOfACameraWithoutDistortion) {
  const TemporaryFolder folder;
  mustDeliver(shed(), choose({"plates", "camera.glb"}), folder.path());
  ShotPlan ideal = smallPlan();
  ideal.lens = Lens::simple(320, 180, ideal.lens.focal_px, LensModel::None);
  MadeShot pinhole(ideal);
  for (const int frame : {1001, 1004, 1006}) {
    const auto stored = readStoredPicture(folder / "plates" / ("plate." + std::to_string(frame) + ".png"));
    ASSERT_TRUE(stored.ok()) << stored.error().message;
    EXPECT_EQ(stored->depth, "uint16");
    EXPECT_EQ(stored->width, 320);
    const FloatPicture expected = pinhole.read(frame, FrameUse::Plate)->values;
    EXPECT_GT(likenessDb(softened(pictureOf(*stored)), softened(expected), 24), 34) << "frame " << frame << ", edges of boxes apart it is the same picture";
    ShotPlan shifted = ideal;
    shifted.lens.cx_px += 1;
    MadeShot beside(shifted);
    EXPECT_GT(likenessDb(softened(pictureOf(*stored)), softened(expected), 24),
              likenessDb(softened(pictureOf(*stored)), softened(beside.read(frame, FrameUse::Plate)->values), 24) + 3)
        << "a pixel aside would be seen";
  }
  EXPECT_FALSE(fs::exists(folder / "plates" / "plate.1007.png"));
}

TEST(Plates, ComeInEveryKindOfFile) {
  const TemporaryFolder folder;
  for (const auto& [format, name, depth] :
       {std::tuple(PlateFormat::Exr, "plates/plate.1002.exr", "half"), {PlateFormat::Jpeg, "plates/plate.1002.jpg", "uint8"}}) {
    DeliveryChoices choices = choose({"plates"});
    choices.plates.format = format;
    mustDeliver(shed(), choices, folder.path());
    const auto stored = readStoredPicture(folder / name);
    ASSERT_TRUE(stored.ok()) << stored.error().message;
    EXPECT_EQ(stored->depth, depth);
    const auto footage = const_cast<MadeShot&>(shed().shot()).read(1002, FrameUse::Plate)->values.at(160, 90)[0];
    const double v = stored->at(156, 93)[0], screen = format == PlateFormat::Exr ? 1.055 * std::pow(v, 1 / 2.4) - 0.055 : v;
    EXPECT_NEAR(screen, footage, 0.05) << "EXR holds light, the others values for a screen";
  }
  DeliveryChoices movie = choose({"plates"});
  movie.plates.format = PlateFormat::Movie;
  mustDeliver(shed(), movie, folder.path());
  EXPECT_EQ((*openFootage(folder / "plates.mp4"))->info().frames(), 6);
}

TEST(StMaps, GiveThePictureBackBothWays) {
  const TemporaryFolder folder;
  DeliveryChoices choices = choose({"st-maps"});
  choices.plates.fit = PlateFit::Whole;
  mustDeliver(shed(), choices, folder.path());
  const auto undistort = readStoredPicture(folder / "st-maps" / "undistort.exr"), redistort = readStoredPicture(folder / "st-maps" / "redistort.exr");
  ASSERT_TRUE(undistort.ok() && redistort.ok());
  EXPECT_EQ(undistort->depth, "float");
  EXPECT_EQ(undistort->full_width, 320);
  EXPECT_LT(undistort->left, 0) << "overscan lies outside of the display window";
  EXPECT_EQ(undistort->width, 320 - 2 * undistort->left);
  EXPECT_EQ(redistort->width, 320);
  const FloatPicture soft = softened(const_cast<MadeShot&>(shed().shot()).read(1003, FrameUse::Plate)->values);
  const FloatPicture straight = ResampleSource(soft).resampled(mapOf(*undistort, 320, 180, 0, 0), ResampleFilter::Lanczos);
  const FloatPicture back = ResampleSource(straight).resampled(mapOf(*redistort, 320, 180, -undistort->left, -undistort->top), ResampleFilter::Lanczos);
  EXPECT_GT(likenessDb(soft, back, 6), 45);
}

TEST(StMaps, MakeStraightLinesStraight) {
  const TemporaryFolder folder;
  mustDeliver(shed(), choose({"st-maps"}), folder.path());
  const auto map = *readStoredPicture(folder / "st-maps" / "redistort.exr");
  const Lens lens = smallPlan().lens;
  const auto channel = [&](const char* name) {
    return static_cast<std::size_t>(std::find(map.channels.begin(), map.channels.end(), name) - map.channels.begin());
  };
  double worst = 0;
  for (const auto& [from, to] : {std::pair(Vec3(-2, 1, 5), Vec3(2.4, 1.1, 6)), {Vec3(-1.5, -1, 4), Vec3(-2.2, 1.3, 6)}}) {
    std::vector<Vec2> seen;
    for (int k = 0; k <= 20; ++k) {
      const auto at = project(lens, Pose(), from + k / 20.0 * (to - from));
      if (!at || at->x() < 2 || at->y() < 2 || at->x() > 318 || at->y() > 178) continue;
      const double u = at->x() - 0.5, v = at->y() - 0.5;
      const int x = static_cast<int>(u), y = static_cast<int>(v);
      const auto st = [&](std::size_t c) {
        const double a = u - x, b = v - y;
        return (1 - b) * ((1 - a) * map.at(x, y)[c] + a * map.at(x + 1, y)[c]) + b * ((1 - a) * map.at(x, y + 1)[c] + a * map.at(x + 1, y + 1)[c]);
      };
      seen.emplace_back(320 * st(channel("R")), 180 * (1 - st(channel("G"))));
    }
    ASSERT_GT(seen.size(), 8u);
    const Vec2 along = (seen.back() - seen.front()).normalized();
    for (const Vec2& p : seen) worst = std::max(worst, std::abs(along.x() * (p - seen.front()).y() - along.y() * (p - seen.front()).x()));
  }
  EXPECT_LT(worst, 0.1);
}

TEST(StMaps, OfAZoomAreThereForEveryFrame) {
  const TemporaryFolder folder;
  mustDeliver(zoomShot(), choose({"st-maps", "camera.glb", "camera.usda", "plates", "lens.json"}), folder.path());
  for (int frame = 1001; frame <= 1006; ++frame) {
    EXPECT_TRUE(fs::exists(folder / "st-maps" / ("undistort." + std::to_string(frame) + ".exr")));
    EXPECT_TRUE(fs::exists(folder / "plates" / ("plate." + std::to_string(frame) + ".png")));
  }
}

TEST(PlateSize, AsWholeHoldsAllOfTheFootage) {
  const Plate frame = plateOf(shed().solution, {}), whole = plateOf(shed().solution, {.fit = PlateFit::Whole});
  EXPECT_EQ(frame.width, 320);
  EXPECT_GT(frame.cut_share, 0.01);
  EXPECT_EQ(whole.cut_share, 0);
  EXPECT_EQ(whole.width, 320 + 2 * whole.left);
  const Lens lens = smallPlan().lens;
  for (const Vec2& corner : {Vec2(0, 0), Vec2(320, 0), Vec2(0, 180), Vec2(320, 180)}) {
    const Vec2 at = whole.pixelOf(*lens.undistort(corner), lens.focal_px);
    EXPECT_TRUE(at.x() >= 0 && at.y() >= 0 && at.x() <= whole.width && at.y() <= whole.height);
  }
}

/// Read with nothing of ours: JSON, floats, and a pinhole.
TEST(SplatSet, PointsFallOnTheTracksInItsPictures) {
  for (const MadeDelivery* made : {&shed(), &zoomShot()}) {
    for (const int reduced : {1, 2}) {
      const TemporaryFolder folder;
      DeliveryChoices choices = choose({"splat-set"});
      choices.splat.reduced = reduced, choices.splat.test_every = 3, choices.splat.centred = reduced == 2, choices.world.up = UpAxis::Z;
      mustDeliver(*made, choices, folder.path());
      const fs::path set = folder / "splat-set";
      const std::string ply = *readFile(set / "points.ply");
      const std::size_t body = ply.find("end_header\n") + 11, row = 3 * 4 + 3 + 4 + 4 + 4;
      std::map<int, Eigen::Vector3f> points;
      for (std::size_t at = body; at < ply.size(); at += row) {
        Eigen::Vector3f p;
        std::int32_t track = 0;
        std::memcpy(p.data(), ply.data() + at, 12), std::memcpy(&track, ply.data() + at + 15, 4);
        points[track] = p;
      }
      double shortest = 1e9, worst = 0;
      for (const SolvedFrame& frame : made->solution.frames) shortest = std::min(shortest, made->solution.lensAt(frame).focal_px);
      int pictures = 0, compared = 0;
      for (const char* file : {"transforms_train.json", "transforms_test.json"}) {
        const auto json = nlohmann::json::parse(*readFile(set / file));
        for (const auto& frame : json["frames"]) {
          const std::string name = frame["file_path"];
          ASSERT_TRUE(fs::exists(set / (name + ".png"))) << name;
          ++pictures;
          const auto picture = *readStoredPicture(set / (name + ".png"));
          ASSERT_EQ(picture.width, 320 / reduced);
          const double focal = picture.width / 2.0 / std::tan(json["camera_angle_x"].get<double>() / 2);
          const int number = std::stoi(fs::path(name).filename().string());
          Eigen::Matrix4d m;
          for (int i = 0; i < 4; ++i) {
            for (int k = 0; k < 4; ++k) m(i, k) = frame["transform_matrix"][i][k];
          }
          for (const SolvedTrack& track : made->solution.tracks) {
            for (const TrackError& seen : track.errors) {
              if (seen.frame != number) continue;
              const Eigen::Vector4d p = m.inverse() * points.at(track.id).cast<double>().homogeneous();
              const Vec2 drawn(picture.width / 2.0 + focal * p.x() / -p.z(), picture.height / 2.0 - focal * p.y() / -p.z());
              const Vec2 n = *made->solution.lensIn(number).undistort(seen.reprojected);
              const Vec2 there = Vec2(picture.width, picture.height) / 2 + shortest / reduced * n;
              worst = std::max(worst, (drawn - there).norm()), ++compared;
            }
          }
        }
      }
      EXPECT_EQ(pictures, 6);
      EXPECT_GT(compared, 100);
      EXPECT_LT(worst, 0.1);
    }
  }
}

TEST(SplatSet, SaysWhatATrainingWillSufferFrom) {
  MadeDelivery made(smallPlan());
  made.solution.movers.push_back({.name = "Mover A", .first = 1001, .last = 1006, .tracks = {1, 2}});
  const TemporaryFolder folder;
  const Delivered delivered = mustDeliver(made, choose({"splat-set"}), folder.path());
  EXPECT_THAT(delivered.receipt->notes, ::testing::Contains(HasSubstr("not masked")));
  made.solution.motion = MotionKind::Nodal;
  EXPECT_THAT(mustDeliver(made, choose({"splat-set"}), folder.path()).receipt->notes, ::testing::Contains(HasSubstr("only turns")));
}

TEST(SplatSet, ChoosesAsManyAsAskedForAndMasksWhatIsMasked) {
  const TemporaryFolder folder;
  DeliveryChoices choices = choose({"splat-set"});
  choices.splat.most_pictures = 3, choices.splat.test_every = 0;
  DeliveryInput input = shed().input();
  input.mask = [](int) -> Result<Plane<std::uint8_t>> {
    Plane<std::uint8_t> left_out(320, 180);
    for (int y = 0; y < 180; ++y) std::fill_n(left_out.row(y), 160, 255);
    return left_out;
  };
  const auto delivered = deliver(input, choices, folder.path(), {});
  ASSERT_TRUE(delivered.ok()) << delivered.error().message;
  const auto json = nlohmann::json::parse(*readFile(folder / "splat-set" / "transforms_train.json"));
  ASSERT_EQ(json["frames"].size(), 3u);
  const std::string name = fs::path(json["frames"][0]["file_path"].get<std::string>()).filename();
  const auto mask = *readStoredPicture(folder / "splat-set" / "masks" / (name + ".png"));
  EXPECT_EQ(mask.at(40, 90)[0], 0);
  EXPECT_EQ(mask.at(250, 90)[0], 1);
}

}  // namespace dusky::testing
