#pragma once
#include <Eigen/Core>
#include <array>
#include <cstdint>
#include <filesystem>
#include <memory>
#include <vector>

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/image/plane.h"

namespace dusky {

/// A picture that triangles are covered with.
struct MeshTexture {
  Picture picture;
  std::vector<std::array<Eigen::Vector2f, 3>> corners;  ///< Of each triangle, px of the picture from its upper left corner.
};

/// Geometry of a set that was measured or built: triangles, or the points of a scan. In its file's own units and axes.
struct SetMesh {
  std::vector<Eigen::Vector3f> points;
  std::vector<std::array<std::uint32_t, 3>> triangles;  ///< Indices of points; none: a cloud of points.
  std::vector<std::array<std::uint8_t, 3>> colors;      ///< Of each point; empty: it has none.
  std::shared_ptr<const MeshTexture> texture = {};      ///< nullptr: none. Files that are read give none.

  bool isCloud() const { return triangles.empty(); }
  Eigen::Vector3d low() const;
  Eigen::Vector3d high() const;
};
using SetMeshPtr = std::shared_ptr<const SetMesh>;

/// Reads an OBJ, PLY or glTF file; what a glTF scene places several times is there several times. Points that are equal become one.
/// Errors: Unreadable: there is no such file, it is none of these, or damaged; InvalidInput: it holds neither triangles nor points, numbers that are not
/// finite, or lies so far from its origin that its single-precision numbers are coarser than a ten-thousandth of its size; Cancelled.
Result<SetMeshPtr> readSetMesh(const std::filesystem::path& path, const Progress& progress);

/// What is drawn in its place: at most so many triangles (or points), alike in shape. The mesh itself where it has no more.
/// Source: meshoptimizer; vertex clustering after Rossignac and Borrel, "Multi-resolution 3D approximations for rendering complex scenes", 1993.
SetMeshPtr simplified(const SetMeshPtr& mesh, std::size_t most);

/// A mesh of at most about so many triangles, its shape kept as well as those can, and its edges; points that no triangle speaks of go. `moved`: how far the
/// surface moved, about, in its own units. Source: meshoptimizer; edges that show least collapse after Garland and Heckbert, SIGGRAPH 1997.
SetMesh decimated(const SetMesh& mesh, std::size_t triangles, double& moved);

/// A line that is drawn of a mesh, as two indices of points.
using MeshEdge = std::array<std::uint32_t, 2>;
/// Edges at which the surface ends, or turns by more than an angle; at most so many; those that show most come first.
std::vector<MeshEdge> creases(const SetMesh& mesh, double angle_rad, std::size_t most);

}  // namespace dusky
