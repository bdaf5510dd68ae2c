#include "core/scene/scene.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <limits>

#include "core/base/numbers.h"
#include "core/scene/guess_up.h"
#include "core/solve/knowledge_world.h"

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

/// Mean of what is up in the pictures: it tells the side of a plane that is up.
Vec3 uprightOf(const std::vector<const SolvedFrame*>& placed) {
  Vec3 up = Vec3::Zero();
  for (const SolvedFrame* frame : placed) up -= frame->pose.direction(Vec3::UnitY());
  return up.norm() > 1e-6 ? Vec3(up.normalized()) : Vec3(-placed.front()->pose.direction(Vec3::UnitY()));
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
  double scale = 1;    ///< Scene units per solve unit.
  double guessed = 1;  ///< What it is where nothing is known.
  std::optional<PlaneFit> ground;
};

std::vector<Vec3> without(std::vector<Vec3> points, std::size_t index) {
  points.erase(points.begin() + static_cast<std::ptrdiff_t>(index));
  return points;
}

double rmsOff(const PlaneFit& plane, const std::vector<Vec3>& points) {
  double sum = 0;
  for (const Vec3& p : points) sum += std::pow(plane.distance(p), 2);
  return std::sqrt(sum / static_cast<double>(points.size()));
}

/// The point without which the others lie flattest: a plane of few leans towards an outlier, so that it does not stand out itself.
std::size_t standsOutMost(const PlaneFit& plane, const std::vector<Vec3>& points) {
  constexpr std::size_t kLeans = 24;
  std::size_t worst = 0;
  double least = std::numeric_limits<double>::infinity();
  for (std::size_t i = 0; i < points.size(); ++i) {
    const auto fit = points.size() > kLeans ? std::nullopt : fitPlane(without(points, i));
    const double off = fit ? rmsOff(*fit, without(points, i)) : -std::abs(plane.distance(points[i]));
    if (off < least) least = off, worst = i;
  }
  return worst;
}

/// The plane of most of the points. A third of them at most may be outliers: far beyond what the others stand off it.
std::optional<PlaneFit> fitGround(std::vector<int> ids, std::vector<Vec3> points, std::vector<int>& outliers) {
  constexpr double kFar = 5;
  constexpr std::size_t kFew = 5;
  auto plane = fitPlane(points);
  for (std::size_t left = points.size() / 3; plane && left > 0 && points.size() >= kFew; --left) {
    const std::size_t worst = standsOutMost(*plane, points);
    const std::vector<Vec3> rest = without(points, worst);
    const auto better = fitPlane(rest);
    if (!better || !(std::abs(better->distance(points[worst])) > kFar * rmsOff(*better, rest))) break;
    outliers.push_back(ids[worst]);
    ids.erase(ids.begin() + static_cast<std::ptrdiff_t>(worst));
    points = rest, plane = better;
  }
  std::sort(outliers.begin(), outliers.end());
  return plane;
}

std::optional<Similarity> bySurvey(const Solution& solution, const Knowledge& knowledge) {
  std::vector<KnownPlace> places;
  for (const SurveyPoint& point : knowledge.survey) {
    const SolvedTrack* track = solution.find(point.track);
    if (point.on && track && track->hasPlace() && !track->at_infinity) places.push_back({track->point, point.at, 0});
  }
  allowForBends(places);
  const auto fit = fitWorld(places);
  return fit ? std::optional(fit->world_from_solve) : std::nullopt;
}

/// By all known distances, each by how surely it is known; nothing where fewer than two are.
std::optional<double> scaleOf(const Solution& solution, const SceneSettings& settings, const Knowledge& knowledge) {
  constexpr double kAsExact = 1e-3;  // share that one counts as sure to, which is exact
  if (knowledge.distances.empty()) return std::nullopt;
  double sum = 0, weights = 0;
  for (const KnownDistance& d : knownDistances(settings, knowledge)) {
    const SolvedTrack *from = solution.find(d.from), *to = solution.find(d.to);
    if (!from || !to || !from->hasPlace() || !to->hasPlace()) continue;
    const double apart = (to->point - from->point).norm();
    if (!(apart > 0)) continue;
    const double weight = 1 / std::pow(std::max(d.sigma / d.metres, kAsExact), 2);
    sum += weight * std::log(d.metres / apart), weights += weight;
  }
  return weights > 0 ? std::optional(std::exp(sum / weights)) : std::nullopt;
}

Status setGround(const Solution& solution, const SceneSettings& settings, const Vec3& middle, Axes& axes, SceneFrame& out) {
  if (settings.ground.empty()) {
    const UpGuess guess = guessUp(solution);
    axes.ground = guess.ground;
    const bool known = solution.knowledge.up.has_value();
    if (!known) axes.up = guess.up, out.sigma_up_rad = guess.sigma_rad;
    // Height 0 is where the ground is under the path; it need not be level.
    if (axes.ground) axes.ground = PlaneFit{axes.up, axes.up.dot(middle - axes.ground->distance(middle) * axes.ground->normal)};
  } else {
    const auto points = placesOf(solution, settings.ground, "ground");
    if (!points.ok()) return points.error();
    axes.ground = fitGround(settings.ground, *points, out.ground_outliers);
    if (!axes.ground) return invalidInput("The ground needs three or more tracks that do not lie on one line.");
    if (axes.ground->normal.dot(axes.up) < 0) axes.ground = PlaneFit{-axes.ground->normal, -axes.ground->offset};
    double squares = 0;
    std::size_t count = 0;
    for (std::size_t i = 0; i < points->size(); ++i) {
      const auto& outliers = out.ground_outliers;
      if (std::find(outliers.begin(), outliers.end(), settings.ground[i]) == outliers.end())
        squares += std::pow(axes.ground->distance((*points)[i]), 2), ++count;
    }
    out.ground_rms = std::sqrt(squares / static_cast<double>(count));
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

Mat3 turnOf(const Axes& axes) {
  Mat3 scene_from_solve;
  scene_from_solve << axes.right.transpose(), axes.up.transpose(), axes.right.cross(axes.up).transpose();
  return scene_from_solve;
}

/// What of the turn by hand counts.
void takeTurn(const Solution& solution, const SceneMove& move, SceneFrame& out) {
  const SetWorld* world = solution.knowledge.world();
  const bool turned = world && world->free_turn;
  out.free.tilt = !turned && !solution.knowledge.up, out.free.turn = !turned;
  out.moved.turn_deg = out.free.tilt ? move.turn_deg : out.free.turn ? Vec3(0, move.turn_deg.y(), 0) : Vec3(0, 0, 0);
}

/// The scale at which the camera stands as high over y = 0 as is said, moved by hand or not.
Result<double> scaleByHeight(const Solution& solution, const SceneSettings& settings, const Axes& axes, const SceneFrame& out) {
  const CameraHeight& height = *settings.height;
  const SolvedFrame* frame = solution.frameAt(height.frame);
  if (!frame || !frame->placed)
    return invalidInput(fmt::format("The camera's height is known in frame {}, where it is not placed. Take another frame.", height.frame));
  if (!axes.ground && !settings.origin)
    return invalidInput("The camera's height needs a ground: none was found under it. Pick the ground, or an origin on it.");
  const Vec3 own = similarityOf({.turn_deg = out.moved.turn_deg}).rotation * (turnOf(axes) * (frame->pose.centre - axes.origin));
  const SceneMove& move = settings.move;
  const double up = move.metres ? own.y() : own.y() + move.shift.y() / (axes.guessed * move.scale);
  const double scale = (height.metres - (move.metres ? move.shift.y() : 0)) / up;
  if (!(scale > 0) || !std::isfinite(scale))
    return invalidInput(fmt::format("The camera does not stand above the ground in frame {}: its height cannot set the scale.", height.frame));
  return scale;
}

Status setOriginAndScale(const Solution& solution, const SceneSettings& settings, const Knowledge& knowledge, const Vec3& middle, Axes& axes, SceneFrame& out) {
  axes.origin = axes.ground ? Vec3(middle - axes.ground->distance(middle) * axes.up) : middle;
  if (settings.origin) {
    const auto place = placeOf(solution, *settings.origin, "origin");
    if (!place.ok()) return place.error();
    axes.origin = *place;
    // A picked ground stays at y = 0: the origin is the picked point's foot on it.
    if (!settings.ground.empty()) axes.origin -= axes.ground->distance(*place) * axes.up;
  }
  axes.guessed = axes.ground ? 1.6 / axes.ground->distance(middle) : 10.0 / medianDepth(solution, middle);
  if (!(axes.guessed > 0)) axes.guessed = 10.0 / medianDepth(solution, middle);
  axes.scale = axes.guessed;
  if (const SetWorld* world = solution.knowledge.world(); world && world->free_scale) {
    axes.scale = world->world_from_solve.scale;
    out.metric = true;
  } else if (const auto known = scaleOf(solution, settings, knowledge)) {
    axes.scale = *known;
    out.metric = true;
  } else if (settings.length) {
    const auto ends = placesOf(solution, {settings.length->from, settings.length->to}, "length");
    if (!ends.ok()) return ends.error();
    const double distance = (ends->back() - ends->front()).norm();
    if (!(distance > 0) || !(settings.length->metres > 0)) return invalidInput("A known length needs two different tracks and more than 0 m.");
    axes.scale = settings.length->metres / distance;
    out.metric = true;
  } else if (settings.height) {
    const auto scale = scaleByHeight(solution, settings, axes, out);
    if (!scale.ok()) return scale.error();
    axes.scale = *scale;
    out.metric = true;
    out.free.lift = out.free.tilt = false;
  }
  return Done{};
}

/// A move of a scene whose units were guessed goes on in proportion once they are metres.
double shiftScale(const SceneMove& move, const Axes& axes, bool metric) { return metric && !move.metres ? axes.scale / (axes.guessed * move.scale) : 1; }

void moveByHand(const SceneMove& move, const Axes& axes, SceneFrame& out) {
  out.free.scale = !out.metric;
  out.moved = {shiftScale(move, axes, out.metric) * move.shift, out.moved.turn_deg, out.metric ? 1 : move.scale, out.metric};
  if (out.moved.none()) return;
  out.scene_from_solve = similarityOf(out.moved) * out.scene_from_solve;
  if (out.moved.turn_deg.x() != 0 || out.moved.turn_deg.z() != 0) out.sigma_up_rad = kUnknown;
}
}  // namespace

Result<SceneFrame> orientScene(const Solution& solution, const SceneSettings& settings, const Knowledge& knowledge) {
  const auto placed = placedFrames(solution);
  if (placed.empty()) return invalidInput("There is no solved camera to set the scene by.");
  SceneFrame out;
  out.up = settings.up;
  Axes axes;
  const SetWorld* solved = solution.knowledge.world();
  if (const auto known = solved && solved->free_shift ? std::optional(solved->world_from_solve) : bySurvey(solution, knowledge)) {
    out.scene_from_solve = *known, out.metric = out.surveyed = out.moved.metres = true;
    out.free = {false, false, false, false, false};
    return out;
  }
  axes.up = uprightOf(placed);
  const Vec3 middle = placed[placed.size() / 2]->pose.centre;
  if (settings.ground.size() == 1 || settings.ground.size() == 2) return invalidInput("The ground needs three or more tracks.");
  if (const auto& known = solution.knowledge.up) axes.up = known->dot(axes.up) < 0 ? Vec3(-*known) : *known;
  if (const Status done = setGround(solution, settings, middle, axes, out); !done.ok()) return done.error();
  if (const SetWorld* world = solution.knowledge.world(); world && world->free_turn && !settings.direction)
    axes.right = world->world_from_solve.rotation.conjugate() * Vec3::UnitX();
  else if (const Status done = setDirection(solution, settings, placed.front()->pose, axes); !done.ok())
    return done.error();
  takeTurn(solution, settings.move, out);
  if (const Status done = setOriginAndScale(solution, settings, knowledge, middle, axes, out); !done.ok()) return done.error();
  const Mat3 scene_from_solve = turnOf(axes);
  out.scene_from_solve.scale = axes.scale;
  out.scene_from_solve.rotation = Eigen::Quaterniond(scene_from_solve);
  out.scene_from_solve.shift = -axes.scale * (scene_from_solve * axes.origin);
  moveByHand(settings.move, axes, out);
  if (!std::isnan(out.ground_rms)) out.ground_rms *= out.scene_from_solve.scale;
  return out;
}

SceneFrame movedTo(const SceneFrame& scene, const SceneMove& move) {
  SceneFrame out = scene;
  const Similarity placed = similarityOf(scene.moved).inverse() * scene.scene_from_solve;
  out.moved = move;
  out.scene_from_solve = similarityOf(move) * placed;
  out.ground_rms *= move.scale / scene.moved.scale;
  if (move.turn_deg.x() != 0 || move.turn_deg.z() != 0) out.sigma_up_rad = kUnknown;
  return out;
}

std::vector<KnownDistance> knownDistances(const SceneSettings& settings, const Knowledge& knowledge) {
  std::vector<KnownDistance> all;
  for (const KnownDistance& d : knowledge.distances) {
    if (d.on) all.push_back(d);
  }
  const auto& length = settings.length;
  const auto same = [&length](const KnownDistance& d) { return std::minmax(d.from, d.to) == std::minmax(length->from, length->to); };
  if (length && std::none_of(all.begin(), all.end(), same)) all.insert(all.begin(), {.from = length->from, .to = length->to, .metres = length->metres});
  return all;
}

std::vector<SceneResidual> sceneResiduals(const Solution& solution, const SceneFrame& scene, const SceneSettings& settings, const Knowledge& knowledge) {
  std::vector<SceneResidual> all;
  const auto placed = [&solution](int id) {
    const SolvedTrack* track = solution.find(id);
    return track && track->hasPlace() && !track->at_infinity ? std::optional(track->point) : std::nullopt;  // else only its direction is known
  };
  const auto add = [&](int from, int to, double metres) {
    const auto a = placed(from), b = placed(to);
    if (a && b) all.push_back({fmt::format("tracks {} – {}", from, to), {from, to}, metres, scene.scene_from_solve.scale * (*b - *a).norm()});
  };
  for (const KnownDistance& d : knownDistances(settings, knowledge)) add(d.from, d.to, d.metres);
  if (const auto& height = settings.height; height && solution.frameAt(height->frame) && solution.frameAt(height->frame)->placed) {
    const double found = (scene.scene_from_solve * solution.frameAt(height->frame)->pose.centre).y();
    all.push_back({fmt::format("camera height, frame {}", height->frame), {}, height->metres, found});
  }
  for (const SurveyPoint& point : knowledge.survey) {
    if (const auto place = placed(point.track); point.on && place)
      all.push_back({point.name, {point.track}, 0, (scene.scene_from_solve * *place - point.at).norm()});
  }
  return all;
}
}  // namespace dusky
