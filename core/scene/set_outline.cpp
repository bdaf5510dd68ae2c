#include "core/scene/set_outline.h"

#include <fmt/format.h>

#include <algorithm>
#include <limits>

namespace dusky {
namespace {

constexpr double kBeyond = 0.12;    // of their reach, that a shape is drawn beyond its tracks
constexpr double kLeastSpan = 0.4;  // of how far its tracks stand from its middle

std::vector<Vec3> placesOf(const std::vector<int>& tracks, const Solution& solution, const SceneFrame& scene) {
  std::vector<Vec3> places;
  for (const int id : tracks) {
    const SolvedTrack* track = solution.find(id);
    if (track && track->hasPlace()) places.push_back(scene.scene_from_solve * track->point);
  }
  return places;
}

/// From the least to the most of places along a direction, and a little beyond.
std::array<double, 2> rangeAlong(const std::vector<Vec3>& places, const Vec3& origin, const Vec3& along) {
  std::array<double, 2> range = {std::numeric_limits<double>::infinity(), -std::numeric_limits<double>::infinity()};
  for (const Vec3& p : places) range = {std::min(range[0], along.dot(p - origin)), std::max(range[1], along.dot(p - origin))};
  const double more = kBeyond * (range[1] - range[0]);
  return {range[0] - more, range[1] + more};
}

/// The same, wide enough to be seen.
std::array<double, 2> atLeast(double span, const std::array<double, 2>& range) {
  const double more = std::max(0.0, 0.5 * (span - (range[1] - range[0])));
  return {range[0] - more, range[1] + more};
}

void addLine(const std::vector<Vec3>& places, const Vec3& through, const Vec3& along, SetOutline& out) {
  const auto [from, to] = rangeAlong(places, through, along);
  out.lines.push_back({through + from * along, through + to * along});
  out.label = through + to * along;
  out.corners = {through + from * along, through + to * along};
}

void addPlane(const std::vector<Vec3>& places, const Vec3& through, const Vec3& normal, SetOutline& out) {
  constexpr int kPieces = 4;
  const Vec3 aside = std::abs(normal.y()) < 0.9 ? Vec3::UnitY().cross(normal) : normal.cross(Vec3::UnitZ());
  const Vec3 right = aside.normalized(), up = normal.cross(right);
  double reach = 0;
  for (const Vec3& p : places) reach = std::max(reach, (p - through).norm());
  const auto across = atLeast(kLeastSpan * reach, rangeAlong(places, through, right)), along = atLeast(kLeastSpan * reach, rangeAlong(places, through, up));
  const auto at = [&](double r, double u) {
    return Vec3(through + (across[0] + r * (across[1] - across[0])) * right + (along[0] + u * (along[1] - along[0])) * up);
  };
  for (int k = 0; k <= kPieces; ++k) {
    const double share = static_cast<double>(k) / kPieces;
    out.lines.push_back({at(share, 0), at(share, 1)});
    out.lines.push_back({at(0, share), at(1, share)});
  }
  out.label = at(0, 1).y() > at(0, 0).y() ? at(0, 1) : at(0, 0);
  out.corners = {at(0, 0), at(1, 0), at(1, 1), at(0, 1)};
}

/// The planes of their own that pairs mirror each other in, about their tracks.
void addMirrors(const Solution& solution, const SceneFrame& scene, std::vector<SetOutline>& outlines) {
  const SolvedKnowledge& known = solution.knowledge;
  for (int k = 0; k < static_cast<int>(known.statements.size()); ++k) {
    const SolvedStatement& statement = known.statements[k];
    const auto& mirrored = known.beliefs.mirrored;
    const auto pair = std::find_if(mirrored.begin(), mirrored.end(), [k](const PlacesMirrored& one) { return one.statement == k; });
    if (statement.kind != StatementKind::Mirror || !statement.a.empty() || pair == mirrored.end()) continue;
    const std::vector<Vec3> places = placesOf(statement.tracks, solution, scene);
    if (places.size() < 2) continue;
    const auto& plane = std::get<SetPlane>(known.beliefs.shapes[static_cast<std::size_t>(pair->plane)]);
    const Vec3 normal = scene.scene_from_solve.rotation * plane.normal;
    const Vec3 on_plane = scene.scene_from_solve * Vec3(plane.offset * plane.normal);
    Vec3 middle = Vec3::Zero();
    for (const Vec3& place : places) middle += place / static_cast<double>(places.size());
    SetOutline out{.name = fmt::format("mirror of {} pairs", statement.tracks.size() / 2), .lines = {}};
    addPlane(places, middle - normal.dot(middle - on_plane) * normal, normal, out);
    outlines.push_back(std::move(out));
  }
}

}  // namespace

std::vector<SetOutline> setOutlines(const Solution& solution, const SceneFrame& scene) {
  std::vector<SetOutline> outlines;
  for (const SolvedSet& set : solution.knowledge.sets) {
    const std::vector<Vec3> places = placesOf(set.tracks, solution, scene);
    if (places.size() < 2) continue;
    SetOutline out{.name = set.name, .lines = {}};
    const Vec3 through = scene.scene_from_solve * set.through, axis = scene.scene_from_solve.rotation * set.axis;
    set.kind == SetKind::Line ? addLine(places, through, axis, out) : addPlane(places, through, axis, out);
    outlines.push_back(std::move(out));
  }
  addMirrors(solution, scene, outlines);
  return outlines;
}

}  // namespace dusky
