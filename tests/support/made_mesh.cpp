#include "tests/support/made_mesh.h"

#include <fmt/format.h>

#include <cmath>
#include <cstring>

#include "core/base/atomic_file.h"

namespace dusky::testing {
namespace {

template <class T>
void append(std::string& bytes, const T* values, std::size_t count) {
  bytes.append(reinterpret_cast<const char*>(values), count * sizeof(T));
}

void appendNumber(std::string& bytes, std::uint32_t number) { append(bytes, &number, 1); }

}  // namespace

SetMesh boxMesh(const Vec3& low, const Vec3& high) {
  SetMesh mesh;
  for (int i = 0; i < 8; ++i) mesh.points.push_back(Vec3(i & 1 ? high.x() : low.x(), i & 2 ? high.y() : low.y(), i & 4 ? high.z() : low.z()).cast<float>());
  mesh.triangles = {{0, 2, 1}, {1, 2, 3}, {4, 5, 6}, {5, 7, 6}, {0, 1, 4}, {1, 5, 4}, {2, 6, 3}, {3, 6, 7}, {0, 4, 2}, {2, 4, 6}, {1, 3, 5}, {3, 7, 5}};
  return mesh;
}

SetMesh hillMesh(int cells, double side) {
  SetMesh mesh;
  for (int y = 0; y <= cells; ++y) {
    for (int x = 0; x <= cells; ++x) {
      const double u = side * x / cells, v = side * y / cells;
      mesh.points.push_back(Vec3(u, 0.5 * std::sin(u) * std::cos(0.7 * v), v).cast<float>());
    }
  }
  const auto at = [cells](int x, int y) { return static_cast<std::uint32_t>(y * (cells + 1) + x); };
  for (int y = 0; y < cells; ++y) {
    for (int x = 0; x < cells; ++x) {
      mesh.triangles.push_back({at(x, y), at(x + 1, y), at(x + 1, y + 1)});
      mesh.triangles.push_back({at(x, y), at(x + 1, y + 1), at(x, y + 1)});
    }
  }
  return mesh;
}

std::string objText(const SetMesh& mesh) {
  std::string text = "# made for a test\n";
  for (const auto& p : mesh.points) text += fmt::format("v {} {} {}\n", p.x(), p.y(), p.z());
  for (const auto& t : mesh.triangles) text += fmt::format("f {} {} {}\n", t[0] + 1, t[1] + 1, t[2] + 1);
  return text;
}

std::string plyBytes(const SetMesh& mesh) {
  std::string bytes = fmt::format(
      "ply\nformat binary_little_endian 1.0\nelement vertex {}\nproperty float x\nproperty float y\nproperty float z\nelement face {}\n"
      "property list uchar int vertex_indices\nend_header\n",
      mesh.points.size(), mesh.triangles.size());
  append(bytes, mesh.points.data(), mesh.points.size());
  for (const auto& t : mesh.triangles) {
    bytes += '\3';
    append(bytes, t.data(), t.size());
  }
  return bytes;
}

std::string glbBytes(const SetMesh& mesh) {
  const std::size_t points = 12 * mesh.points.size(), triangles = 12 * mesh.triangles.size();
  const Vec3 low = mesh.low(), high = mesh.high();
  std::string scene = fmt::format(
      R"({{"asset":{{"version":"2.0"}},"scene":0,"scenes":[{{"nodes":[0]}}],"nodes":[{{"mesh":0}}],"meshes":[{{"primitives":[{{"attributes":{{"POSITION":0}},"indices":1}}]}}],)"
      R"("accessors":[{{"bufferView":0,"componentType":5126,"count":{},"type":"VEC3","min":[{},{},{}],"max":[{},{},{}]}},)"
      R"({{"bufferView":1,"componentType":5125,"count":{},"type":"SCALAR"}}],)"
      R"("bufferViews":[{{"buffer":0,"byteLength":{}}},{{"buffer":0,"byteOffset":{},"byteLength":{}}}],"buffers":[{{"byteLength":{}}}]}})",
      mesh.points.size(), low.x(), low.y(), low.z(), high.x(), high.y(), high.z(), 3 * mesh.triangles.size(), points, points, triangles, points + triangles);
  scene.resize((scene.size() + 3) / 4 * 4, ' ');
  std::string bytes = "glTF";
  appendNumber(bytes, 2), appendNumber(bytes, static_cast<std::uint32_t>(28 + scene.size() + points + triangles));
  appendNumber(bytes, static_cast<std::uint32_t>(scene.size()));
  bytes += "JSON" + scene;
  appendNumber(bytes, static_cast<std::uint32_t>(points + triangles));
  bytes.append("BIN\0", 4);
  append(bytes, mesh.points.data(), mesh.points.size());
  append(bytes, mesh.triangles.data(), mesh.triangles.size());
  return bytes;
}

void writeObj(const std::filesystem::path& path, const SetMesh& mesh) { (void)writeFileAtomically(path, objText(mesh)); }

}  // namespace dusky::testing
