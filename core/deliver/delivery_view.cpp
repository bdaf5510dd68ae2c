#include "core/deliver/delivery_view.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/length_units.h"

namespace dusky {
namespace {

std::vector<DeliveryView::Camera> camerasOf(const DeliveryInput& input, const DeliveryView& view) {
  std::vector<DeliveryView::Camera> cameras;
  for (const SolvedFrame& frame : input.solution.frames) {
    if (!frame.placed) continue;
    cameras.push_back({.frame = frame.frame + view.frame_shift,
                       .footage = frame.frame,
                       .time_s = (frame.frame - input.footage.first) / view.fps,
                       .pose = view.world_from_solve * frame.pose,
                       .focal_px = view.plate.focalOf(input.solution.lensAt(frame))});
  }
  return cameras;
}

std::vector<DeliveryView::Point> pointsOf(const DeliveryInput& input, const DeliveryView& view, bool all) {
  std::vector<DeliveryView::Point> points;
  for (const SolvedTrack& track : input.solution.tracks) {
    const bool wanted = track.state == TrackState::Kept || (all && track.hasPlace());
    if (!wanted || (track.at_infinity && input.solution.motion != MotionKind::Nodal)) continue;
    points.push_back({track.id, view.world_from_solve * track.point, track.color, track.typical_error_px, view.world_from_solve.scale * track.sigma_point});
  }
  return points;
}

/// How far, px, a camera is from even motion between two others: turn, place seen at a typical distance, focal length at the picture's edge.
double offEven(const DeliveryView::Camera& c, const DeliveryView::Camera& a, const DeliveryView::Camera& b, double distance, double half_width) {
  const double t = (c.time_s - a.time_s) / (b.time_s - a.time_s);
  const double turn = c.pose.world_from_camera.angularDistance(a.pose.world_from_camera.slerp(t, b.pose.world_from_camera));
  const double shift = (c.pose.centre - (a.pose.centre + t * (b.pose.centre - a.pose.centre))).norm() / distance;
  const double focal = std::abs(c.focal_px - (a.focal_px + t * (b.focal_px - a.focal_px))) / c.focal_px;
  return c.focal_px * (turn + shift) + half_width * focal;
}

/// Leaves keys only where the way is not even without them. Source: Douglas and Peucker, Cartographica 10(2), 1973.
void thinKeys(std::vector<DeliveryView::Camera>& cameras, std::size_t first, std::size_t last, const auto& off, double tolerance) {
  double worst = tolerance;
  std::size_t at = 0;
  for (std::size_t k = first + 1; k < last; ++k) {
    cameras[k].key = false;
    if (const double far = off(cameras[k], cameras[first], cameras[last]); far > worst) worst = far, at = k;
  }
  if (at == 0) return;
  thinKeys(cameras, first, at, off, tolerance);
  thinKeys(cameras, at, last, off, tolerance);
  cameras[at].key = true;
}

double typicalDistance(const DeliveryView& view) {
  std::vector<double> distances;
  const Vec3& eye = view.cameras[view.cameras.size() / 2].pose.centre;
  for (const auto& point : view.points) distances.push_back((point.at - eye).norm());
  std::sort(distances.begin(), distances.end());
  return distances.empty() ? 1 : std::max(1e-9, distances[distances.size() / 10]);  // near ones feel a shift most
}

}  // namespace

bool DeliveryView::zooms() const {
  return std::any_of(cameras.begin(), cameras.end(), [&](const Camera& c) { return c.focal_px != cameras.front().focal_px; });
}

Result<DeliveryView> viewOf(const DeliveryInput& input, const DeliveryChoices& choices) {
  const WorldOptions& world = choices.world;
  DeliveryView view{.up = world.up.value_or(input.scene.up),
                    .unit = input.scene.metric ? "m" : "units",
                    .metres = input.scene.metric ? 1.0 : 0.0,
                    .fps = world.fps > 0 ? world.fps : input.footage.fps,
                    .frame_shift = world.start ? *world.start - input.footage.first : 0,
                    .camera_name = world.camera,
                    .points_name = world.points,
                    .plate = plateOf(input.solution, choices.plates)};
  double scale = world.scale;
  if (!world.unit.empty()) {
    if (!input.scene.metric)
      return invalidInput(
          fmt::format("The scene has no scale: it cannot be delivered in {}. Say a distance or the camera's height in the Scene step.", world.unit));
    const auto* known = std::find_if(kLengthUnits.begin(), kLengthUnits.end(), [&](const auto& unit) { return unit.first == world.unit; });
    view.unit = world.unit, view.metres = known->second, scale /= known->second;
  }
  if (view.metres > 0) view.metres /= world.scale;
  view.world_from_solve = Similarity{scale, Eigen::Quaterniond::Identity(), Vec3::Zero()} * input.scene.scene_from_solve;
  view.cameras = camerasOf(input, view);
  view.points = pointsOf(input, view, world.all_points);
  if (world.key_tolerance_px > 0 && view.cameras.size() > 2) {
    const double distance = typicalDistance(view), half_width = 0.5 * view.plate.width;
    const auto off = [&](const auto& c, const auto& a, const auto& b) { return offEven(c, a, b, distance, half_width); };
    thinKeys(view.cameras, 0, view.cameras.size() - 1, off, world.key_tolerance_px);
  }
  return view;
}

}  // namespace dusky
