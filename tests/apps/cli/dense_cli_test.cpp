// moth dense: dense points of a solved project, in the world that its report tells of.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cstring>
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
