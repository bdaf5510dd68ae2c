#pragma once
#include <string>
#include <vector>

#include "core/deliver/delivery_view.h"
#include "core/dense/dense_cloud.h"
#include "core/mesh/set_mesh.h"

namespace dusky {

/// How a file of places tells of its world.
struct FileWorld {
  Similarity world_from_solve;
  UpAxis up = UpAxis::Y;
  std::string unit;   ///< "metres", "cm", "units".
  double metres = 0;  ///< That one is; 0: nothing tells.
};
/// As report.json tells of it; as a delivery does.
FileWorld fileWorldOf(const SceneFrame& scene);
FileWorld fileWorldOf(const DeliveryView& view);

/// Writes dense points as binary little-endian PLY, whole or not at all: x y z, nx ny nz, red green blue, confidence, sigma, views. Errors: CannotWrite;
/// Cancelled.
Status writeDensePly(const std::filesystem::path& path, const DenseCloud& cloud, const FileWorld& world, const Progress& progress);

/// Whether a surface can be written under a name. Errors: InvalidInput: its ending is another than ply, obj, glb or usda.
Status checkSurfaceName(const std::filesystem::path& path);
/// The files that writing a surface makes: with a texture OBJ has its material and picture beside it, USD its picture; glTF holds its own, PLY takes none.
std::vector<std::filesystem::path> surfaceFiles(const std::filesystem::path& path, bool textured);
/// Whether a surface's file can be of a texture.
bool takesTexture(const std::filesystem::path& path);
/// Writes a surface that is in the scene, by the file's ending, with its texture, else with colours. Errors: as checkSurfaceName(); CannotWrite; Cancelled.
Status writeSurface(const std::filesystem::path& path, const SetMesh& surface, const Similarity& world_from_scene, const FileWorld& world,
                    const Progress& progress);

}  // namespace dusky
