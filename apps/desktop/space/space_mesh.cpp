#include "apps/desktop/space/space_mesh.h"

#include "apps/desktop/paint/theme.h"
#include "core/scene/seen_mesh.h"

namespace dusky::desktop {
namespace {

using Style = ViewSettings::MeshStyle;

const QColor kMeshTint(0x9c, 0x90, 0xb0);

SpaceVertex vertex(const Vec3& p, const QColor& c, double light, double alpha) {
  const auto part = [light](float tint) { return static_cast<float>(light * tint); };
  return {static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z()), part(c.redF()),
          part(c.greenF()),          part(c.blueF()),           static_cast<float>(alpha)};
}

void addFaces(const SetMesh& mesh, const Similarity& scene_from_mesh, bool lit, SpaceMesh& out) {
  const Vec3 light = Vec3(0.4, 0.8, 0.45).normalized();
  out.faces.reserve(3 * mesh.triangles.size());
  for (const auto& triangle : mesh.triangles) {
    std::array<Vec3, 3> corners;
    for (std::size_t k = 0; k < 3; ++k) corners[k] = scene_from_mesh * mesh.points[triangle[k]].cast<double>();
    const Vec3 normal = (corners[1] - corners[0]).cross(corners[2] - corners[0]).normalized();
    for (const Vec3& corner : corners)
      out.faces.push_back(lit ? vertex(corner, kMeshTint, 0.35 + 0.65 * facingLight(normal, light), 1) : vertex(corner, color::Night, 1, 1));
  }
}

void addCloud(const SetMesh& mesh, const Similarity& scene_from_mesh, SpaceMesh& out) {
  constexpr float kDot = 0, kSize_px = 2.2f;
  for (std::size_t i = 0; i < mesh.points.size(); ++i) {
    const QColor paint = mesh.colors.empty() ? kMeshTint : QColor(mesh.colors[i][0], mesh.colors[i][1], mesh.colors[i][2]);
    const SpaceVertex v = vertex(scene_from_mesh * mesh.points[i].cast<double>(), paint, 1, 0.9);
    out.points.push_back({v.x, v.y, v.z, v.r, v.g, v.b, v.a, kDot, kSize_px});
  }
}

}  // namespace

SpaceMeshKey meshKeyOf(const Session& session) {
  return {session.mesh.mesh().surface, session.model.document().mesh, session.view.meshShown(), session.view.meshStyle()};
}

SpaceMesh buildMesh(const Session& session) {
  SpaceMesh out;
  const MeshStore::Mesh& mesh = session.mesh.mesh();
  if (!mesh.surface || !session.view.meshShown()) return out;
  const Similarity scene_from_mesh = sceneFromMesh(session.model.document().mesh);
  if (mesh.drawn->isCloud()) {
    addCloud(*mesh.drawn, scene_from_mesh, out);
    return out;
  }
  const Style style = session.view.meshStyle();
  if (style != Style::Lines) addFaces(*mesh.drawn, scene_from_mesh, style == Style::Solid, out);
  if (style == Style::Solid) return out;
  for (const MeshEdge& edge : mesh.edges) {
    for (const std::uint32_t end : edge) out.edges.push_back(vertex(scene_from_mesh * mesh.drawn->points[end].cast<double>(), kMeshTint, 1, 0.9));
  }
  return out;
}

}  // namespace dusky::desktop
