#pragma once
#include "core/mesh/mesh_fit.h"
#include "core/scene/scene.h"
#include "core/scene/scene_ray.h"

namespace dusky {

Similarity sceneFromMesh(const MeshSettings& mesh);

/// Where a line of sight first meets the mesh, scene coordinates. `within_rad`: how near to it a point of a cloud must be seen.
std::optional<Vec3> pickOnMesh(const MeshSurface& surface, const MeshSettings& mesh, const SceneRay& ray, double within_rad);

/// Whether a survey point came of the mesh: was picked on it, or stands for the scene that was laid on it.
bool isOnMesh(const SurveyPoint& point);

/// The survey point that a pick makes of a track: as sure as the pointer is, `angle_rad` of the eye. In the place of one that the track has.
Knowledge withPick(Knowledge knowledge, int track, const Vec3& at, double away, double angle_rad);

/// How the solved points lie to the mesh, in the scene as it is placed.
struct MeshAgreement {
  int near = 0;               ///< Points that lie within a twentieth of the mesh's size of it.
  int far = 0;                ///< The others: what the mesh does not show.
  double typical = kUnknown;  ///< Median distance of the near ones, scene units.
};
MeshAgreement agreementWith(const Solution& solution, const SceneFrame& scene, const MeshSurface& surface, const MeshSettings& mesh);

/// The scene laid on the mesh: solved points are moved, turned and scaled (unless `keep_scale`) until they lie on it, from where the scene stands now. What
/// places it from then on are survey points: well spread tracks where they lie on the mesh, at most `most`, beside those that were picked.
struct LaidOnMesh {
  Knowledge knowledge;
  MeshFit fit;        ///< In scene units.
  double slides = 0;  ///< How far it may slide along the mesh, one standard deviation, scene units.
};
/// "240 points lie on it, 0.012 m off (RMS); 31 do not." and how far it may slide, where that is more.
std::string describe(const LaidOnMesh& laid);
/// Errors: as fitToMesh().
Result<LaidOnMesh> layOnMesh(const Solution& solution, const SceneFrame& scene, const Knowledge& knowledge, const MeshSurface& surface,
                             const MeshSettings& mesh, bool keep_scale, const Progress& progress, std::size_t most = 30);

}  // namespace dusky
