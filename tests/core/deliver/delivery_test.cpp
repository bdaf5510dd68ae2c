#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#include "core/deliver/delivery.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <tiny_gltf.h>

#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "core/base/atomic_file.h"
#include "core/deliver/compare.h"
#include "core/deliver/exporter.h"
#include "core/deliver/writers.h"
#include "tests/support/synthetic_shot.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::HasSubstr;

/// A perfect solve of a shot that begins at frame 1001, delivered in a world that is turned and scaled.
class DeliveryTest : public ::testing::Test {
 protected:
  void SetUp() override {
    SyntheticPlan plan{.frames = 12, .points = 90, .first_frame = 1001};
    plan.lens.k1() = -0.1, plan.lens.k2() = 0.02, plan.lens.cx_px += 6;
    shot = makeSyntheticShot(plan);
    solution = perfectSolution(shot);
    footage = {.path = "/shots/quay.1001.png", .kind = "sequence (png)", .width = 1280, .height = 720, .fps = 25, .first = 1001, .last = 1012};
    scene.scene_from_solve = {2.0, rotationFromVector(Vec3(0, 0.7, 0)), Vec3(1, 2, 3)};
    scene.metric = true;
  }
  DeliveryInput input() const { return {footage, solution, scene, {.solve_s = 1.5}, {"a note"}, {}, {}, "quay", &shot.tracks}; }
  DeliveryView view(const DeliveryChoices& choices = {}) const { return *viewOf(input(), choices); }
  std::string glb() const { return *cameraGlb(input(), view()); }

  SyntheticShot shot;
  Solution solution;
  FootageInfo footage;
  SceneFrame scene;
};

tinygltf::Model readGlb(const std::string& bytes) {
  tinygltf::Model model;
  std::string problem, warning;
  EXPECT_TRUE(tinygltf::TinyGLTF().LoadBinaryFromMemory(&model, &problem, &warning, reinterpret_cast<const unsigned char*>(bytes.data()),
                                                        static_cast<unsigned>(bytes.size()), ""))
      << problem;
  return model;
}

std::vector<float> floats(const tinygltf::Model& model, int accessor_index) {
  const auto& accessor = model.accessors[accessor_index];
  const auto& view = model.bufferViews[accessor.bufferView];
  std::vector<float> values(accessor.count * static_cast<std::size_t>(tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(accessor.type))));
  std::memcpy(values.data(), model.buffers[view.buffer].data.data() + view.byteOffset + accessor.byteOffset, values.size() * sizeof(float));
  return values;
}

TEST_F(DeliveryTest, CameraGlbReprojectsItsPointsOntoTheTracks) {
  const tinygltf::Model model = readGlb(glb());
  ASSERT_EQ(model.animations.size(), 1u);
  const auto& animation = model.animations[0];
  const auto times = floats(model, animation.samplers[0].input);
  const auto centres = floats(model, animation.samplers[0].output), turns = floats(model, animation.samplers[1].output);
  const auto points = floats(model, model.meshes[0].primitives[0].attributes.at("POSITION"));
  ASSERT_EQ(times.size(), 12u);
  ASSERT_EQ(points.size(), 3 * solution.tracks.size());
  const double height = 720, f = height / 2 / std::tan(model.cameras[0].perspective.yfov / 2);
  EXPECT_NEAR(f, 1100, 1e-3);
  double worst = 0;
  for (std::size_t k = 0; k < times.size(); ++k) {
    EXPECT_NEAR(times[k], static_cast<double>(k) / 25.0, 1e-6) << "keys stand at the footage's rate, the first frame at 0 s";
    const Eigen::Quaterniond q(turns[4 * k + 3], turns[4 * k], turns[4 * k + 1], turns[4 * k + 2]);
    const Vec3 c(centres[3 * k], centres[3 * k + 1], centres[3 * k + 2]);
    for (std::size_t t = 0; t < solution.tracks.size(); ++t) {
      const Vec3 p = q.conjugate() * (Vec3(points[3 * t], points[3 * t + 1], points[3 * t + 2]) - c);  // glTF camera: looks along -Z, Y up
      const Vec2 seen = solution.lens().distort(Vec2(p.x() / -p.z(), -p.y() / -p.z()));
      if (const Observation* o = shot.tracks.tracks[t].at(1001 + static_cast<int>(k))) worst = std::max(worst, (seen - o->position).norm());
    }
  }
  EXPECT_LT(worst, 0.01) << "single precision leaves a thousandth of a pixel";
}

TEST_F(DeliveryTest, ObjectGlbShowsTheSamePictureFromACameraThatStandsStill) {
  const tinygltf::Model model = readGlb(objectGlb(input(), view()));
  ASSERT_EQ(model.animations.size(), 1u);
  const auto& animation = model.animations[0];
  EXPECT_EQ(model.nodes[animation.channels[0].target_node].name, "object");
  const auto places = floats(model, animation.samplers[0].output), turns = floats(model, animation.samplers[1].output);
  const auto points = floats(model, model.meshes[0].primitives[0].attributes.at("POSITION"));
  const auto& camera = model.nodes[0];
  ASSERT_EQ(camera.name, "camera");
  const Eigen::Quaterniond still(camera.rotation[3], camera.rotation[0], camera.rotation[1], camera.rotation[2]);
  const Vec3 centre(camera.translation[0], camera.translation[1], camera.translation[2]);
  double worst = 0;
  for (std::size_t k = 0; k < places.size() / 3; ++k) {
    const Eigen::Quaterniond q(turns[4 * k + 3], turns[4 * k], turns[4 * k + 1], turns[4 * k + 2]);
    for (std::size_t t = 0; t < solution.tracks.size(); ++t) {
      const Vec3 world = q * Vec3(points[3 * t], points[3 * t + 1], points[3 * t + 2]) + Vec3(places[3 * k], places[3 * k + 1], places[3 * k + 2]);
      const Vec3 p = still.conjugate() * (world - centre);
      const Vec2 seen = solution.lens().distort(Vec2(p.x() / -p.z(), -p.y() / -p.z()));
      if (const Observation* o = shot.tracks.tracks[t].at(1001 + static_cast<int>(k))) worst = std::max(worst, (seen - o->position).norm());
    }
  }
  EXPECT_LT(worst, 0.02);
  const TemporaryFolder folder;
  ASSERT_TRUE(writeFileAtomically(folder / "object.glb", objectGlb(input(), view())).ok());
  EXPECT_EQ(std::system(("node " DUSKY_SOURCE "/tests/validator/check.mjs " + (folder / "object.glb").string()).c_str()), 0);
}

TEST_F(DeliveryTest, CameraGlbPassesTheStandardsValidator) {
  const TemporaryFolder folder;
  ASSERT_TRUE(writeFileAtomically(folder / "camera.glb", glb()).ok());
  const std::string command = "node " DUSKY_SOURCE "/tests/validator/check.mjs " + (folder / "camera.glb").string();
  EXPECT_EQ(std::system(command.c_str()), 0) << command;
  ASSERT_TRUE(writeFileAtomically(folder / "broken.glb", glb().substr(0, 500)).ok());
  EXPECT_NE(std::system((command.substr(0, command.rfind(' ')) + " " + (folder / "broken.glb").string() + " >/dev/null").c_str()), 0)
      << "the validator must be able to fail";
}

TEST_F(DeliveryTest, CameraGlbCarriesTheLensAndTheRate) {
  const tinygltf::Model model = readGlb(glb());
  EXPECT_DOUBLE_EQ(model.scenes[0].extras.Get("fps").GetNumberAsDouble(), 25);
  EXPECT_EQ(model.scenes[0].extras.Get("first_frame").GetNumberAsInt(), 1001);
  EXPECT_DOUBLE_EQ(model.cameras[0].extras.Get("k1").GetNumberAsDouble(), -0.1);
  EXPECT_DOUBLE_EQ(model.cameras[0].extras.Get("cx_px").GetNumberAsDouble(), 646);
}

TEST_F(DeliveryTest, PointsPlyHoldsEveryKeptPointWithItsColour) {
  solution.tracks[3].state = TrackState::SetAside;
  const std::string ply = pointsPly(input(), view());
  const std::size_t body = ply.find("end_header\n") + 11;
  constexpr std::size_t kRow = 3 * 4 + 3 + 4 + 4 + 4;
  EXPECT_THAT(ply, HasSubstr("element vertex " + std::to_string(solution.tracks.size() - 1)));
  ASSERT_EQ(ply.size() - body, kRow * (solution.tracks.size() - 1));
  float xyz[3];
  std::memcpy(xyz, ply.data() + body, sizeof(xyz));
  const Vec3 expected = scene.scene_from_solve * solution.tracks[0].point;
  for (int k = 0; k < 3; ++k) EXPECT_NEAR(xyz[k], expected[k], 1e-5);
  EXPECT_EQ(static_cast<std::uint8_t>(ply[body + 12]), solution.tracks[0].color.r);
}

TEST_F(DeliveryTest, CameraCsvHasOneLineAFrameThatReadsBack) {
  solution.frames[4].placed = false;
  std::istringstream lines(cameraCsv(input(), view()));
  std::string line;
  int rows = 0;
  while (std::getline(lines, line)) {
    if (line[0] == '#' || line[0] == 'f') continue;
    int frame = 0;
    double time = 0, x = 0, y = 0, z = 0, qw = 0, qx = 0, qy = 0, qz = 0;
    ASSERT_EQ(std::sscanf(line.c_str(), "%d,%lf,%lf,%lf,%lf,%lf,%lf,%lf,%lf", &frame, &time, &x, &y, &z, &qw, &qx, &qy, &qz), 9) << line;
    const Pose expected = scene.scene_from_solve * solution.frames[frame - 1001].pose;
    EXPECT_NEAR(time, (frame - 1001) / 25.0, 1e-9);
    EXPECT_LT((Vec3(x, y, z) - expected.centre).norm(), 1e-8);
    EXPECT_LT(Eigen::Quaterniond(qw, qx, qy, qz).angularDistance(expected.world_from_camera), 1e-7);
    EXPECT_NE(frame, 1005);
    ++rows;
  }
  EXPECT_EQ(rows, 11);
}

TEST_F(DeliveryTest, ReportKeepsItsContract) {
  solution.frames[2].placed = false;
  solution.tracks[0].state = TrackState::Unplaced;
  solution.staircase = {{"focal length", 0.5, 0.6, true}, {"k1", 0.4, kUnknown, false}};
  const auto report = nlohmann::json::parse(reportJson(input()));
  EXPECT_EQ(report["format"], "dusky-moth-report");
  EXPECT_EQ(report["version"], 1);
  EXPECT_EQ(report["footage"]["first"], 1001);
  EXPECT_EQ(report["frames"].size(), 11u);
  EXPECT_EQ(report["missing_frames"], nlohmann::json::array({1003}));
  EXPECT_EQ(report["frames"][0]["world_from_camera"][3], nlohmann::json::array({0, 0, 0, 1}));
  EXPECT_TRUE(report["frames"][0]["image"].is_null());
  EXPECT_EQ(report["tracks_total"], solution.tracks.size());
  EXPECT_EQ(report["tracks_kept"], solution.tracks.size() - 1);
  EXPECT_EQ(report["points"].size(), solution.tracks.size() - 1);
  EXPECT_TRUE(report["staircase"][1]["holdout_rms_px"].is_null()) << "what is unknown is null, not a number";
  EXPECT_EQ(report["warnings"], nlohmann::json::array({"a note"}));
  for (const char* name : {"rms_px", "holdout_rms_px", "motion", "timings_s", "peak_rss_mb"}) EXPECT_TRUE(report.contains(name)) << name;
  const auto& samples = report["cameras"]["A"]["lens_samples"][0]["samples"];
  EXPECT_GE(samples.size(), 17u * 17u);
  for (const auto& s : samples) EXPECT_LT((solution.lens().distort(Vec2(s[2], s[3])) - Vec2(s[0], s[1])).norm(), 1e-5);
}

TEST_F(DeliveryTest, AReportReadBackIsTheSolution) {
  const auto solved = parseShotRecord(reportJson(input()), "report");
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  ShotRecord truth;
  truth.width = 1280, truth.height = 720;
  for (int f = 0; f < 12; ++f) truth.frames[1001 + f] = {shot.poses[f], shot.plan.lens};
  for (const Vec3& p : shot.points) truth.points.push_back({p, {}});
  const auto result = compareShots(*solved, truth);
  ASSERT_TRUE(result.ok());
  EXPECT_LT(result->slip_rms_px, 1e-4);
  EXPECT_LT(result->lens_max_px, 1e-9);
}

TEST_F(DeliveryTest, WritesTheChosenFilesAndListsThem) {
  const TemporaryFolder folder;
  DeliveryChoices choices;
  choices.want("points.ply", false);
  const auto delivered = deliver(input(), choices, folder / "new" / "place", {});
  ASSERT_TRUE(delivered.ok()) << delivered.error().message;
  ASSERT_EQ(delivered->files.size(), 5u) << "with the receipt and its page";
  ASSERT_TRUE(delivered->receipt && delivered->receipt->passed()) << delivered->receipt->failure();
  for (const DeliveredFile& file : delivered->files) EXPECT_EQ(fs::file_size(file.path), file.bytes) << file.path;
  EXPECT_FALSE(fs::exists(folder / "new" / "place" / "points.ply"));
  EXPECT_EQ(std::distance(fs::directory_iterator(folder / "new" / "place"), fs::directory_iterator()), 5) << "nothing is left over";
}

TEST_F(DeliveryTest, AFolderThatCannotBeMadeIsNamed) {
  const TemporaryFolder folder;
  ASSERT_TRUE(writeFileAtomically(folder / "file", "x").ok());
  const auto files = deliver(input(), {}, folder / "file", {});
  ASSERT_FALSE(files.ok());
  EXPECT_EQ(files.error().kind, ErrorKind::CannotWrite);
  EXPECT_THAT(files.error().message, HasSubstr("file"));
}

TEST_F(DeliveryTest, CancelLeavesNothing) {
  const TemporaryFolder folder;
  std::stop_source source;
  source.request_stop();
  const auto files = deliver(input(), {}, folder.path(), Progress({}, source.get_token()));
  ASSERT_FALSE(files.ok());
  EXPECT_EQ(files.error().kind, ErrorKind::Cancelled);
  EXPECT_TRUE(fs::is_empty(folder.path()));
}

TEST_F(DeliveryTest, WhatCannotTakeItsPlaceLeavesAllThatStoodThere) {
  const TemporaryFolder folder;
  ASSERT_TRUE(deliver(input(), {}, folder.path(), {}).ok());
  const std::string before = *readFile(folder / "camera.glb");
  fs::remove(folder / "report.json");
  fs::create_directories(folder / "report.json" / "in the way");  // a folder gives way, as a whole
  solution.frames.back().placed = false;
  ASSERT_TRUE(deliver(input(), {}, folder.path(), {}).ok());
  EXPECT_TRUE(fs::is_regular_file(folder / "report.json"));
  EXPECT_NE(*readFile(folder / "camera.glb"), before);
  // A link is followed.
  fs::create_directories(folder / "elsewhere");
  fs::rename(folder / "points.ply", folder / "elsewhere" / "p.ply");
  fs::create_symlink(folder / "elsewhere" / "p.ply", folder / "points.ply");
  const auto written = fs::last_write_time(folder / "elsewhere" / "p.ply");
  ASSERT_TRUE(deliver(input(), {}, folder.path(), {}).ok());
  EXPECT_TRUE(fs::is_symlink(folder / "points.ply"));
  EXPECT_NE(fs::last_write_time(folder / "elsewhere" / "p.ply"), written);
}

TEST_F(DeliveryTest, WhatAKilledDeliveryLeftIsTakenAway) {
  const TemporaryFolder folder;
  fs::create_directories(folder / ".dusky-moth-999999-1.part" / "plates");
  ASSERT_TRUE(writeFileAtomically(folder / ".dusky-moth-999999-1.part" / "plates" / "plate.0001.png", "half").ok());
  ASSERT_TRUE(deliver(input(), {}, folder.path(), {}).ok());
  EXPECT_FALSE(fs::exists(folder / ".dusky-moth-999999-1.part"));
}

TEST_F(DeliveryTest, APageTellsWhatWasSolved) {
  const TemporaryFolder folder;
  DeliveryChoices choices;
  choices.what = {"report-page"};
  shot.tracks.tracks[0].id = 1;
  ASSERT_TRUE(deliver(input(), choices, folder.path(), {}).ok());
  const std::string page = *readFile(folder / "report-page" / "index.html");
  for (const char* word : {"Report of quay", "<svg", "polyline", "12 of 12 frames", "1280 × 720", "</html>"}) EXPECT_THAT(page, HasSubstr(word));
  EXPECT_EQ(page.find("http"), std::string::npos) << "it needs no network";
}

TEST_F(DeliveryTest, WhatIsNotThereOrDoesNotFitIsRefusedByName) {
  const TemporaryFolder folder;
  const auto refusal = [&](const DeliveryChoices& choices) {
    const auto delivered = deliver(input(), choices, folder.path(), {});
    return delivered.ok() ? std::string() : delivered.error().message;
  };
  DeliveryChoices choices;
  choices.what = {"camera.glb", "camera.fbx"};
  EXPECT_THAT(refusal(choices), HasSubstr("camera.fbx"));
  choices.what = {"plates"};
  EXPECT_THAT(refusal(choices), HasSubstr("2D tracks"));
  choices = {};
  choices.world.unit = "furlong";
  EXPECT_THAT(refusal(choices), HasSubstr("furlong"));
  scene.metric = false;
  choices.world.unit = "cm";
  EXPECT_THAT(refusal(choices), HasSubstr("no scale"));
  choices = {};
  choices.world.camera = "the camera";
  EXPECT_THAT(refusal(choices), HasSubstr("the camera"));
  EXPECT_TRUE(fs::is_empty(folder.path()));
}

TEST_F(DeliveryTest, UnitsScaleNumbersAndKeysAreAsChosen) {
  DeliveryChoices choices;
  choices.world.unit = "cm", choices.world.scale = 2, choices.world.start = 1, choices.world.fps = 50, choices.world.up = UpAxis::Z;
  std::istringstream lines(cameraCsv(input(), view(choices)));
  std::string line;
  while (line.empty() || line[0] == '#' || line[0] == 'f') std::getline(lines, line);
  int frame = 0;
  double time = 1, x = 0, y = 0, z = 0;
  ASSERT_EQ(std::sscanf(line.c_str(), "%d,%lf,%lf,%lf,%lf", &frame, &time, &x, &y, &z), 5);
  const Vec3 expected = 200 * (scene.scene_from_solve * solution.frames[0].pose.centre);
  EXPECT_EQ(frame, 1);
  EXPECT_EQ(time, 0);
  EXPECT_LT((Vec3(x, y, z) - Vec3(expected.x(), -expected.z(), expected.y())).norm(), 1e-6);
  const auto keysIn = [&](double tolerance) {
    choices.world.key_tolerance_px = tolerance;
    const std::string text = cameraCsv(input(), view(choices));
    return std::count(text.begin(), text.end(), '\n') - 3;
  };
  EXPECT_EQ(keysIn(0), 12);
  const auto few = keysIn(10);
  EXPECT_LT(few, 12);
  EXPECT_GE(few, 2);
  const TemporaryFolder folder;
  choices.want("camera.usda", true);
  const auto delivered = deliver(input(), choices, folder.path(), {});
  ASSERT_TRUE(delivered.ok() && delivered->receipt) << delivered.error().message;
  EXPECT_TRUE(delivered->receipt->passed()) << delivered->receipt->failure();
}
TEST(Exporters, ThoseOfAGroupStandTogether) {
  std::vector<std::string_view> groups;
  for (const Exporter& exporter : exporters()) {
    if (groups.empty() || groups.back() != exporter.group) groups.push_back(exporter.group);
  }
  const std::set<std::string_view> once(groups.begin(), groups.end());
  EXPECT_EQ(once.size(), groups.size()) << "a list with headings would have one twice";
}

}  // namespace dusky::testing
