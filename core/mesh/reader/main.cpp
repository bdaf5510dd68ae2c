// A program of its own that reads one file of geometry by Assimp: what a damaged file does to that library ends here. See read_mesh.cpp.
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <meshoptimizer.h>
#include <sys/resource.h>

#include <Eigen/Core>
#include <algorithm>
#include <assimp/Importer.hpp>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <vector>

#include "core/mesh/mesh_stream.h"
#include "core/mesh/set_mesh.h"

namespace dusky {
namespace {

void addPart(const aiMesh& part, const aiMatrix4x4& placed, SetMesh& mesh) {
  const auto first = static_cast<std::uint32_t>(mesh.points.size());
  const bool colored = part.HasVertexColors(0) && mesh.colors.size() == mesh.points.size();
  for (unsigned i = 0; i < part.mNumVertices; ++i) {
    const aiVector3D p = placed * part.mVertices[i];
    mesh.points.emplace_back(p.x, p.y, p.z);
    if (!colored) continue;
    const aiColor4D& c = part.mColors[0][i];
    const auto byte = [](float share) { return static_cast<std::uint8_t>(std::lround(255 * std::clamp(share, 0.0f, 1.0f))); };
    mesh.colors.push_back({byte(c.r), byte(c.g), byte(c.b)});
  }
  for (unsigned i = 0; i < part.mNumFaces; ++i) {
    const aiFace& face = part.mFaces[i];
    if (face.mNumIndices == 3) mesh.triangles.push_back({first + face.mIndices[0], first + face.mIndices[1], first + face.mIndices[2]});
  }
}

void addNode(const aiScene& scene, const aiNode& node, const aiMatrix4x4& above, SetMesh& mesh) {
  const aiMatrix4x4 placed = above * node.mTransformation;
  for (unsigned i = 0; i < node.mNumMeshes; ++i) addPart(*scene.mMeshes[node.mMeshes[i]], placed, mesh);
  for (unsigned i = 0; i < node.mNumChildren; ++i) addNode(scene, *node.mChildren[i], placed, mesh);
}

/// Files list the corners of each triangle anew.
void joinEqualPoints(SetMesh& mesh) {
  if (mesh.isCloud()) return;
  std::vector<std::uint32_t> remap(mesh.points.size());
  const std::size_t corners = 3 * mesh.triangles.size();
  std::uint32_t* indices = mesh.triangles.front().data();
  const std::size_t kept = meshopt_generateVertexRemap(remap.data(), indices, corners, mesh.points.data(), mesh.points.size(), sizeof(Eigen::Vector3f));
  meshopt_remapIndexBuffer(indices, indices, corners, remap.data());
  std::vector<Eigen::Vector3f> points(kept);
  meshopt_remapVertexBuffer(points.data(), mesh.points.data(), mesh.points.size(), sizeof(Eigen::Vector3f), remap.data());
  if (!mesh.colors.empty()) {
    std::vector<std::array<std::uint8_t, 3>> colors(kept);
    meshopt_remapVertexBuffer(colors.data(), mesh.colors.data(), mesh.points.size(), 3, remap.data());
    mesh.colors = std::move(colors);
  }
  mesh.points = std::move(points);
}

template <class T>
bool put(const T* values, std::size_t count) {
  return std::fwrite(values, sizeof(T), count, stdout) == count;
}

int refuse(const std::string& why) {
  const MeshStreamHead head;
  put(&head, 1);
  put(why.data(), why.size());
  return 1;
}

int answer(const SetMesh& mesh) {
  const MeshStreamHead head{MeshStreamHead::kMesh, mesh.points.size(), mesh.triangles.size(), mesh.colors.size()};
  const bool all = put(&head, 1) && put(mesh.points.data(), mesh.points.size()) && put(mesh.triangles.data(), mesh.triangles.size()) &&
                   put(mesh.colors.data(), mesh.colors.size());
  return all && std::fflush(stdout) == 0 ? 0 : 1;
}

/// A damaged file may ask for any amount of memory; nothing of this program is worth looking at when it dies.
void limit(rlim_t bytes) {
  const rlimit memory{bytes, bytes}, none{0, 0};
  setrlimit(RLIMIT_AS, &memory);
  setrlimit(RLIMIT_CORE, &none);
}

int read(const char* path) {
  Assimp::Importer importer;
  const aiScene* scene = importer.ReadFile(path, aiProcess_Triangulate);
  if (!scene || !scene->mRootNode) return refuse(importer.GetErrorString());
  SetMesh mesh;
  addNode(*scene, *scene->mRootNode, aiMatrix4x4(), mesh);
  importer.FreeScene();
  if (mesh.colors.size() != mesh.points.size()) mesh.colors.clear();
  const bool inside =
      std::all_of(mesh.triangles.begin(), mesh.triangles.end(), [&mesh](const auto& t) { return *std::max_element(t.begin(), t.end()) < mesh.points.size(); });
  if (!inside) return refuse("a triangle names a point that is not there");
  joinEqualPoints(mesh);
  return answer(mesh);
}

}  // namespace
}  // namespace dusky

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  dusky::limit(std::strtoull(argv[1], nullptr, 10));
  try {
    return dusky::read(argv[2]);
  } catch (const std::exception&) {
    return dusky::refuse("it asks for more memory than there is");
  }
}
