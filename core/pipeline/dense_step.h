#pragma once
#include "core/dense/clean.h"
#include "core/dense/dense.h"
#include "core/dense/surface.h"
#include "core/pipeline/steps.h"

namespace dusky {

/// Dense points and what they are made from are kept beside the project, each solve's and quality's in a folder of its own; it can always be deleted.
/// Of a project file: "shot.moth" keeps them in "shot.dense".
std::filesystem::path denseCacheOf(const std::filesystem::path& project);
/// Dense points that were made under one project, under another that it was saved as. That they cannot be kept hurts nobody: they can be made again.
void carryDense(const std::filesystem::path& from_project, const std::filesystem::path& to_project);
/// In such a folder those that were made under a key.
std::filesystem::path densePointsFile(const std::filesystem::path& folder);

/// The same key means the same dense points; the same first 16 digits: the same but for keyframes that an artist chose. `solve`: the own key of the solve.
std::string denseKey(const Document& document, const FilePrints& files, const std::string& solve, const DenseSettings& settings);

/// How many points, as few digits as tell it: "9500", "669 k", "1.2 M".
std::string roundedCount(std::size_t points);

/// What is there already.
struct DenseSummary {
  DenseQuality quality = DenseQuality::Good;
  std::size_t points = 0;  ///< 0: none were made.
  std::vector<DenseFrame> frames;
  double seconds = kUnknown;
};
/// What the keyframes' pictures say of the camera.
std::vector<PictureOffset> pictureOffsets(const std::vector<DenseFrame>& frames);

/// Of a folder of one key; no points where there are none, or damaged ones.
DenseSummary denseSummaryIn(const std::filesystem::path& folder);

/// The dense points there. Errors: InvalidInput: none were made.
Result<DenseResultPtr> storedDense(const std::filesystem::path& folder);

/// Dense points of a solved shot as a value: safe to run on a worker thread while the artist goes on.
struct DenseJob {
  DeliveryJob shot;

  /// Of this solve and quality; empty: nothing is kept.
  const std::filesystem::path& folder() const { return shot.dense_folder; }
  const DenseSettings& settings() const { return shot.document.dense; }
  /// What it will take; `seconds` by what the last ones took on this machine. Errors: as forecastDense().
  Result<DenseForecast> forecast() const;
  /// Those that are there, else made and kept; those of earlier solves go, but for the newest. Errors: as makeDense(); InvalidInput: the shot is 2D tracks
  /// without pictures.
  Result<DenseResultPtr> run(const Progress& progress, const std::function<void(const FusedViewPtr&)>& on_view = {}) const;
  /// The surface of cleaned-up points, in the scene, with a texture where one of a side is asked for. Errors: as surfaceOf(); as textured().
  Result<Surface> surface(const DenseCloud& cleaned, int texture_px, const Progress& progress) const;
};

}  // namespace dusky
