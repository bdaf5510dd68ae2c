#include "core/review/solve_difference.h"

#include <algorithm>
#include <cmath>

#include "core/geometry/align.h"
#include "core/solve/remeasure.h"

namespace dusky {
namespace {

double together(double a, double b) { return std::hypot(a, b); }

double focalOf(const Solution& solution, const SolvedFrame& frame) { return solution.lensAt(frame).focal_px; }

double focalSigmaOf(const Solution& solution, const SolvedFrame& frame) {
  return std::isnan(frame.focal_px) ? solution.cameras[static_cast<std::size_t>(frame.camera)].sigma[0] : frame.sigma_focal_px;
}

/// The cameras of another solve as those of this one's frames; unplaced where the other has none.
Reconstruction otherCameras(const Reconstruction& work, const Solution& other) {
  Reconstruction out = work;
  out.lenses.clear();
  for (const SolvedCamera& camera : other.cameras) out.lenses.push_back(camera.lens);
  out.focal_px.clear();
  out.readout = other.readout;
  for (std::size_t f = 0; f < out.poses.size(); ++f) {
    const SolvedFrame* frame = other.frameAt(out.frame_numbers[f]);
    out.poses[f] = frame && frame->placed ? std::optional(frame->pose) : std::nullopt;
    out.lens_of[f] = frame ? frame->camera : 0;
    if (other.zooms()) out.focal_px.push_back(frame && !std::isnan(frame->focal_px) ? frame->focal_px : other.lens().focal_px);
  }
  return out;
}

}  // namespace

Result<SolveDifference> differenceOf(const Solution& a, const TrackSet& tracks_a, const Solution& b, bool same_tracks) {
  std::vector<std::pair<const SolvedFrame*, const SolvedFrame*>> both;
  std::vector<Pose> poses_a, poses_b;
  for (const SolvedFrame& frame : a.frames) {
    const SolvedFrame* other = frame.placed ? b.frameAt(frame.frame) : nullptr;
    if (!other || !other->placed) continue;
    both.emplace_back(&frame, other);
    poses_a.push_back(frame.pose), poses_b.push_back(other->pose);
  }
  if (both.empty()) return invalidInput("The two solves have no frame with a camera in common.");
  const auto a_from_b = alignPaths(poses_b, poses_a);
  if (!a_from_b.ok()) return a_from_b.error();
  SolveDifference difference{.first_from_second = *a_from_b};
  for (const auto& [one, other] : both) {
    const Eigen::Quaterniond turned = a_from_b->rotation * other->pose.world_from_camera;
    difference.frames.push_back({.frame = one->frame,
                                 .centre = (*a_from_b * other->pose.centre - one->pose.centre).norm(),
                                 .rotation_rad = one->pose.world_from_camera.angularDistance(turned),
                                 .focal_px = focalOf(b, *other) - focalOf(a, *one),
                                 .sigma_centre = together(one->sigma_centre, a_from_b->scale * other->sigma_centre),
                                 .sigma_rotation_rad = together(one->sigma_rotation_rad, other->sigma_rotation_rad),
                                 .sigma_focal_px = together(focalSigmaOf(a, *one), focalSigmaOf(b, *other))});
  }
  if (same_tracks) {
    for (const SolvedTrack& track : a.tracks) {
      const SolvedTrack* other = b.find(track.id);
      if (!other || !track.hasPlace() || !other->hasPlace() || track.at_infinity || other->at_infinity) continue;
      difference.points.push_back(
          {track.id, (*a_from_b * other->point - track.point).norm(), together(track.sigma_point, a_from_b->scale * other->sigma_point)});
    }
    std::stable_sort(difference.points.begin(), difference.points.end(), [](const auto& p, const auto& q) { return p.distance > q.distance; });
  }
  if (const auto work = reconstructionOf(a, tracks_a); work.ok()) difference.slip_px = slipBetween(*work, otherCameras(*work, b));
  return difference;
}

}  // namespace dusky
