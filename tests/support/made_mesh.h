#pragma once
#include <filesystem>
#include <string>

#include "core/geometry/pose.h"
#include "core/mesh/set_mesh.h"

namespace dusky::testing {

/// A box from one corner to the other, 8 points and 12 triangles.
SetMesh boxMesh(const Vec3& low, const Vec3& high);
/// Bumps over a square from the origin, so many cells each way, two triangles to a cell.
SetMesh hillMesh(int cells, double side);

// The same as files.
std::string objText(const SetMesh& mesh);
std::string plyBytes(const SetMesh& mesh);
std::string glbBytes(const SetMesh& mesh);
void writeObj(const std::filesystem::path& path, const SetMesh& mesh);

}  // namespace dusky::testing
