// What is known of the set, by the command line: moth solve --knowledge and moth scene.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/atomic_file.h"
#include "core/base/random.h"
#include "core/pipeline/workspace.h"
#include "core/project/edits.h"
#include "tests/apps/cli/cli_fixture.h"

namespace dusky::testing {
using ::testing::AllOf;
using ::testing::HasSubstr;

class KnowledgeCli : public CliTest {};

TEST_F(KnowledgeCli, KnowledgeOfTheSetShapesTheSolveAndIsReported) {
  const std::string target = (out / "known").string(), file = (out / "set.json").string();
  const auto solveWith = [&](const std::string& body) {
    EXPECT_TRUE(writeFileAtomically(file, R"({"format":"dusky-moth-knowledge","version":1,)" + body + "}").ok());
    return moth({"solve", shot(ShotKind::Free), "-o", target, "--quiet", "--knowledge", file});
  };
  EXPECT_THAT(solveWith(R"("sets":[{"name":"rail","kind":"curve","members":[]}])").err, AllOf(HasSubstr("set.json"), HasSubstr("no set of the kind")));
  EXPECT_TRUE(nothingIn(target)) << "before anything was tracked";
  EXPECT_EQ(solveWith(R"("sets":[{"name":"w","members":[{"id":999999},{"id":999998},{"id":999997}]}])").code, 2);
  EXPECT_TRUE(nothingIn(target));
  // Loosely: what is in the upper left of a frame lies near a plane.
  const Ran ran = solveWith(R"("sets":[{"name":"backdrop","members":{"regions":[{"frame":8,"polygon":[[0,0],[640,0],[640,240],[0,240]]}]},"sigma":5}])");
  ASSERT_EQ(ran.code, 0) << ran.err;
  const auto report = nlohmann::json::parse(*readFile(fs::path(target) / "report.json"));
  ASSERT_EQ(report["knowledge"].size(), 1u);
  const auto& plane = report["knowledge"][0];
  EXPECT_EQ(plane["name"], "backdrop");
  EXPECT_EQ(plane["kind"], "plane");
  EXPECT_GE(plane["members"].size(), 3u);
  EXPECT_GT(plane["sigma_normal_deg"].get<double>(), 0);
  EXPECT_NEAR(plane["rms_px_with"].get<double>(), plane["rms_px_without"].get<double>(), 0.05) << "so loosely it hardly pulls";
  const std::vector<double> normal = plane["normal"];
  EXPECT_NEAR(std::hypot(normal[0], normal[1], normal[2]), 1, 1e-9);
  // Both solves stand in the project's ledger, and what was changed is said.
  const std::string project = (fs::path(target) / (fs::path(shot(ShotKind::Free)).stem().string() + ".moth")).string();
  const Ran swept = moth({"sweep", project, "--parameter", "offset of backdrop", "--from", "1", "--to", "2"});
  EXPECT_EQ(swept.code, 2);
  EXPECT_THAT(swept.err, HasSubstr("undetermined before a survey"));
  const Ran runs = moth({"runs", project});
  EXPECT_THAT(runs.out, HasSubstr("known of the set: 1 plane or line"));
}

TEST_F(KnowledgeCli, SceneSaysHowTheWorldIsPlacedAndHowFarKnownLengthsAreOff) {
  const std::string project = solvedProject(), file = (out / "set.json").string();
  const std::string before = *readFile(project);
  const Ran plain = moth({"scene", project, "--json"});
  ASSERT_EQ(plain.code, 0) << plain.err;
  const auto placed = nlohmann::json::parse(plain.out);
  EXPECT_EQ(placed["format"], "dusky-moth-scene");
  EXPECT_EQ(placed["units"], "units");
  EXPECT_EQ(placed["scene_from_solve"].size(), 4u);
  EXPECT_TRUE(placed["lengths"].empty());
  EXPECT_GT(placed["up_sigma_deg"].get<double>(), 0);
  EXPECT_FALSE(placed["solve_is_stale"].get<bool>());
  // Two lengths that agree, and one that does not: the scale is between them, and each says how far it is off.
  Workspace shown;
  ASSERT_TRUE(shown.openProject(project, nullptr, ProjectStore::Access::Read).ok());
  std::vector<int> ids;
  for (const SolvedTrack& track : shown.solution()->tracks) {
    if (track.state == TrackState::Kept && !track.at_infinity && !track.holdout) ids.push_back(track.id);
  }
  const auto apart = [&](int a, int b) { return (shown.solution()->find(ids[a])->point - shown.solution()->find(ids[b])->point).norm(); };
  const auto length = [&](int a, int b, double metres) {
    return R"({"from":{"id":)" + std::to_string(ids[a]) + R"(},"to":{"id":)" + std::to_string(ids[b]) + R"(},"metres":)" + std::to_string(metres) +
           R"(,"sigma":0.01})";
  };
  ASSERT_TRUE(writeFileAtomically(file, R"({"format":"dusky-moth-knowledge","version":1,"lengths":[)" + length(0, 9, 3 * apart(0, 9)) + "," +
                                            length(3, 12, 3 * apart(3, 12)) + "," + length(5, 15, 3.3 * apart(5, 15)) + "]}")
                  .ok());
  const Ran known = moth({"scene", project, "--knowledge", file, "--json"});
  ASSERT_EQ(known.code, 0) << known.err;
  const auto scene = nlohmann::json::parse(known.out);
  EXPECT_EQ(scene["units"], "metres");
  EXPECT_GT(scene["scale"].get<double>(), 3);
  EXPECT_LT(scene["scale"].get<double>(), 3.3);
  ASSERT_EQ(scene["lengths"].size(), 3u);
  EXPECT_GT(scene["lengths"][0]["off_pc"].get<double>(), 0);
  EXPECT_LT(scene["lengths"][2]["off_pc"].get<double>(), 0);
  EXPECT_TRUE(scene["solve_is_stale"].get<bool>()) << "three lengths shape the solve too";
  EXPECT_EQ(*readFile(project), before) << "left alone without --save";
  EXPECT_THAT(moth({"scene", project, "--knowledge", file}).out, AllOf(HasSubstr("length"), HasSubstr("--save keeps this"), HasSubstr("moth solve")));
  EXPECT_EQ(moth({"scene", project, "--knowledge", (out / "none.json").string()}).code, 2);
  EXPECT_EQ(moth({"scene", (out / "none.moth").string()}).code, 2);
}

TEST_F(KnowledgeCli, ASurveyAsCsvPlacesTheSceneByTheNamesOfTracks) {
  const std::string project = (out / "named.moth").string(), file = (out / "survey.csv").string();
  fs::copy_file(solvedProject(), project);
  std::string csv = "# unit: cm\nname,x,y,z\n";
  {
    Workspace shown;
    ASSERT_TRUE(shown.openProject(project).ok());
    int count = 0;
    const SolutionPtr solution = shown.solution();
    for (const SolvedTrack& track : solution->tracks) {
      if (track.state != TrackState::Kept || track.at_infinity || track.holdout || track.id % 5 != 0 || ++count > 6) continue;
      const std::string name = "S" + std::to_string(track.id);
      ASSERT_TRUE(shown.run(nameTrack(shown.document(), track.id, name, shown.followedKey())).ok());
      const Vec3 at = 200 * track.point + Vec3(1000, 0, -300);
      csv += name + "," + std::to_string(at.x()) + "," + std::to_string(at.y()) + "," + std::to_string(at.z()) + "\n";
    }
    ASSERT_GE(count, 4);
    ASSERT_TRUE(shown.flush().ok());
  }
  ASSERT_TRUE(writeFileAtomically(file, csv).ok());
  const Ran ran = moth({"scene", project, "--knowledge", file, "--json"});
  ASSERT_EQ(ran.code, 0) << ran.err;
  const auto scene = nlohmann::json::parse(ran.out);
  EXPECT_EQ(scene["placed_by"], "survey");
  EXPECT_NEAR(scene["scale"].get<double>(), 2, 1e-4);
  EXPECT_NEAR(scene["scene_from_solve"][0][3].get<double>(), 10, 1e-4);
  for (const auto& point : scene["survey"]) EXPECT_LT(point["off"].get<double>(), 1e-4);
  ASSERT_TRUE(writeFileAtomically(file, "anchor,1,2,3\n").ok());
  EXPECT_THAT(moth({"scene", project, "--knowledge", file}).err, HasSubstr("there is no track \"anchor\""));
}

/// Sixty points before a camera that stands still, and where ten of them are in the world, to 5 mm.
void writeLockedOff(const std::string& tracks, const std::string& survey, const Vec3& stands) {
  constexpr double kFocal = 1500;
  Random random(3);
  std::string seen = "track,frame,x_px,y_px\n", measured = "name,x,y,z,sigma\n";
  for (int id = 1; id <= 60; ++id) {
    const double depth = random.between(4, 14);
    const Vec2 at(random.between(80, 1840), random.between(60, 1020));
    for (int frame = 1; frame <= 24; ++frame)
      seen += fmt::format("{},{},{:.4f},{:.4f}\n", id, frame, at.x() + 0.2 * random.normal(), at.y() + 0.2 * random.normal());
    if (id % 6 != 1) continue;
    const Vec2 across = depth / kFocal * (at - Vec2(960, 540));
    const Vec3 place = stands + Vec3(across.x(), -across.y(), -depth) + 0.005 * Vec3(random.normal(), random.normal(), random.normal());
    measured += fmt::format("{},{:.5f},{:.5f},{:.5f},0.005\n", id, place.x(), place.y(), place.z());
  }
  ASSERT_TRUE(writeFileAtomically(tracks, seen).ok() && writeFileAtomically(survey, measured).ok());
}

TEST_F(KnowledgeCli, ALockedOffCameraIsPutInItsPlaceByASurveyAlone) {
  const std::string tracks = (out / "still.csv").string(), survey = (out / "survey.csv").string(), target = (out / "still").string();
  const Vec3 stands(2, 1.6, 5);
  writeLockedOff(tracks, survey, stands);
  const Ran moving = moth({"solve", "--tracks", tracks, "--size", "1920x1080", "-o", target});
  EXPECT_EQ(moving.code, 4);
  EXPECT_THAT(moving.err, HasSubstr("If it is locked off"));
  const Ran alone = moth({"solve", "--tracks", tracks, "--size", "1920x1080", "--motion", "nodal", "-o", target});
  EXPECT_THAT(alone.out, AllOf(HasSubstr("px, assumed"), HasSubstr("does not tell its focal length")));
  const Ran known = moth({"solve", "--tracks", tracks, "--size", "1920x1080", "--motion", "nodal", "--knowledge", survey, "-o", target});
  ASSERT_EQ(known.code, 0) << known.err;
  const auto report = nlohmann::json::parse(*readFile(fs::path(target) / "report.json"));
  EXPECT_EQ(report["knowledge"].size(), 10u);
  for (const auto& frame : report["frames"]) {
    const auto pose = frame["world_from_camera"];
    for (std::size_t k = 0; k < 3; ++k) EXPECT_NEAR(pose[k][3].get<double>(), stands[static_cast<Eigen::Index>(k)], 0.06);
  }
}

TEST_F(KnowledgeCli, TheSceneIsMovedByNumbersAndByTheCamerasHeight) {
  const std::string project = solvedProject();
  const auto json = [&](std::vector<std::string> more) {
    std::vector<std::string> all{"scene", project, "--json"};
    all.insert(all.end(), more.begin(), more.end());
    const Ran ran = moth(all);
    EXPECT_EQ(ran.code, 0) << ran.err;
    return nlohmann::json::parse(ran.out);
  };
  const auto plain = json({});
  EXPECT_TRUE(plain["camera_height"].is_null());
  const auto moved = json({"--move", "1", "-2", "0.5", "--turn", "0", "90", "0", "--scale", "2"});
  EXPECT_NEAR(moved["scale"].get<double>(), 2 * plain["scale"].get<double>(), 1e-9);
  const auto entry = [](const nlohmann::json& scene, int row, int column) { return scene["scene_from_solve"][row][column].get<double>(); };
  EXPECT_NEAR(entry(moved, 0, 3), 2 * entry(plain, 2, 3) + 1, 1e-9) << "x is where z was";
  EXPECT_NEAR(entry(moved, 1, 3), 2 * entry(plain, 1, 3) - 2, 1e-9);
  const auto z_up = json({"--up", "z", "--move", "0", "0", "3"});
  EXPECT_NEAR(entry(z_up, 2, 3), entry(plain, 1, 3) + 3, 1e-9);
  EXPECT_EQ(z_up["up"], "z");
  const auto high = json({"--camera-height", "2.4", "--at-frame", "3"});
  EXPECT_EQ(high["units"], "metres");
  EXPECT_NEAR(high["camera_height"]["found"].get<double>(), 2.4, 1e-9);
  EXPECT_EQ(moth({"scene", project, "--camera-height", "2"}).code, 2) << "in which frame?";
  EXPECT_THAT(moth({"scene", project, "--camera-height", "2", "--at-frame", "99999"}).err, HasSubstr("99999"));
  // Kept, it is there the next time and in what is delivered; what is known cannot be moved any more.
  ASSERT_EQ(moth({"scene", project, "--camera-height", "2.4", "--at-frame", "3", "--up", "z", "--save"}).code, 0);
  EXPECT_NEAR(json({})["camera_height"]["found"].get<double>(), 2.4, 1e-9);
  EXPECT_THAT(moth({"scene", project, "--scale", "3"}).err, HasSubstr("scale is known"));
  EXPECT_THAT(moth({"scene", project}).out, AllOf(HasSubstr("height"), HasSubstr("up       Z")));
}

TEST_F(KnowledgeCli, AMeshOfTheSetSaysHowPointsLieToItAndTakesTheScene) {
  const std::string project = solvedProject();
  Workspace shown;
  ASSERT_TRUE(shown.openProject(project, nullptr, ProjectStore::Access::Read).ok());
  const SceneFrame scene = *shown.scene();
  // A scan of the very set, a little beside where the scene stands, in millimetres.
  const Similarity beside{1.0002, rotationFromVector(Vec3(1e-4, 2e-4, 0)), Vec3(5e-4, 3e-4, -4e-4)};
  std::string points;
  int count = 0;
  for (const SolvedTrack& track : shown.solution()->tracks) {
    if (track.state != TrackState::Kept || track.at_infinity) continue;
    const Vec3 p = 1000 * (beside * (scene.scene_from_solve * track.point));
    points += std::to_string(p.x()) + " " + std::to_string(p.y()) + " " + std::to_string(p.z()) + "\n";
    ++count;
  }
  const std::string scan = (out / "scan.ply").string();
  ASSERT_TRUE(writeFileAtomically(scan, "ply\nformat ascii 1.0\nelement vertex " + std::to_string(count) +
                                            "\nproperty float x\nproperty float y\nproperty float z\nend_header\n" + points)
                  .ok());
  EXPECT_THAT(moth({"scene", project, "--mesh", (out / "none.obj").string()}).err, HasSubstr("no such file"));
  EXPECT_THAT(moth({"scene", project, "--lay-on-mesh"}).err, HasSubstr("no mesh"));
  const Ran looked = moth({"scene", project, "--mesh", scan, "--mesh-unit", "mm", "--json"});
  ASSERT_EQ(looked.code, 0) << looked.err;
  const auto before = nlohmann::json::parse(looked.out);
  EXPECT_EQ(before["mesh"]["points"], count);
  const Ran laid = moth({"scene", project, "--mesh", scan, "--mesh-unit", "mm", "--lay-on-mesh", "--save", "--json"});
  ASSERT_EQ(laid.code, 0) << laid.err;
  const auto after = nlohmann::json::parse(laid.out);
  EXPECT_EQ(after["placed_by"], "survey");
  EXPECT_LT(after["mesh"]["median_off"].get<double>(), 0.1 * before["mesh"]["median_off"].get<double>());
  EXPECT_GT(after["survey"].size(), 10u);
  const Ran again = moth({"scene", project, "--json"});
  ASSERT_EQ(again.code, 0) << again.err;
  const auto kept = nlohmann::json::parse(again.out);
  EXPECT_EQ(kept["mesh"]["points"], count) << "the project keeps the mesh";
  EXPECT_EQ(kept["placed_by"], "survey");
}

}  // namespace dusky::testing
