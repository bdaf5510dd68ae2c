#include <fmt/format.h>

#include <sstream>

#include "core/base/atomic_file.h"
#include "core/base/paths.h"
#include "core/deliver/dense_ply.h"
#include "core/deliver/glb_packer.h"

namespace dusky {
namespace {

/// A surface as a file has it.
struct Told {
  const SetMesh& mesh;
  std::vector<Eigen::Vector3f> places;
  const FileWorld& world;
  char up() const { return world.up == UpAxis::Z ? 'Z' : 'Y'; }
  std::array<std::uint8_t, 3> color(std::size_t k) const { return mesh.colors.empty() ? std::array<std::uint8_t, 3>{180, 180, 180} : mesh.colors[k]; }
};

template <class T>
void append(std::string& bytes, const T& value) {
  bytes.append(reinterpret_cast<const char*>(&value), sizeof(T));
}

std::string plyOf(const Told& told) {
  std::string bytes = fmt::format(
      "ply\nformat binary_little_endian 1.0\ncomment Dusky Moth mesh, right-handed, {} up, {}\nelement vertex {}\n"
      "property float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\n"
      "element face {}\nproperty list uchar uint vertex_indices\nend_header\n",
      told.up(), told.world.unit, told.places.size(), told.mesh.triangles.size());
  for (std::size_t k = 0; k < told.places.size(); ++k)
    append(bytes, std::array{told.places[k].x(), told.places[k].y(), told.places[k].z()}), append(bytes, told.color(k));
  for (const auto& triangle : told.mesh.triangles) append(bytes, std::uint8_t{3}), append(bytes, triangle);
  return bytes;
}

/// Colours stand behind the place, as many programs read them.
std::string objOf(const Told& told) {
  std::string text = fmt::format("# Dusky Moth mesh, right-handed, {} up, {}\no mesh\n", told.up(), told.world.unit);
  auto out = std::back_inserter(text);
  for (std::size_t k = 0; k < told.places.size(); ++k) {
    const auto& p = told.places[k];
    const auto c = told.color(k);
    fmt::format_to(out, "v {:.7g} {:.7g} {:.7g} {:.4f} {:.4f} {:.4f}\n", p.x(), p.y(), p.z(), c[0] / 255.0, c[1] / 255.0, c[2] / 255.0);
  }
  for (const auto& t : told.mesh.triangles) fmt::format_to(out, "f {} {} {}\n", t[0] + 1, t[1] + 1, t[2] + 1);
  return text;
}

std::string glbOf(const Told& told) {
  tinygltf::Model model = newModel();
  Packer packer(model);
  std::vector<float> places;
  std::vector<std::uint16_t> colors;
  for (std::size_t k = 0; k < told.places.size(); ++k) {
    for (const float c : told.places[k]) places.push_back(c);
    const auto c = told.color(k);
    colors.insert(colors.end(), {linearWord(c[0]), linearWord(c[1]), linearWord(c[2]), 65535});
  }
  tinygltf::Primitive primitive;
  primitive.mode = TINYGLTF_MODE_TRIANGLES;
  primitive.attributes["POSITION"] = packer.add(places, TINYGLTF_TYPE_VEC3, 3, true, TINYGLTF_TARGET_ARRAY_BUFFER);
  primitive.attributes["COLOR_0"] = packer.addColors(colors);
  primitive.indices = packer.addIndices(told.mesh.triangles);
  tinygltf::Material material;
  material.name = "mesh", material.doubleSided = true;
  material.pbrMetallicRoughness.metallicFactor = 0;
  model.materials.push_back(material);
  primitive.material = 0;
  tinygltf::Mesh mesh;
  mesh.name = "mesh", mesh.primitives.push_back(primitive);
  model.meshes.push_back(mesh);
  tinygltf::Node node;
  node.name = "mesh", node.mesh = 0;
  model.nodes.push_back(node);
  tinygltf::Scene scene;
  scene.name = "shot", scene.nodes = {0};
  model.scenes.push_back(scene), model.defaultScene = 0;
  std::ostringstream out;
  tinygltf::TinyGLTF().WriteGltfSceneToStream(&model, out, false, true);
  return out.str();
}

std::string usdaOf(const Told& told) {
  std::string text = "#usda 1.0\n(\n    defaultPrim = \"shot\"\n";
  auto out = std::back_inserter(text);
  if (told.world.metres > 0) fmt::format_to(out, "    metersPerUnit = {:.10g}\n", told.world.metres);
  fmt::format_to(out, "    upAxis = \"{}\"\n)\n\ndef Xform \"shot\"\n{{\n    def Mesh \"mesh\"\n    {{\n        point3f[] points = [", told.up());
  const char* between = "";
  for (const auto& p : told.places) fmt::format_to(out, "{}({:.9g}, {:.9g}, {:.9g})", std::exchange(between, ", "), p.x(), p.y(), p.z());
  text += "]\n        int[] faceVertexCounts = [", between = "";
  for (std::size_t k = 0; k < told.mesh.triangles.size(); ++k) fmt::format_to(out, "{}3", std::exchange(between, ", "));
  text += "]\n        int[] faceVertexIndices = [", between = "";
  for (const auto& t : told.mesh.triangles) fmt::format_to(out, "{}{}, {}, {}", std::exchange(between, ", "), t[0], t[1], t[2]);
  text += "]\n        uniform token subdivisionScheme = \"none\"\n        uniform bool doubleSided = 1\n        color3f[] primvars:displayColor = [",
      between = "";
  for (std::size_t k = 0; k < told.places.size(); ++k) {
    const auto c = told.color(k);
    fmt::format_to(out, "{}({:.5g}, {:.5g}, {:.5g})", std::exchange(between, ", "), lightOf(c[0] / 255.0), lightOf(c[1] / 255.0), lightOf(c[2] / 255.0));
  }
  return text + "] (\n            interpolation = \"vertex\"\n        )\n    }\n}\n";
}

}  // namespace

Status checkSurfaceName(const std::filesystem::path& path) {
  const std::string ending = endingOf(path);
  if (ending == "ply" || ending == "obj" || ending == "glb" || ending == "usda") return Done{};
  return invalidInput(fmt::format("A mesh is written as .ply, .obj, .glb or .usda, not as {}.", path.filename().string()));
}

Status writeSurface(const std::filesystem::path& path, const SetMesh& surface, const Similarity& world_from_scene, const FileWorld& world,
                    const Progress& progress) {
  if (const Status fine = checkSurfaceName(path); !fine.ok()) return fine;
  const std::string ending = endingOf(path);
  // glTF has Y up always.
  const Similarity y_up = Similarity{1, upAxisTurn(world.up), Vec3::Zero()}.inverse() * world_from_scene;
  const Similarity& placed = ending == "glb" ? y_up : world_from_scene;
  Told told{surface, {}, world};
  for (const auto& p : surface.points) told.places.push_back((placed * p.cast<double>()).cast<float>());
  if (progress.stopRequested()) return cancelled();
  return writeFileAtomically(path, ending == "ply" ? plyOf(told) : ending == "obj" ? objOf(told) : ending == "glb" ? glbOf(told) : usdaOf(told));
}

}  // namespace dusky
