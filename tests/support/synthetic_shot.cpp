#include "tests/support/synthetic_shot.h"

#include <cmath>

#include "core/base/random.h"
#include "core/geometry/align.h"
#include "core/geometry/triangulation.h"

namespace dusky::testing {
namespace {

Pose poseAt(const SyntheticPlan& plan, int index) {
  if (plan.path) return plan.path(index);
  const double t = index;
  const Eigen::Quaterniond level(0, 1, 0, 0);  // looks along -Z, upright
  const Eigen::Quaterniond turn = rotationFromVector(Vec3(0.02 * std::sin(0.5 * t), -0.012 * t + 0.1, 0.01 * std::sin(0.8 * t)));
  const Vec3 walk = plan.step > 0 ? Vec3(plan.step * t + 0.02 * std::sin(t), 1.6 + 0.03 * std::sin(1.3 * t), -0.3 * plan.step * t) : Vec3(0, 1.6, 0);
  return {(turn * level).normalized(), walk};
}

Lens lensAt(const SyntheticPlan& plan, int index) {
  Lens lens = plan.lens;
  if (plan.focal_px) lens.focal_px = plan.focal_px(index);
  return lens;
}

/// Beyond its range a lens folds the picture over: no real lens shows that.
std::optional<Vec2> shown(const Lens& lens, const Pose& camera, const Vec3& point) {
  const Vec3 p = camera.toCamera(point);
  if (p.z() < 1e-6 || !lens.risingUpTo(p.hnormalized())) return std::nullopt;
  return project(lens, camera, point);
}

/// Through a shutter that reads row by row: the camera is where it was when the row that shows the point was read.
std::optional<Vec2> rolled(const SyntheticPlan& plan, int index, const Vec3& point) {
  const Lens lens = lensAt(plan, index);
  auto at = shown(lens, poseAt(plan, index), point);
  for (int round = 0; round < 6 && at && plan.readout != 0; ++round) {
    const double late = plan.readout * (at->y() / lens.height - 0.5);
    const Pose here = poseAt(plan, index), before = poseAt(plan, index - 1), after = poseAt(plan, index + 1);
    const Eigen::AngleAxisd turn(before.world_from_camera.conjugate() * after.world_from_camera);
    const Pose then{here.world_from_camera * rotationFromVector(0.5 * late * turn.angle() * turn.axis()),
                    here.centre + 0.5 * late * (after.centre - before.centre)};
    at = shown(lens, then, point);
  }
  return at;
}

/// Each point is seen by some frame: every other one on the ground, the rest above it.
std::vector<Vec3> cloud(const SyntheticPlan& plan, std::vector<int>& seen_by) {
  Random random(plan.seed);
  std::vector<Vec3> points;
  while (static_cast<int>(points.size()) < plan.points) {
    const int index = random.index(plan.frames);
    const Pose camera = poseAt(plan, index);
    const Vec2 pixel(random.between(40, plan.lens.width - 40), random.between(40, plan.lens.height - 40));
    const Vec3 ray = camera.direction(lensAt(plan, index).undistort(pixel)->homogeneous());
    if (plan.set) {
      if (const auto met = plan.set(camera.centre, ray)) points.push_back(*met), seen_by.push_back(index);
      continue;
    }
    const bool ground = points.size() % 2 == 0;
    const double depth = ground ? -camera.centre.y() / ray.y() : random.between(2.5, 9);
    Vec3 point = camera.centre + depth * ray;
    if (ground && (depth < 2 || depth > 14)) continue;
    if (ground) point.y() = 0;
    if (!ground && point.y() < 0.1) continue;
    points.push_back(point);
    seen_by.push_back(index);
  }
  return points;
}
/// A point of a moving thing, from one moment to another.
Vec3 carried(const Pose& from, const Pose& to, const Vec3& point) { return to.centre + to.direction(from.toCamera(point)); }
}  // namespace

SyntheticShot makeSyntheticShot(const SyntheticPlan& plan) {
  SyntheticShot shot{.plan = plan};
  for (int f = 0; f < plan.frames; ++f) shot.poses.push_back(poseAt(plan, f));
  std::vector<int> seen_by;
  shot.points = cloud(plan, seen_by);
  shot.tracks.width = plan.lens.width, shot.tracks.height = plan.lens.height;
  shot.tracks.first_frame = plan.first_frame, shot.tracks.last_frame = plan.first_frame + plan.frames - 1;
  Random random(plan.seed + 99), astray(plan.seed + 199), others(plan.seed + 299);
  for (int i = 0; i < plan.points; ++i) {
    Track track{.id = i + 1, .color = {static_cast<std::uint8_t>(i % 256), 120, 60}};
    shot.outlier.push_back(random.uniform() < plan.outlier_share);
    const int start = plan.life > 0 ? seen_by[i] - random.index(plan.life) : 0;
    const int begin = std::max(0, start), end = plan.life > 0 ? std::min(plan.frames, start + plan.life) : plan.frames;
    Vec2 wander = Vec2::Zero();
    const bool wanders = shot.outlier.back(), slides = !wanders && others.uniform() < plan.slide_share;
    const bool moves = !wanders && !slides && plan.mover && others.uniform() < plan.mover_share;
    const double slide_direction = others.between(0, 2 * M_PI);
    if (slides || moves) shot.outlier.back() = true;
    const bool on_other = moves && plan.other_mover && others.uniform() < 0.5;
    const auto& mover = on_other ? plan.other_mover : plan.mover;
    shot.moves.push_back(moves + on_other);
    for (int f = begin; f < end; ++f) {
      const Vec2 noise(plan.noise_px * random.normal(), plan.noise_px * random.normal());
      if (wanders) wander += Vec2(3 * astray.normal() + 2, 3 * astray.normal() - 1);
      if (slides) wander = plan.slide_px * (f - begin) / std::max(1, end - 1 - begin) * Vec2(std::cos(slide_direction), std::sin(slide_direction));
      const Vec3 point = moves ? carried(mover(seen_by[i]), mover(f), shot.points[i]) : shot.points[i];
      const auto at = rolled(plan, f, point);
      constexpr double kLostInGap = 0.65;
      if (f >= plan.gap_from && f < plan.gap_from + plan.gap_frames && others.uniform() < kLostInGap) continue;
      if (!at || at->x() < 0 || at->y() < 0 || at->x() > plan.lens.width || at->y() > plan.lens.height) continue;
      track.observations.push_back({plan.first_frame + f, *at + noise + wander});
    }
    if (track.life() >= 2) shot.tracks.tracks.push_back(std::move(track));
  }
  return shot;
}

Pose walkingOn(int index, double step) {
  const double t = index;
  const Eigen::Quaterniond level(0, 1, 0, 0);
  const Vec3 turn(0.02 * std::sin(0.3 * t), 0.05 * std::sin(0.05 * t), 0.01 * std::cos(0.2 * t));
  return {(rotationFromVector(turn) * level).normalized(), Vec3(0.02 * std::sin(t), 1.6 + 0.02 * std::sin(1.3 * t), -step * t)};
}

std::function<Pose(int index)> bowedPath(int frames) {
  return [last = frames - 1.0](int index) {
    const double t = index / last;
    return Pose{(rotationFromVector(Vec3(0, 0.3 * t, 0)) * Eigen::Quaterniond(0, 1, 0, 0)).normalized(), Vec3(4 * t, 1.6 + 0.12 * std::sin(M_PI * t), 0)};
  };
}

SyntheticPlan rotatingFrom(int frames, int from) {
  SyntheticPlan plan{.frames = frames, .points = 12 * frames, .noise_px = 0.2};
  plan.path = [from](int index) {
    const double t = std::min(index, from);
    const double turn = 0.1 - 0.006 * t - (index > from ? 0.03 * (index - from) : 0);
    return Pose{(rotationFromVector(Vec3(0.01 * std::sin(0.5 * t), turn, 0)) * Eigen::Quaterniond(0, 1, 0, 0)).normalized(), Vec3(0.12 * t, 1.6, -0.03 * t)};
  };
  return plan;
}

std::optional<Vec3> onTwoWalls(const Vec3& from, const Vec3& ray) {
  // Planes n . p = d that face the camera.
  const std::pair<Vec3, double> planes[] = {{Vec3(0.6, 0, 0.8), -7}, {Vec3(-0.6, 0, 0.8), -7}};
  std::optional<double> nearest;
  for (const auto& [normal, offset] : planes) {
    const double along = normal.dot(ray);
    const double depth = along < -1e-6 ? (offset - normal.dot(from)) / along : -1;
    if (depth > 0.5 && (!nearest || depth < *nearest)) nearest = depth;
  }
  if (!nearest) return std::nullopt;
  return Vec3(from + *nearest * ray);
}

std::optional<Vec3> onTheFloor(const Vec3& from, const Vec3& ray) {
  const double depth = -from.y() / ray.y();
  if (ray.y() >= -1e-6 || depth > 14 || depth < 1) return std::nullopt;
  Vec3 point = from + depth * ray;
  point.y() = 0;
  return point;
}

Reconstruction reconstructionAtTruth(const SyntheticShot& shot, double holdout_share) {
  Reconstruction work = makeReconstruction(shot.tracks, {}, holdout_share, 1);
  work.lenses = {shot.plan.lens};
  for (std::size_t f = 0; f < work.poses.size(); ++f) work.poses[f] = shot.poses[f];
  for (WorkTrack& track : work.tracks) track.point = shot.points[static_cast<std::size_t>(track.id - 1)];
  return work;
}

Solution perfectSolution(const SyntheticShot& shot) {
  Solution solution;
  solution.cameras.front().lens = shot.plan.lens;
  double squares = 0;
  int count = 0;
  std::vector<double> frame_squares(shot.poses.size(), 0.0);
  solution.frames.resize(shot.poses.size());
  for (const Track& track : shot.tracks.tracks) {
    SolvedTrack solved{.id = track.id, .state = TrackState::Kept, .point = shot.points[track.id - 1], .color = track.color, .life = track.life()};
    double sum = 0;
    std::vector<Vec3> centres;
    for (const Observation& o : track.observations) {
      const int f = o.frame - shot.tracks.first_frame;
      const Vec2 at = *project(shot.plan.lens, shot.poses[f], solved.point);
      const double error = (at - o.position).norm();
      solved.errors.push_back({o.frame, at, error, true});
      if (!(error <= solved.worst_error_px)) solved.worst_error_px = error, solved.worst_frame = o.frame;
      sum += error * error;
      frame_squares[f] += error * error;
      ++solution.frames[f].tracks;
      centres.push_back(shot.poses[f].centre);
    }
    solved.typical_error_px = std::sqrt(sum / track.life());
    solved.parallax_rad = parallaxAt(solved.point, centres);
    squares += sum;
    count += track.life();
    solution.tracks.push_back(std::move(solved));
  }
  for (std::size_t f = 0; f < shot.poses.size(); ++f) {
    SolvedFrame& frame = solution.frames[f];
    frame.frame = shot.tracks.first_frame + static_cast<int>(f);
    frame.placed = true;
    frame.pose = shot.poses[f];
    frame.rms_px = std::sqrt(frame_squares[f] / std::max(1, frame.tracks));
    frame.holdout_rms_px = frame.rms_px;
  }
  solution.rms_px = std::sqrt(squares / std::max(1, count));
  solution.holdout_rms_px = solution.rms_px;
  solution.cameras.front().sigma.fill(0.1);
  return solution;
}

namespace {

/// Cameras of placed frames, solved (carried into the truth's world by the best similarity) and true.
std::vector<std::pair<Pose, Pose>> alignedCameras(const SyntheticShot& shot, const Solution& solution) {
  std::vector<Pose> truth, solved;
  for (const SolvedFrame& frame : solution.frames) {
    if (!frame.placed) continue;
    truth.push_back(shot.poses[frame.frame - shot.tracks.first_frame]);
    solved.push_back(frame.pose);
  }
  std::vector<std::pair<Pose, Pose>> aligned;
  const auto fit = alignPaths(solved, truth);
  for (std::size_t i = 0; fit.ok() && i < truth.size(); ++i) aligned.emplace_back(*fit * solved[i], truth[i]);
  return aligned;
}

}  // namespace

double pathError(const SyntheticShot& shot, const Solution& solution) {
  const auto cameras = alignedCameras(shot, solution);
  if (cameras.empty()) return 1e9;
  double squares = 0;
  for (const auto& [solved, truth] : cameras) squares += (solved.centre - truth.centre).squaredNorm();
  return std::sqrt(squares / static_cast<double>(cameras.size()));
}

double worstTurn_deg(const SyntheticShot& shot, const Solution& solution) {
  const auto cameras = alignedCameras(shot, solution);
  double worst = cameras.empty() ? 180 : 0;
  for (const auto& [solved, truth] : cameras) worst = std::max(worst, solved.world_from_camera.angularDistance(truth.world_from_camera) * 180 / M_PI);
  return worst;
}

}  // namespace dusky::testing
