#include "core/deliver/scene_parts.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "core/scene/mesh_in_scene.h"
#include "core/scene/set_outline.h"

namespace dusky {
namespace {

/// Letters, digits and _ of it, as names in 3D scenes may be; the like of it that is there already counted on.
std::string nodeName(std::string_view words, std::set<std::string>& taken) {
  std::string name;
  for (const unsigned char c : words) name += std::isalnum(c) != 0 && c < 128 ? static_cast<char>(c) : '_';
  if (name.empty() || std::isdigit(static_cast<unsigned char>(name[0])) != 0) name.insert(0, "_");
  std::string free = name;
  for (int k = 2; !taken.insert(free).second; ++k) free = fmt::format("{}_{}", name, k);
  return free;
}

ScenePart ofOutline(const SetOutline& outline) {
  ScenePart part{.name = outline.name, .places = outline.corners, .triangles = {}, .tint = {0.55, 0.45, 0.7}, .see_through = true};
  if (outline.corners.size() == 4) part.triangles = {{0, 1, 2}, {0, 2, 3}};
  return part;
}

ScenePart ofObject(const TestObject& object, const DeliveryInput& input) {
  ScenePart part{.name = fmt::format("{}_{}", describe(object.shape), object.id), .places = {}, .triangles = {}, .tint = kSolidTint};
  for (const SolidFace& face : solidOf(object, input.solution, input.scene)) {
    const auto first = static_cast<std::uint32_t>(part.places.size());
    part.places.insert(part.places.end(), face.corners.begin(), face.corners.end());
    part.triangles.push_back({first, first + 1, first + 2});
  }
  return part;
}

ScenePart ofSurvey(const Knowledge& knowledge) {
  ScenePart part{.name = "survey", .places = {}, .triangles = {}, .tint = {0.9, 0.6, 0.2}};
  for (const SurveyPoint& point : knowledge.survey) {
    if (point.on) part.places.push_back(point.at);
  }
  return part;
}

ScenePart ofMesh(const SetMesh& mesh, const Similarity& scene_from_mesh) {
  ScenePart part{.name = "set_mesh", .places = {}, .triangles = mesh.triangles};
  part.places.reserve(mesh.points.size());
  for (const Eigen::Vector3f& p : mesh.points) part.places.push_back(scene_from_mesh * p.cast<double>());
  return part;
}

}  // namespace

Result<std::vector<ScenePart>> scenePartsOf(const DeliveryInput& input, const DeliveryView& view, const Progress& progress) {
  std::vector<ScenePart> parts;
  for (const SetOutline& outline : setOutlines(input.solution, input.scene)) parts.push_back(ofOutline(outline));
  if (input.objects) {
    for (const TestObject& object : *input.objects) parts.push_back(ofObject(object, input));
  }
  if (input.knowledge) parts.push_back(ofSurvey(*input.knowledge));
  if (input.open_mesh) {
    const auto mesh = input.open_mesh(progress);
    if (!mesh.ok()) return mesh.error();
    parts.push_back(ofMesh(*simplified(*mesh, kMostMeshTriangles), sceneFromMesh(input.mesh)));
  }
  std::erase_if(parts, [](const ScenePart& part) { return part.places.empty(); });
  // From the scene to the delivery's world: a scale alone.
  const double scale = view.world_from_solve.scale / input.scene.scene_from_solve.scale;
  std::set<std::string> taken = {view.camera_name, view.points_name, "shot"};
  for (ScenePart& part : parts) {
    part.name = nodeName(part.name, taken);
    for (Vec3& place : part.places) place *= scale;
  }
  return parts;
}

}  // namespace dusky
