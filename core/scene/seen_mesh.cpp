#include "core/scene/seen_mesh.h"

#include <cmath>

#include "core/base/parallel.h"

namespace dusky {

double facingLight(const Vec3& normal, const Vec3& towards) { return 0.25 + 0.75 * std::abs(normal.dot(towards)); }

std::vector<std::vector<Vec2>> edgesSeen(const SceneCamera& camera, const SetMesh& drawn, const std::vector<MeshEdge>& edges, const MeshSurface& surface,
                                         const MeshSettings& mesh, bool hidden_removed, std::stop_token stop) {
  constexpr int kPieces = 6;  // an edge is bent by the lens, and parts of it may be hidden
  const Similarity scene_from_mesh = sceneFromMesh(mesh);
  const Vec3 eye = scene_from_mesh.inverse() * camera.pose.centre;
  std::vector<std::vector<std::vector<Vec2>>> each(edges.size());
  const auto look = [&](int at) {
    if (stop.stop_requested()) return;
    const auto index = static_cast<std::size_t>(at);
    const Vec3 from = drawn.points[edges[index][0]].cast<double>(), to = drawn.points[edges[index][1]].cast<double>();
    std::vector<Vec2> line;
    const auto end = [&] {
      if (line.size() > 1) each[index].push_back(line);
      line.clear();
    };
    for (int i = 0; i < kPieces; ++i) {
      const Vec3 a = from + (to - from) * i / kPieces, b = from + (to - from) * (i + 1) / kPieces;
      const auto seen_a = camera.see(scene_from_mesh * a), seen_b = camera.see(scene_from_mesh * b);
      if (!seen_a || !seen_b || (hidden_removed && surface.hides(eye, 0.5 * (a + b)))) {
        end();
        continue;
      }
      if (line.empty()) line.push_back(*seen_a);
      line.push_back(*seen_b);
    }
    end();
  };
  parallelFor(static_cast<int>(edges.size()), look, 64);
  std::vector<std::vector<Vec2>> lines;
  for (auto& some : each) {
    for (auto& line : some) lines.push_back(std::move(line));
  }
  return lines;
}

Plane<float> shadeSeen(const SceneCamera& camera, const MeshSurface& surface, const MeshSettings& mesh, int width, std::stop_token stop) {
  const double step = static_cast<double>(camera.lens.width) / width;
  Plane<float> light(width, std::max(1, static_cast<int>(std::lround(camera.lens.height / step))), -1.0f);
  if (surface.mesh().isCloud()) return light;
  const Similarity mesh_from_scene = sceneFromMesh(mesh).inverse();
  const Vec3 eye = mesh_from_scene * camera.pose.centre;
  parallelFor(light.height, [&](int y) {
    if (stop.stop_requested()) return;
    for (int x = 0; x < light.width; ++x) {
      const auto ray = camera.lens.ray(step * Vec2(x + 0.5, y + 0.5));
      if (!ray) continue;
      const Vec3 towards = mesh_from_scene.rotation * camera.pose.direction(ray->normalized());
      if (const auto hit = surface.hit(eye, towards)) light.row(y)[x] = static_cast<float>(facingLight(hit->normal, towards));
    }
  });
  return light;
}

}  // namespace dusky
