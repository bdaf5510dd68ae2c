#include <fmt/format.h>

#include <algorithm>
#include <sstream>
#include <tuple>

#include "core/base/atomic_file.h"
#include "core/base/paths.h"
#include "core/base/temporary_file.h"
#include "core/deliver/dense_ply.h"
#include "core/deliver/glb_packer.h"
#include "core/media/write_picture.h"

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

constexpr const char* kMaterial = "set";

/// Where a corner lies on the texture, 0 to 1 from its lower left corner, as OBJ and USD have it.
Eigen::Vector2f fromBelow(const MeshTexture& texture, const Eigen::Vector2f& at) {
  return {at.x() / static_cast<float>(texture.picture.width), 1 - at.y() / static_cast<float>(texture.picture.height)};
}

std::string texturedObjOf(const Told& told, const std::string& material_file) {
  std::string text =
      fmt::format("# Dusky Moth mesh, right-handed, {} up, {}\nmtllib {}\no mesh\nusemtl {}\n", told.up(), told.world.unit, material_file, kMaterial);
  auto out = std::back_inserter(text);
  for (const auto& p : told.places) fmt::format_to(out, "v {:.7g} {:.7g} {:.7g}\n", p.x(), p.y(), p.z());
  for (const auto& corners : told.mesh.texture->corners) {
    for (const auto& corner : corners) {
      const Eigen::Vector2f at = fromBelow(*told.mesh.texture, corner);
      fmt::format_to(out, "vt {:.6f} {:.6f}\n", at.x(), at.y());
    }
  }
  std::size_t corner = 0;
  for (const auto& t : told.mesh.triangles) {
    fmt::format_to(out, "f {}/{} {}/{} {}/{}\n", t[0] + 1, corner + 1, t[1] + 1, corner + 2, t[2] + 1, corner + 3);
    corner += 3;
  }
  return text;
}

std::string materialOf(const std::string& picture_file) { return fmt::format("newmtl {}\nKd 1 1 1\nKs 0 0 0\nillum 1\nmap_Kd {}\n", kMaterial, picture_file); }

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

/// Points as glTF has them: one that lies in several places of the texture is there several times.
struct Vertices {
  std::vector<std::uint32_t> points;  ///< Of each.
  std::vector<Eigen::Vector2f> on_texture;
  std::vector<std::array<std::uint32_t, 3>> triangles;
};

Vertices verticesOn(const MeshTexture& texture, const SetMesh& mesh) {
  struct Corner {
    std::uint32_t point;
    float x, y;
    std::size_t triangle;
    std::size_t k;
    auto place() const { return std::tuple(point, x, y); }
  };
  std::vector<Corner> corners;
  corners.reserve(3 * mesh.triangles.size());
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    for (std::size_t k = 0; k < 3; ++k) corners.push_back({mesh.triangles[t][k], texture.corners[t][k].x(), texture.corners[t][k].y(), t, k});
  }
  std::sort(corners.begin(), corners.end(), [](const Corner& a, const Corner& b) { return a.place() < b.place(); });
  Vertices vertices;
  vertices.triangles.resize(mesh.triangles.size());
  const Corner* before = nullptr;
  for (const Corner& corner : corners) {
    if (!before || before->place() != corner.place()) vertices.points.push_back(corner.point), vertices.on_texture.emplace_back(corner.x, corner.y);
    vertices.triangles[corner.triangle][corner.k] = static_cast<std::uint32_t>(vertices.points.size() - 1);
    before = &corner;
  }
  return vertices;
}

std::vector<float> numbersOf(const std::vector<Eigen::Vector3f>& places) {
  std::vector<float> numbers;
  numbers.reserve(3 * places.size());
  for (const auto& p : places) numbers.insert(numbers.end(), {p.x(), p.y(), p.z()});
  return numbers;
}

void addColored(const Told& told, Packer& packer, tinygltf::Primitive& primitive) {
  std::vector<std::uint16_t> colors;
  for (std::size_t k = 0; k < told.places.size(); ++k) {
    const auto c = told.color(k);
    colors.insert(colors.end(), {linearWord(c[0]), linearWord(c[1]), linearWord(c[2]), 65535});
  }
  primitive.attributes["POSITION"] = packer.add(numbersOf(told.places), TINYGLTF_TYPE_VEC3, 3, true, TINYGLTF_TARGET_ARRAY_BUFFER);
  primitive.attributes["COLOR_0"] = packer.addColors(colors);
  primitive.indices = packer.addIndices(told.mesh.triangles);
}

void addTextured(const Told& told, const std::string& png, Packer& packer, tinygltf::Primitive& primitive, tinygltf::Material& material,
                 tinygltf::Model& model) {
  const MeshTexture& texture = *told.mesh.texture;
  const Vertices vertices = verticesOn(texture, told.mesh);
  std::vector<Eigen::Vector3f> places;
  std::vector<float> on_texture;
  for (std::size_t k = 0; k < vertices.points.size(); ++k) {
    places.push_back(told.places[vertices.points[k]]);
    on_texture.push_back(vertices.on_texture[k].x() / static_cast<float>(texture.picture.width));
    on_texture.push_back(vertices.on_texture[k].y() / static_cast<float>(texture.picture.height));
  }
  primitive.attributes["POSITION"] = packer.add(numbersOf(places), TINYGLTF_TYPE_VEC3, 3, true, TINYGLTF_TARGET_ARRAY_BUFFER);
  primitive.attributes["TEXCOORD_0"] = packer.add(on_texture, TINYGLTF_TYPE_VEC2, 2, false, TINYGLTF_TARGET_ARRAY_BUFFER);
  primitive.indices = packer.addIndices(vertices.triangles);
  tinygltf::Image image;
  image.name = "texture", image.mimeType = "image/png", image.bufferView = packer.addFile(png);
  model.images.push_back(image);
  tinygltf::Sampler sampler;
  sampler.minFilter = TINYGLTF_TEXTURE_FILTER_LINEAR, sampler.magFilter = TINYGLTF_TEXTURE_FILTER_LINEAR;
  sampler.wrapS = TINYGLTF_TEXTURE_WRAP_CLAMP_TO_EDGE, sampler.wrapT = TINYGLTF_TEXTURE_WRAP_CLAMP_TO_EDGE;
  model.samplers.push_back(sampler);
  tinygltf::Texture of_image;
  of_image.sampler = 0, of_image.source = 0;
  model.textures.push_back(of_image);
  material.pbrMetallicRoughness.baseColorTexture.index = 0;
}

/// `png`: the texture's picture; empty: there is none.
std::string glbOf(const Told& told, const std::string& png) {
  tinygltf::Model model = newModel();
  Packer packer(model);
  tinygltf::Primitive primitive;
  primitive.mode = TINYGLTF_MODE_TRIANGLES;
  tinygltf::Material material;
  png.empty() ? addColored(told, packer, primitive) : addTextured(told, png, packer, primitive, material, model);
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

/// Colours at points, or a material that shows the texture.
void addUsdColors(const Told& told, std::string& text) {
  auto out = std::back_inserter(text);
  const char* between = "";
  text += "        color3f[] primvars:displayColor = [";
  for (std::size_t k = 0; k < told.places.size(); ++k) {
    const auto c = told.color(k);
    fmt::format_to(out, "{}({:.5g}, {:.5g}, {:.5g})", std::exchange(between, ", "), lightOf(c[0] / 255.0), lightOf(c[1] / 255.0), lightOf(c[2] / 255.0));
  }
  text += "] (\n            interpolation = \"vertex\"\n        )\n    }\n";
}

void addUsdTexture(const Told& told, const std::string& picture_file, std::string& text) {
  auto out = std::back_inserter(text);
  const char* between = "";
  text += "        rel material:binding = </shot/material>\n        texCoord2f[] primvars:st = [";
  for (const auto& corners : told.mesh.texture->corners) {
    for (const auto& corner : corners) {
      const Eigen::Vector2f at = fromBelow(*told.mesh.texture, corner);
      fmt::format_to(out, "{}({:.6f}, {:.6f})", std::exchange(between, ", "), at.x(), at.y());
    }
  }
  text += "] (\n            interpolation = \"faceVarying\"\n        )\n    }\n\n";
  fmt::format_to(out,
                 R"(    def Material "material"
    {{
        token outputs:surface.connect = </shot/material/surface.outputs:surface>

        def Shader "surface"
        {{
            uniform token info:id = "UsdPreviewSurface"
            color3f inputs:diffuseColor.connect = </shot/material/picture.outputs:rgb>
            float inputs:roughness = 1
            token outputs:surface
        }}

        def Shader "places"
        {{
            uniform token info:id = "UsdPrimvarReader_float2"
            string inputs:varname = "st"
            float2 outputs:result
        }}

        def Shader "picture"
        {{
            uniform token info:id = "UsdUVTexture"
            asset inputs:file = @./{}@
            float2 inputs:st.connect = </shot/material/places.outputs:result>
            token inputs:sourceColorSpace = "sRGB"
            token inputs:wrapS = "clamp"
            token inputs:wrapT = "clamp"
            float3 outputs:rgb
        }}
    }}
)",
                 picture_file);
}

/// `picture_file`: the texture's name; empty: there is none.
std::string usdaOf(const Told& told, const std::string& picture_file) {
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
  text += "]\n        uniform token subdivisionScheme = \"none\"\n        uniform bool doubleSided = 1\n";
  picture_file.empty() ? addUsdColors(told, text) : addUsdTexture(told, picture_file, text);
  return text + "}\n";
}

/// A texture's picture as a file's bytes. Errors: CannotWrite.
Result<std::string> pngOf(const Picture& picture, const std::filesystem::path& beside) {
  const auto file = TemporaryFile::beside(beside, ".png");
  if (!file.ok()) return file.error();
  if (const Status written = writePicture(file->path(), picture); !written.ok()) return written.error();
  return readFile(file->path());
}

/// What stands beside a surface's file.
Status writeCompanions(const std::filesystem::path& path, const SetMesh& surface) {
  const auto files = surfaceFiles(path, true);
  for (std::size_t k = 1; k < files.size(); ++k) {
    const Status written = endingOf(files[k]) == "mtl" ? writeFileAtomically(files[k], materialOf(files.back().filename().string()))
                                                       : writePicture(files[k], surface.texture->picture);
    if (!written.ok()) return written;
  }
  return Done{};
}

}  // namespace

Status checkSurfaceName(const std::filesystem::path& path) {
  const std::string ending = endingOf(path);
  if (ending == "ply" || ending == "obj" || ending == "glb" || ending == "usda") return Done{};
  return invalidInput(fmt::format("A mesh is written as .ply, .obj, .glb or .usda, not as {}.", path.filename().string()));
}

bool takesTexture(const std::filesystem::path& path) { return endingOf(path) != "ply"; }

std::vector<std::filesystem::path> surfaceFiles(const std::filesystem::path& path, bool textured) {
  std::vector<std::filesystem::path> files = {path};
  const auto beside = [&](const char* ending) { files.push_back(std::filesystem::path(path).replace_extension(ending)); };
  if (textured && endingOf(path) == "obj") beside(".mtl");
  if (textured && (endingOf(path) == "obj" || endingOf(path) == "usda")) beside(".png");
  return files;
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
  const auto textWith = [&](const MeshTexture* texture) -> Result<std::string> {
    if (ending == "ply") return plyOf(told);
    if (ending == "obj") return texture ? texturedObjOf(told, path.stem().string() + ".mtl") : objOf(told);
    if (ending == "usda") return usdaOf(told, texture ? path.stem().string() + ".png" : std::string());
    if (!texture) return glbOf(told, {});
    const auto png = pngOf(texture->picture, path);
    return png.ok() ? Result<std::string>(glbOf(told, *png)) : png.error();
  };
  const auto text = textWith(takesTexture(path) ? surface.texture.get() : nullptr);
  if (!text.ok()) return text.error();
  if (progress.stopRequested()) return cancelled();
  if (surface.texture) {
    if (const Status written = writeCompanions(path, surface); !written.ok()) return written;
  }
  return writeFileAtomically(path, *text);
}

}  // namespace dusky
