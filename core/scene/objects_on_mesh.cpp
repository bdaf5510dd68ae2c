#include "core/scene/objects_on_mesh.h"

#include <cmath>

#include "core/base/parallel.h"
#include "core/scene/object_light.h"

namespace dusky {
namespace {

constexpr double kSame = 0.02;  // of the distance

SetMeshPtr meshOf(const std::vector<SolidFace>& faces) {
  auto mesh = std::make_shared<SetMesh>();
  for (const SolidFace& face : faces) {
    const auto first = static_cast<std::uint32_t>(mesh->points.size());
    for (const Vec3& corner : face.corners) mesh->points.push_back(corner.cast<float>());
    mesh->triangles.push_back({first, first + 1, first + 2});
  }
  return mesh;
}

/// What lines of sight meet of both, scene coordinates.
class Meeting {
 public:
  Meeting(const Pose& camera, const MeshSurface& set, const MeshSettings& mesh, const MeshSurface& objects)
      : set_(set), objects_(objects), scene_from_mesh_(sceneFromMesh(mesh)), mesh_from_scene_(scene_from_mesh_.inverse()), eye_(camera.centre) {}

  struct Seen {
    bool hidden = false, shadow = false;
  };
  Seen along(const Vec3& towards) const {
    const auto object = objects_.hit(eye_, towards);
    const auto set = set_.hit(mesh_from_scene_ * eye_, mesh_from_scene_.rotation * towards);
    if (!set) return {};
    const Vec3 place = scene_from_mesh_ * set->at;
    const double set_away = (place - eye_).norm(), object_away = object ? (object->at - eye_).norm() : set_away;
    if (object && set_away < (1 - kSame) * object_away) return {.hidden = true, .shadow = inShadow(place, set_away)};
    return {.hidden = false, .shadow = (!object || set_away <= object_away) && inShadow(place, set_away)};
  }

 private:
  /// An object takes the light that the set itself does not.
  bool inShadow(const Vec3& place, double away) const {
    const double far = 100 * away, off = kSame * away;
    const Vec3 light = towardsLight(), end = place + far * light;
    if (!objects_.hides(place, end)) return false;
    return !set_.hides(mesh_from_scene_ * (place + off * light), mesh_from_scene_ * end);
  }

  const MeshSurface &set_, &objects_;
  const Similarity scene_from_mesh_, mesh_from_scene_;
  const Vec3 eye_;
};

}  // namespace

ObjectsOnMesh objectsOnMesh(const SceneCamera& camera, const MeshSurface& surface, const MeshSettings& mesh, const std::vector<SolidFace>& objects, int width,
                            std::stop_token stop) {
  if (objects.empty() || surface.mesh().isCloud()) return {};
  const auto solids = MeshSurface::make(meshOf(objects), {});
  if (!solids.ok()) return {};
  const Meeting meeting(camera.pose, surface, mesh, **solids);
  const double step = static_cast<double>(camera.lens.width) / width;
  ObjectsOnMesh seen;
  seen.hidden = seen.shadow = Plane<std::uint8_t>(width, std::max(1, static_cast<int>(std::lround(camera.lens.height / step))));
  parallelFor(seen.hidden.height, [&](int y) {
    if (stop.stop_requested()) return;
    for (int x = 0; x < width; ++x) {
      const auto ray = camera.lens.ray(step * Vec2(x + 0.5, y + 0.5));
      if (!ray) continue;
      const auto [hidden, shadow] = meeting.along(camera.pose.direction(ray->normalized()));
      seen.hidden.at(x, y) = hidden ? 255 : 0, seen.shadow.at(x, y) = shadow ? 255 : 0;
    }
  });
  return seen;
}

}  // namespace dusky
