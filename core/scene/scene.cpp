#include "core/scene/scene.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>

#include "core/base/numbers.h"

namespace dusky {
namespace {

Result<Vec3> placeOf(const Solution& solution, int id, std::string_view role) {
  const SolvedTrack* track = solution.find(id);
  if (!track || track->state == TrackState::Unplaced) {
    return invalidInput(fmt::format("Track {} is picked as {} but has no place in this solve. Pick another one.", id, role));
  }
  return track->point;
}

Result<std::vector<Vec3>> placesOf(const Solution& solution, const std::vector<int>& ids, std::string_view role) {
  std::vector<Vec3> places;
  for (int id : ids) {
    const auto place = placeOf(solution, id, role);
    if (!place.ok()) return place.error();
    places.push_back(*place);
  }
  return places;
}

std::vector<const SolvedFrame*> placedFrames(const Solution& solution) {
  std::vector<const SolvedFrame*> placed;
  for (const SolvedFrame& frame : solution.frames) {
    if (frame.placed) placed.push_back(&frame);
  }
  return placed;
}

double medianDepth(const Solution& solution, const Vec3& from) {
  std::vector<double> distances;
  for (const SolvedTrack& track : solution.tracks) {
    if (track.state == TrackState::Kept && !track.at_infinity) distances.push_back((track.point - from).norm());
  }
  return distances.empty() ? kFarDistance : median(std::move(distances));
}

/// The world as it will be, in the solve's own coordinates.
struct Axes {
  Vec3 up = Vec3::UnitY(), right = Vec3::UnitX(), origin = Vec3::Zero();
  double scale = 1;  ///< Scene units per solve unit.
  std::optional<PlaneFit> ground;
};

std::optional<PlaneFit> guessGround(const Solution& solution, const Vec3& up, const Vec3& middle) {
  const double depth = medianDepth(solution, middle);
  std::vector<Vec3> below;
  for (const SolvedTrack& track : solution.tracks) {
    const bool near = (track.point - middle).norm() < 3 * depth;
    if (track.state == TrackState::Kept && !track.at_infinity && near && (track.point - middle).dot(up) < 0) below.push_back(track.point);
  }
  constexpr double kMaxTiltRad = 0.45;
  auto plane = findPlane(below, up, kMaxTiltRad, 0.008 * depth, 1);
  if (!plane || plane->distance(middle) <= 0) return std::nullopt;
  const auto on_it = std::count_if(below.begin(), below.end(), [&](const Vec3& p) { return std::abs(plane->distance(p)) < 0.008 * depth; });
  if (on_it < 12) return std::nullopt;
  return plane;
}

Status setGround(const Solution& solution, const SceneSettings& settings, const Vec3& middle, Axes& axes, SceneFrame& out) {
  if (settings.ground.empty()) {
    axes.ground = guessGround(solution, axes.up, middle);
  } else {
    const auto points = placesOf(solution, settings.ground, "ground");
    if (!points.ok()) return points.error();
    axes.ground = fitPlane(*points);
    if (!axes.ground) return invalidInput("The ground needs three or more tracks that do not lie on one line.");
    if (axes.ground->normal.dot(axes.up) < 0) axes.ground = PlaneFit{-axes.ground->normal, -axes.ground->offset};
    double squares = 0;
    for (const Vec3& p : *points) squares += std::pow(axes.ground->distance(p), 2);
    out.ground_rms = std::sqrt(squares / static_cast<double>(points->size()));
  }
  out.ground_found = axes.ground.has_value();
  if (axes.ground) axes.up = axes.ground->normal;
  return Done{};
}

Status setDirection(const Solution& solution, const SceneSettings& settings, const Pose& first, Axes& axes) {
  Vec3 along = first.direction(Vec3::UnitX());
  if (settings.direction) {
    const auto ends = placesOf(solution, {settings.direction->from, settings.direction->to}, "direction");
    if (!ends.ok()) return ends.error();
    along = ends->back() - ends->front();
  }
  const Vec3 level = along - along.dot(axes.up) * axes.up;
  if (level.norm() < 1e-6 * (1e-12 + along.norm())) return invalidInput("The direction stands upright on the ground; pick two tracks along it.");
  axes.right = level.normalized();
  return Done{};
}

Status setOriginAndScale(const Solution& solution, const SceneSettings& settings, const Vec3& middle, Axes& axes, SceneFrame& out) {
  axes.origin = axes.ground ? Vec3(middle - axes.ground->distance(middle) * axes.up) : middle;
  if (settings.origin) {
    const auto place = placeOf(solution, *settings.origin, "origin");
    if (!place.ok()) return place.error();
    axes.origin = *place;
    // A picked ground stays at y = 0: the origin is the picked point's foot on it.
    if (!settings.ground.empty()) axes.origin -= axes.ground->distance(*place) * axes.up;
  }
  axes.scale = axes.ground ? 1.6 / axes.ground->distance(middle) : 10.0 / medianDepth(solution, middle);
  if (!(axes.scale > 0)) axes.scale = 10.0 / medianDepth(solution, middle);
  if (settings.length) {
    const auto ends = placesOf(solution, {settings.length->from, settings.length->to}, "length");
    if (!ends.ok()) return ends.error();
    const double distance = (ends->back() - ends->front()).norm();
    if (!(distance > 0) || !(settings.length->metres > 0)) return invalidInput("A known length needs two different tracks and more than 0 m.");
    axes.scale = settings.length->metres / distance;
    out.metric = true;
  }
  return Done{};
}
}  // namespace

Result<SceneFrame> orientScene(const Solution& solution, const SceneSettings& settings) {
  const auto placed = placedFrames(solution);
  if (placed.empty()) return invalidInput("There is no solved camera to set the scene by.");
  SceneFrame out;
  Axes axes;
  Vec3 up = Vec3::Zero();
  for (const SolvedFrame* frame : placed) up -= frame->pose.direction(Vec3::UnitY());
  axes.up = up.norm() > 1e-6 ? Vec3(up.normalized()) : Vec3(-placed.front()->pose.direction(Vec3::UnitY()));
  const Vec3 middle = placed[placed.size() / 2]->pose.centre;
  if (settings.ground.size() == 1 || settings.ground.size() == 2) return invalidInput("The ground needs three or more tracks.");
  if (const Status done = setGround(solution, settings, middle, axes, out); !done.ok()) return done.error();
  if (const Status done = setDirection(solution, settings, placed.front()->pose, axes); !done.ok()) return done.error();
  if (const Status done = setOriginAndScale(solution, settings, middle, axes, out); !done.ok()) return done.error();
  Mat3 scene_from_solve;
  scene_from_solve << axes.right.transpose(), axes.up.transpose(), axes.right.cross(axes.up).transpose();
  out.scene_from_solve.scale = axes.scale;
  out.scene_from_solve.rotation = Eigen::Quaterniond(scene_from_solve);
  out.scene_from_solve.shift = -axes.scale * (scene_from_solve * axes.origin);
  if (!std::isnan(out.ground_rms)) out.ground_rms *= axes.scale;
  return out;
}
}  // namespace dusky
