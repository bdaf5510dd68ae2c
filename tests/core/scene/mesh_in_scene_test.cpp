// The mesh of a set in the scene: picked on, the scene laid on it, and seen through the camera; against the set that the shot was made of.
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/random.h"
#include "core/scene/seen_mesh.h"
#include "tests/support/made_mesh.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

/// A room with its rear wall, a side wall and a floor, filmed; the solve has a world of its own. The mesh is in centimetres with Z up.
class MeshInScene : public ::testing::Test {
 protected:
  void SetUp() override {
    SyntheticPlan plan{.frames = 20, .points = 400, .noise_px = 0};
    plan.path = [](int i) { return Pose{rotationFromVector(Vec3(0, 0.01 * i - 0.15, 0)) * Eigen::Quaterniond(0, 1, 0, 0), Vec3(0.06 * i, 1.6, 0.5)}; };
    plan.set = [](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> {
      const double floor = ray.y() < -1e-3 ? -from.y() / ray.y() : 99, rear = ray.z() < -1e-3 ? (-6 - from.z()) / ray.z() : 99,
                   side = ray.x() > 1e-3 ? (2 - from.x()) / ray.x() : 99, nearest = std::min({floor, rear, side, crate(from, ray)});
      return nearest < 20 ? std::optional(Vec3(from + nearest * ray)) : std::nullopt;
    };
    shot = makeSyntheticShot(plan);
    solution = perfectSolution(shot);
    const Similarity away{0.37, rotationFromVector(Vec3(0.1, -0.2, 0.05)), Vec3(4, -2, 7)};
    for (SolvedFrame& frame : solution.frames) frame.pose = away * frame.pose;
    for (SolvedTrack& track : solution.tracks) track.point = away * track.point;
    SetMesh box = boxMesh({-9, 0, -6}, {2, 5, 4});
    for (auto& p : box.points) p = (100 * toUpAxis(UpAxis::Z, p.cast<double>())).cast<float>();
    SetMesh on_floor = boxMesh({-1.5, 0, -5}, {0.5, 1, -4});
    for (auto& p : on_floor.points) box.points.push_back((100 * toUpAxis(UpAxis::Z, p.cast<double>())).cast<float>());
    for (auto& t : on_floor.triangles) box.triangles.push_back({t[0] + 8, t[1] + 8, t[2] + 8});
    surface = *MeshSurface::make(std::make_shared<SetMesh>(box), {});
  }
  /// How far along a line of sight a crate stands before it: its front and its top.
  static double crate(const Vec3& from, const Vec3& ray) {
    double nearest = 99;
    const double front = ray.z() < -1e-3 ? (-4 - from.z()) / ray.z() : 99, top = ray.y() < -1e-3 ? (1 - from.y()) / ray.y() : 99;
    const Vec3 a = from + front * ray, b = from + top * ray;
    if (a.x() > -1.5 && a.x() < 0.5 && a.y() > 0 && a.y() < 1) nearest = front;
    if (b.x() > -1.5 && b.x() < 0.5 && b.z() > -5 && b.z() < -4) nearest = std::min(nearest, top);
    return nearest;
  }
  Vec3 truthOf(int id) const { return shot.points[static_cast<std::size_t>(id - 1)]; }
  SceneFrame placed(const Knowledge& knowledge) const { return *orientScene(solution, {}, knowledge); }
  double worstOff(const SceneFrame& scene) const {
    double worst = 0;
    for (const SolvedTrack& track : solution.tracks) worst = std::max(worst, (scene.scene_from_solve * track.point - truthOf(track.id)).norm());
    return worst;
  }
  /// Picks a track through the camera where it is seen, some px beside.
  Knowledge picked(Knowledge knowledge, int track, double beside_rad) const {
    const Vec3 eye(0.6, 1.6, 0.5), to = (truthOf(track) - eye).normalized() + beside_rad * Vec3::UnitY();
    const auto at = pickOnMesh(*surface, mesh, {eye, to.normalized()}, 0.01);
    EXPECT_TRUE(at);
    return withPick(std::move(knowledge), track, *at, (*at - eye).norm(), 0.002);
  }
  /// Tracks on each of the three faces.
  std::vector<int> spread() const {
    std::vector<int> ids;
    for (const int face : {0, 1, 2}) {
      int here = 0;
      for (const SolvedTrack& track : solution.tracks) {
        const Vec3 p = truthOf(track.id);
        const bool on = face == 0 ? p.y() < 1e-9 : face == 1 ? p.z() < -6 + 1e-9 : p.x() > 2 - 1e-9;
        if (on && here < 2 && (ids.empty() || (truthOf(ids.back()) - p).norm() > 0.8)) ids.push_back(track.id), ++here;
      }
    }
    return ids;
  }

  SyntheticShot shot;
  Solution solution;
  MeshSurfacePtr surface;
  const MeshSettings mesh{"room.obj", 0.01, UpAxis::Z};
};

TEST_F(MeshInScene, PicksPlaceTheSceneAndLayingItOnTheMeshMakesItRight) {
  const auto ids = spread();
  ASSERT_GE(ids.size(), 5u);
  Knowledge knowledge;
  for (const int id : ids) knowledge = picked(std::move(knowledge), id, 0);
  EXPECT_LT(worstOff(placed(knowledge)), 1e-3) << "picked where they are";
  EXPECT_TRUE(placed(knowledge).metric);
  // Picked badly, up to a degree beside: near enough to be laid on it.
  Knowledge rough;
  for (std::size_t k = 0; k < ids.size(); ++k) rough = picked(std::move(rough), ids[k], k % 2 == 0 ? 0.017 : -0.012);
  const SceneFrame begun = placed(rough);
  EXPECT_GT(worstOff(begun), 0.04);
  const auto laid = layOnMesh(solution, begun, rough, *surface, mesh, false, {});
  ASSERT_TRUE(laid.ok()) << laid.error().message;
  const SceneFrame scene = placed(laid->knowledge);
  EXPECT_LT(worstOff(scene), 0.3 * worstOff(begun));
  EXPECT_TRUE(laid->knowledge.check().ok());
  const MeshAgreement lies = agreementWith(solution, scene, *surface, mesh);
  EXPECT_EQ(lies.far, 0);
  EXPECT_LT(lies.typical, 0.002);
  EXPECT_GT(agreementWith(solution, begun, *surface, mesh).typical, 0.005);
}

TEST_F(MeshInScene, AnotherPickOfATrackTakesThePlaceOfTheFirst) {
  const int id = spread().front();
  const Knowledge twice = picked(picked({}, id, 0.01), id, 0);
  ASSERT_EQ(twice.survey.size(), 1u);
  EXPECT_LT((twice.survey[0].at - truthOf(id)).norm(), 1e-3);
  EXPECT_GT(twice.survey[0].sigma.x(), 0) << "as sure as the pointer is";
}

TEST_F(MeshInScene, ItIsSeenThroughTheLensWhereItsPointsAre) {
  SceneCamera camera{.pose = {Eigen::Quaterniond(0, 1, 0, 0), Vec3(0, 1, 6)}, .lens = solution.lens()};
  const MeshSettings metres{"box.obj", 1, UpAxis::Y};
  const SetMesh box = boxMesh({-1, 0, -1}, {1, 2, 1});
  const auto seen = *MeshSurface::make(std::make_shared<SetMesh>(box), {});
  const auto edges = creases(box, 0.2, 100);
  const auto lengthOf = [](const std::vector<std::vector<Vec2>>& lines) {
    double sum = 0;
    for (const auto& line : lines) {
      for (std::size_t i = 1; i < line.size(); ++i) sum += (line[i] - line[i - 1]).norm();
    }
    return sum;
  };
  const auto all = edgesSeen(camera, box, edges, *seen, metres, false), front = edgesSeen(camera, box, edges, *seen, metres, true);
  EXPECT_EQ(all.size(), 12u);
  EXPECT_EQ(front.size(), 4u) << "seen from straight before it only the near face is left";
  EXPECT_LT(lengthOf(front), lengthOf(all));
  const Vec2 corner = *camera.see({1, 2, 1});
  double nearest = 1e9;
  for (const auto& line : front) {
    for (const Vec2& p : line) nearest = std::min(nearest, (p - corner).norm());
  }
  EXPECT_LT(nearest, 1e-3);
  const Plane<float> light = shadeSeen(camera, *seen, metres, 160);
  const double step = camera.lens.width / 160.0;
  int inside = 0;
  for (int y = 0; y < light.height; ++y) {
    for (int x = 0; x < light.width; ++x) inside += light.row(y)[x] >= 0;
  }
  const Vec2 low = *camera.see({-1, 0, 1}), high = *camera.see({1, 2, 1});
  EXPECT_NEAR(inside * step * step / std::abs((high - low).x() * (high - low).y()), 1, 0.05) << "as large as the near face";
  const Vec2 middle = *camera.see({0, 1, 1}) / step;
  EXPECT_NEAR(light.row(static_cast<int>(middle.y()))[static_cast<int>(middle.x())], 1, 1e-3) << "it faces the camera";
}

}  // namespace dusky::testing
