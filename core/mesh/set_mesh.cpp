#include "core/mesh/set_mesh.h"

#include <meshoptimizer.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <numeric>

namespace dusky {

Eigen::Vector3d SetMesh::low() const {
  Eigen::Vector3f low = points.front();
  for (const auto& p : points) low = low.cwiseMin(p);
  return low.cast<double>();
}

Eigen::Vector3d SetMesh::high() const {
  Eigen::Vector3f high = points.front();
  for (const auto& p : points) high = high.cwiseMax(p);
  return high.cast<double>();
}

namespace {

SetMeshPtr thinned(const SetMesh& cloud, std::size_t most) {
  auto thin = std::make_shared<SetMesh>();
  const double every = static_cast<double>(cloud.points.size()) / static_cast<double>(most);
  for (std::size_t k = 0; k < most; ++k) {
    const auto i = static_cast<std::size_t>(static_cast<double>(k) * every);
    thin->points.push_back(cloud.points[i]);
    if (!cloud.colors.empty()) thin->colors.push_back(cloud.colors[i]);
  }
  return thin;
}

/// Only the points that triangles speak of.
SetMeshPtr compacted(const SetMesh& mesh, const std::vector<std::uint32_t>& corners) {
  auto out = std::make_shared<SetMesh>();
  constexpr std::uint32_t kNone = ~0u;
  std::vector<std::uint32_t> place(mesh.points.size(), kNone);
  for (std::size_t t = 0; t + 2 < corners.size(); t += 3) {
    std::array<std::uint32_t, 3> triangle{};
    for (std::size_t k = 0; k < 3; ++k) {
      std::uint32_t& at = place[corners[t + k]];
      if (at == kNone) {
        at = static_cast<std::uint32_t>(out->points.size());
        out->points.push_back(mesh.points[corners[t + k]]);
        if (!mesh.colors.empty()) out->colors.push_back(mesh.colors[corners[t + k]]);
      }
      triangle[k] = at;
    }
    out->triangles.push_back(triangle);
  }
  return out;
}

Eigen::Vector3f normalOf(const SetMesh& mesh, std::size_t triangle) {
  const auto& t = mesh.triangles[triangle];
  return (mesh.points[t[1]] - mesh.points[t[0]]).cross(mesh.points[t[2]] - mesh.points[t[0]]).normalized();
}

}  // namespace

SetMeshPtr simplified(const SetMeshPtr& mesh, std::size_t most) {
  if (mesh->isCloud()) return mesh->points.size() > most ? thinned(*mesh, most) : mesh;
  if (mesh->triangles.size() <= most) return mesh;
  std::vector<std::uint32_t> corners(3 * mesh->triangles.size());
  const std::size_t count = meshopt_simplifySloppy(corners.data(), mesh->triangles.front().data(), corners.size(), mesh->points.front().data(),
                                                   mesh->points.size(), sizeof(Eigen::Vector3f), 3 * most, 1.0f, nullptr);
  corners.resize(count);
  return compacted(*mesh, corners);
}

SetMesh decimated(const SetMesh& mesh, std::size_t triangles, double& moved) {
  std::vector<std::uint32_t> corners(3 * mesh.triangles.size());
  float error = 0;
  const float size = meshopt_simplifyScale(mesh.points.front().data(), mesh.points.size(), sizeof(Eigen::Vector3f));
  const std::size_t count = meshopt_simplify(corners.data(), mesh.triangles.front().data(), corners.size(), mesh.points.front().data(), mesh.points.size(),
                                             sizeof(Eigen::Vector3f), std::min(3 * triangles, corners.size()), 1.0f, 0, &error);
  corners.resize(count);
  moved = static_cast<double>(error) * static_cast<double>(size);
  return *compacted(mesh, corners);
}

std::vector<MeshEdge> creases(const SetMesh& mesh, double angle_rad, std::size_t most) {
  struct Half {
    MeshEdge edge;
    std::uint32_t triangle;
  };
  std::vector<Half> halves;
  halves.reserve(3 * mesh.triangles.size());
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    for (std::size_t k = 0; k < 3; ++k) {
      const std::uint32_t a = mesh.triangles[t][k], b = mesh.triangles[t][(k + 1) % 3];
      halves.push_back({{std::min(a, b), std::max(a, b)}, static_cast<std::uint32_t>(t)});
    }
  }
  std::sort(halves.begin(), halves.end(), [](const Half& a, const Half& b) { return a.edge != b.edge ? a.edge < b.edge : a.triangle < b.triangle; });
  std::vector<std::pair<double, MeshEdge>> found;
  for (std::size_t i = 0; i < halves.size();) {
    std::size_t end = i + 1;
    while (end < halves.size() && halves[end].edge == halves[i].edge) ++end;
    // Planes have no sides: which way the corners of a file run does not matter.
    const double cosine = end - i == 2 ? std::abs(normalOf(mesh, halves[i].triangle).dot(normalOf(mesh, halves[i + 1].triangle))) : 0;
    const double turn = std::acos(std::clamp(cosine, 0.0, 1.0));
    const MeshEdge& edge = halves[i].edge;
    if (turn > angle_rad) found.emplace_back(turn * (mesh.points[edge[0]] - mesh.points[edge[1]]).norm(), edge);
    i = end;
  }
  std::sort(found.begin(), found.end(), std::greater<>());
  if (found.size() > most) found.resize(most);
  std::vector<MeshEdge> edges;
  for (const auto& [shows, edge] : found) edges.push_back(edge);
  return edges;
}

}  // namespace dusky
