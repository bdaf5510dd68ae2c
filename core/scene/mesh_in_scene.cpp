#include "core/scene/mesh_in_scene.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/numbers.h"

namespace dusky {
namespace {

double sizeOf(const SetMesh& mesh) { return (mesh.high() - mesh.low()).norm(); }

constexpr std::string_view kOnMesh = "mesh ";   // that names of such survey points begin with
constexpr double kNear = 0.05, kSurest = 1e-5;  // of the mesh's size

/// Kept tracks with a place.
std::vector<const SolvedTrack*> placed(const Solution& solution) {
  std::vector<const SolvedTrack*> tracks;
  for (const SolvedTrack& track : solution.tracks) {
    if (track.state == TrackState::Kept && track.hasPlace() && !track.at_infinity) tracks.push_back(&track);
  }
  return tracks;
}

/// Indices of places far from each other, one after the other. Source: Gonzalez, "Clustering to minimize the maximum intercluster distance", 1985.
std::vector<std::size_t> wellSpread(const std::vector<Vec3>& places, std::size_t most) {
  std::vector<double> apart(places.size(), std::numeric_limits<double>::infinity());
  std::vector<std::size_t> chosen;
  std::size_t next = 0;
  while (chosen.size() < std::min(most, places.size())) {
    chosen.push_back(next);
    for (std::size_t i = 0; i < places.size(); ++i) apart[i] = std::min(apart[i], (places[i] - places[next]).norm());
    next = static_cast<std::size_t>(std::max_element(apart.begin(), apart.end()) - apart.begin());
  }
  return chosen;
}

bool named(const Knowledge& knowledge, const std::string& name) {
  return std::any_of(knowledge.survey.begin(), knowledge.survey.end(), [&name](const SurveyPoint& p) { return p.name == name; });
}

std::string nameFor(const Knowledge& knowledge, int track) {
  std::string name = fmt::format("{}{}", kOnMesh, track);
  for (int k = 2; named(knowledge, name); ++k) name = fmt::format("{}{} ({})", kOnMesh, track, k);
  return name;
}

}  // namespace

Similarity sceneFromMesh(const MeshSettings& mesh) { return {mesh.metres, upAxisTurn(mesh.up).conjugate(), Vec3::Zero()}; }

std::optional<Vec3> pickOnMesh(const MeshSurface& surface, const MeshSettings& mesh, const SceneRay& ray, double within_rad) {
  const Similarity scene_from_mesh = sceneFromMesh(mesh), mesh_from_scene = scene_from_mesh.inverse();
  const auto hit = surface.hit(mesh_from_scene * ray.from, mesh_from_scene.rotation * ray.direction, within_rad);
  return hit ? std::optional(scene_from_mesh * hit->at) : std::nullopt;
}

bool isOnMesh(const SurveyPoint& point) { return point.name.starts_with(kOnMesh); }

Knowledge withPick(Knowledge knowledge, int track, const Vec3& at, double away, double angle_rad) {
  std::erase_if(knowledge.survey, [track](const SurveyPoint& p) { return p.track == track; });
  const std::string name = nameFor(knowledge, track);
  knowledge.survey.push_back({.name = name, .track = track, .at = at, .sigma = Vec3::Constant(away * angle_rad)});
  return knowledge;
}

MeshAgreement agreementWith(const Solution& solution, const SceneFrame& scene, const MeshSurface& surface, const MeshSettings& mesh) {
  const Similarity mesh_from_solve = sceneFromMesh(mesh).inverse() * scene.scene_from_solve;
  const double reach = kNear * sizeOf(surface.mesh());
  std::vector<double> off;
  MeshAgreement agreement;
  for (const SolvedTrack* track : placed(solution)) {
    const auto nearest = surface.nearest(mesh_from_solve * track->point, reach);
    nearest ? ++agreement.near : ++agreement.far;
    if (nearest) off.push_back(mesh.metres * nearest->away);
  }
  if (!off.empty()) agreement.typical = median(std::move(off));
  return agreement;
}

std::string describe(const LaidOnMesh& laid) {
  std::string text = fmt::format("{} points lie on it, {:.2g} m off (RMS)", laid.fit.on.size(), laid.fit.rms);
  text += laid.fit.off > 0 ? fmt::format("; {} do not.", laid.fit.off) : ".";
  if (laid.slides > 2 * laid.fit.rms) text += fmt::format(" It may slide along the mesh by {:.2g} m: nothing of it holds it better.", laid.slides);
  return text;
}

Result<LaidOnMesh> layOnMesh(const Solution& solution, const SceneFrame& scene, const Knowledge& knowledge, const MeshSurface& surface,
                             const MeshSettings& mesh, bool keep_scale, const Progress& progress, std::size_t most) {
  const Similarity scene_from_mesh = sceneFromMesh(mesh), mesh_from_solve = scene_from_mesh.inverse() * scene.scene_from_solve;
  const auto tracks = placed(solution);
  std::vector<Vec3> points;
  for (const SolvedTrack* track : tracks) points.push_back(mesh_from_solve * track->point);
  std::vector<MeshAnchor> anchors;
  for (const SurveyPoint& picked : knowledge.survey) {
    const auto track = std::find_if(tracks.begin(), tracks.end(), [&picked](const SolvedTrack* t) { return t->id == picked.track; });
    if (!picked.on || track == tracks.end()) continue;
    const double sigma = std::max(picked.sigma.maxCoeff() / mesh.metres, kSurest * sizeOf(surface.mesh()));
    anchors.push_back({static_cast<std::size_t>(track - tracks.begin()), scene_from_mesh.inverse() * picked.at, sigma});
  }
  auto fit = fitToMesh(points, anchors, surface, {.free_scale = !keep_scale}, progress);
  if (!fit.ok()) return fit.error();
  LaidOnMesh laid{knowledge, *fit, mesh.metres * fit->loosest_sigma};
  laid.fit.rms *= mesh.metres;
  // Picks that were made by hand were the start; where the mesh itself says it better they are replaced.
  std::erase_if(laid.knowledge.survey, isOnMesh);
  std::vector<Vec3> places;
  for (const MeshFit::Pair& pair : fit->on) places.push_back(pair.at);
  for (const std::size_t i : wellSpread(places, most)) {
    const int track = tracks[fit->on[i].point]->id;
    const bool surveyed = std::any_of(laid.knowledge.survey.begin(), laid.knowledge.survey.end(), [track](const SurveyPoint& p) { return p.track == track; });
    if (surveyed) continue;
    const Vec3 at = scene_from_mesh * fit->on[i].at;
    laid.knowledge.survey.push_back(
        {.name = nameFor(laid.knowledge, track), .track = track, .at = at, .sigma = Vec3::Constant(std::max(laid.fit.rms, laid.slides))});
  }
  return laid;
}

}  // namespace dusky
