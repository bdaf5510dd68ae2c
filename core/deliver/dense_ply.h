#pragma once
#include <filesystem>

#include "core/base/progress.h"
#include "core/dense/dense_cloud.h"
#include "core/scene/scene.h"

namespace dusky {

/// Writes dense points as binary little-endian PLY, whole or not at all: x y z, nx ny nz, red green blue, confidence, sigma, views; in the scene's world, as
/// report.json tells of it. Errors: CannotWrite; Cancelled.
Status writeDensePly(const std::filesystem::path& path, const DenseCloud& cloud, const SceneFrame& scene, const Progress& progress);

}  // namespace dusky
