// moth dense: dense points of a solved project, in the world that its report tells of.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cstring>
#include <fmt/ranges.h>
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

class DenseCommand : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    shared = std::make_unique<TemporaryFolder>();
    ASSERT_EQ(moth({"solve", quaySequence(12), "-o", (*shared / "quay").string(), "--new-project", project(), "--quiet"}).code, 0);
  }
  static void TearDownTestSuite() { shared.reset(); }
  static std::string project() { return (*shared / "quay.moth").string(); }
  static std::unique_ptr<TemporaryFolder> shared;
  TemporaryFolder folder;
};
std::unique_ptr<TemporaryFolder> DenseCommand::shared;

/// Places of a dense PLY's points.
std::vector<Vec3> placesIn(const fs::path& path) {
  const std::string bytes = *readFile(path);
  constexpr std::size_t kPoint = 36;
  std::vector<Vec3> places;
  for (std::size_t at = bytes.find("end_header\n") + 11; at + kPoint <= bytes.size(); at += kPoint) {
    std::array<float, 3> xyz;
    std::memcpy(xyz.data(), bytes.data() + at, sizeof(xyz));
    places.emplace_back(static_cast<double>(xyz[0]), static_cast<double>(xyz[1]), static_cast<double>(xyz[2]));
  }
  return places;
}

TEST_F(DenseCommand, PointsLieWhereThoseOfTheReportDo) {
  const Ran ran = moth({"dense", project(), "-o", (folder / "dense").string(), "--quality", "fine", "--json"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  const Json told = Json::parse(ran.out), report = Json::parse(*readFile(*shared / "quay" / "report.json"));
  const std::vector<Vec3> places = placesIn(folder / "dense" / "dense.ply");
  ASSERT_EQ(told["points"], places.size());
  ASSERT_GT(places.size(), 5000U);
  // Beside how far they lie from the camera.
  const auto& pose = report["frames"][0]["world_from_camera"];
  const Vec3 centre(pose[0][3], pose[1][3], pose[2][3]);
  std::vector<double> off;
  for (const Json& point : report["points"]) {
    if (point["far"] == true) continue;
    const Vec3 at(point["xyz"][0], point["xyz"][1], point["xyz"][2]);
    double nearest = 1e9;
    for (const Vec3& place : places) nearest = std::min(nearest, (place - at).squaredNorm());
    off.push_back(std::sqrt(nearest) / (at - centre).norm());
  }
  std::nth_element(off.begin(), off.begin() + static_cast<std::ptrdiff_t>(off.size() / 2), off.end());
  EXPECT_LT(off[off.size() / 2], 0.01);
  for (const Json& frame : told["keyframes"]) EXPECT_GT(frame["agreeing_share"], 0.2);
  EXPECT_LT(told["pictures_off_px"], 0.3);
  EXPECT_THAT((std::vector<std::string>{"trust", "check"}), ::testing::Contains(told["verdict"]["level"]));
}

TEST_F(DenseCommand, PlacesInPicturesAreMeasured) {
  const Json report = Json::parse(*readFile(*shared / "quay" / "report.json"));
  const int frame = report["frames"][4]["frame"];
  const auto measure = [&](const std::vector<std::string>& places) {
    std::vector<std::string> arguments = {"dense", project(), "-o", (folder / "m").string(), "--quality", "fine", "--json"};
    for (const std::string& place : places) arguments.insert(arguments.end(), {"--measure", place});
    return moth(arguments);
  };
  const int width = report["footage"]["width"], height = report["footage"]["height"];
  const auto at = [&](double x, double y) { return fmt::format("{}:{},{}", frame, x * width, y * height); };
  const Ran ran = measure({at(0.3, 0.8), at(0.5, 0.8), at(0.5, 0.9), at(0.7, 0.85)});
  ASSERT_EQ(ran.code, 0) << ran.err;
  const Json told = Json::parse(ran.out)["measured"];
  ASSERT_EQ(told["places"].size(), 4U);
  const std::vector<Vec3> places = placesIn(folder / "m" / "dense.ply");
  std::vector<Vec3> found;
  for (const Json& p : told["places"]) {
    found.emplace_back(p[0], p[1], p[2]);
    const auto is = [&](const Vec3& q) { return (q - found.back()).norm() < 1e-4; };
    EXPECT_TRUE(std::any_of(places.begin(), places.end(), is));
  }
  for (std::size_t k = 0; k < 3; ++k) EXPECT_NEAR(told["lengths"][k], (found[k + 1] - found[k]).norm(), 1e-6);
  EXPECT_LT(told["tilt_deg"], 90.1);
  EXPECT_THAT(measure({"5;100,100"}).err, HasSubstr("frame:x,y"));
  EXPECT_EQ(measure({"99999:10,10"}).code, 2);
}

TEST_F(DenseCommand, SpacingThinsThem) {
  const auto points = [&](const char* spacing) {
    const Ran ran = moth({"dense", project(), "-o", (folder / "thin").string(), "--quality", "draft", "--spacing", spacing, "--quiet"});
    EXPECT_EQ(ran.code, 0) << ran.err;
    return placesIn(folder / "thin" / "dense.ply").size();
  };
  const std::size_t all = points("0");
  EXPECT_LT(points("0.5"), all / 2);
  EXPECT_EQ(moth({"dense", project(), "-o", (folder / "thin").string(), "--spacing", "-1"}).code, 2);
}

TEST_F(DenseCommand, WhatWasMadeIsUsedAgainWhateverTheCleanUp) {
  const auto run = [&](std::vector<std::string> more) {
    std::vector<std::string> arguments = {"dense", project(), "-o", (folder / "d").string(), "--quality", "draft", "--json"};
    arguments.insert(arguments.end(), more.begin(), more.end());
    const Ran ran = moth(arguments);
    EXPECT_EQ(ran.code, 0) << ran.err;
    return Json::parse(ran.out);
  };
  const Json all = run({});
  const fs::path kept = *shared / "quay.dense";
  ASSERT_TRUE(fs::exists(kept));
  const auto made_at = [&] {
    fs::file_time_type newest{};
    for (const auto& entry : fs::recursive_directory_iterator(kept)) newest = std::max(newest, entry.last_write_time());
    return newest;
  };
  const auto before = made_at();
  const Json cleaned = run({"--least-views", "5", "--most-slant", "60"});
  EXPECT_EQ(made_at(), before) << "nothing was made again";
  EXPECT_LT(cleaned["points"], all["points"]);
  EXPECT_EQ(cleaned["points_before_cleaning"], all["points_before_cleaning"]);
  EXPECT_EQ(cleaned["points"], placesIn(folder / "d" / "dense.ply").size());
  // A region holds what lies in it.
  run({"--region", "-1,-100,-100,1,100,100"});
  for (const Vec3& place : placesIn(folder / "d" / "dense.ply")) ASSERT_LE(std::abs(place.x()), 1 + 1e-5);
}

TEST_F(DenseCommand, KeyframesAreThoseThatAreGiven) {
  const auto run = [&](std::vector<std::string> more) {
    std::vector<std::string> arguments = {"dense", project(), "-o", (folder / "k").string(), "--quality", "draft", "--json"};
    arguments.insert(arguments.end(), more.begin(), more.end());
    return moth(arguments);
  };
  const Json forecast = Json::parse(run({"--forecast"}).out);
  std::vector<int> frames = forecast["keyframe_numbers"];
  ASSERT_EQ(frames.size(), forecast["keyframes"]);
  ASSERT_GT(frames.size(), 4U);
  frames.erase(frames.begin() + 2);
  const Ran ran = run({"--keyframes", fmt::format("{}", fmt::join(frames, ","))});
  ASSERT_EQ(ran.code, 0) << ran.err;
  std::vector<int> made;
  const Json told = Json::parse(ran.out);
  for (const Json& frame : told["keyframes"]) made.push_back(frame["frame"]);
  EXPECT_EQ(made, frames);
  EXPECT_THAT(run({"--keyframes", "1,2"}).err, HasSubstr("three frames at least"));
}

TEST_F(DenseCommand, AMeshTakesATextureWhereItsFormatDoes) {
  const fs::path mesh = folder / "set.obj";
  const auto run = [&](const fs::path& path, const char* side) {
    return moth(
        {"dense", project(), "-o", (folder / "t").string(), "--quality", "good", "--mesh", path.string(), "--triangles", "800", "--texture", side, "--json"});
  };
  const Ran ran = run(mesh, "1024");
  ASSERT_EQ(ran.code, 0) << ran.err;
  EXPECT_LE(Json::parse(ran.out)["mesh"]["texture_px"], 1024);
  EXPECT_GE(Json::parse(ran.out)["mesh"]["texture_px"], 256);
  for (const char* name : {"set.obj", "set.mtl", "set.png"}) EXPECT_TRUE(fs::exists(folder / name)) << name;
  EXPECT_THAT(run(folder / "set.ply", "1024").err, HasSubstr("PLY file takes no texture"));
  EXPECT_THAT(run(mesh, "77").err, HasSubstr("256 to 16384"));
  EXPECT_THAT(moth({"dense", project(), "-o", (folder / "t").string(), "--texture", "1024"}).err, HasSubstr("--mesh"));
}

TEST_F(DenseCommand, AMeshIsWrittenByItsEnding) {
  const fs::path mesh = folder / "set.obj";
  const Ran ran = moth({"dense", project(), "-o", (folder / "d").string(), "--mesh", mesh.string(), "--triangles", "500", "--json"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  const Json told = Json::parse(ran.out)["mesh"];
  EXPECT_LE(told["triangles"], 500);
  const std::string text = *readFile(mesh);
  EXPECT_EQ(std::count(text.begin(), text.end(), 'f') > 0, true);
  const Ran other = moth({"dense", project(), "-o", (folder / "e").string(), "--mesh", (folder / "set.stl").string()});
  EXPECT_EQ(other.code, 2);
  EXPECT_THAT(other.err, HasSubstr(".ply, .obj, .glb or .usda"));
  EXPECT_FALSE(fs::exists(folder / "e")) << "refused before anything is made";
}

TEST_F(DenseCommand, ForecastsSayWhatItTakesAndDoNothing) {
  const Ran ran = moth({"dense", project(), "--forecast", "--json", "--quality", "fine"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  const Json told = Json::parse(ran.out);
  EXPECT_GE(told["keyframes"], 3);
  EXPECT_GT(told["seconds"], 0);
  EXPECT_GT(told["memory_bytes"], told["disk_bytes"]);
  EXPECT_EQ(moth({"dense", project()}).code, 2) << "a folder is needed";
}

TEST_F(DenseCommand, DeliveriesTakeThem) {
  const std::string out = (folder / "delivered").string();
  fs::copy(project(), folder / "own.moth");
  const std::string own = (folder / "own.moth").string();
  const Ran none = moth({"deliver", own, "-o", out, "--what", "dense.ply"});
  EXPECT_EQ(none.code, 2);
  EXPECT_THAT(none.err, HasSubstr("moth dense"));
  ASSERT_EQ(moth({"dense", own, "-o", (folder / "d").string(), "--quiet"}).code, 0);
  const Ran ran = moth({"deliver", own, "-o", out, "--what", "dense.ply,mesh.glb,camera.glb"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  EXPECT_EQ(placesIn(fs::path(out) / "dense.ply").size(), placesIn(folder / "d" / "dense.ply").size());
  EXPECT_TRUE(fs::exists(fs::path(out) / "mesh.glb"));
}

TEST_F(DenseCommand, WhatIsOutOfRangeIsRefused) {
  const Ran ran = moth({"dense", project(), "-o", (folder / "d").string(), "--most-slant", "120"});
  EXPECT_EQ(ran.code, 2);
  EXPECT_THAT(ran.err, HasSubstr("degrees"));
}

TEST_F(DenseCommand, TracksWithoutPicturesAreRefusedInWords) {
  const std::string tracks = (folder / "tracks.json").string(), out = (folder / "solved").string(), saved = (folder / "tracks.moth").string();
  ASSERT_TRUE(writeFileAtomically(tracks, tracksToJson(makeSyntheticShot({.frames = 16, .points = 120}).tracks)).ok());
  ASSERT_EQ(moth({"solve", "--tracks", tracks, "-o", out, "--new-project", saved, "--quiet"}).code, 0);
  const Ran ran = moth({"dense", saved, "-o", (folder / "d").string()});
  EXPECT_EQ(ran.code, 2);
  EXPECT_THAT(ran.err, HasSubstr("2D tracks without pictures"));
  EXPECT_FALSE(fs::exists(folder / "d" / "dense.ply"));
}

TEST_F(DenseCommand, WhatIsNoSolvedProjectIsRefused) {
  const Ran ran = moth({"dense", quaySequence(12), "-o", (folder / "d").string()});
  EXPECT_EQ(ran.code, 2);
  EXPECT_NE(ran.err, "");
}

}  // namespace dusky::testing
