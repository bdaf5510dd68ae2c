#include <fmt/format.h>

#include "core/deliver/delivery_view.h"
#include "core/deliver/writers.h"

namespace dusky {

std::string cameraCsv(const DeliveryInput& input, const DeliveryView& view) {
  const Lens& lens = input.solution.lens();
  const auto names = lensParameterNames(lens.model);
  std::string out = fmt::format(
      "# Dusky Moth camera. World right-handed, {} up, in {}. Camera axes x right, y down, z forward; quaternion world from camera.\n"
      "# Lens ({}, pixel aspect {:g}) in px of a {}x{} picture; the centre of the first pixel is (0.5, 0.5).\n"
      "frame,time_s,x,y,z,qw,qx,qy,qz,{},rms_px\n",
      view.up == UpAxis::Z ? 'Z' : 'Y', view.unit == "m" ? "metres" : view.unit, describe(lens.model), lens.pixel_aspect, input.footage.width,
      input.footage.height, fmt::join(names, ","));
  for (const DeliveryView::Camera& camera : view.cameras) {
    if (!camera.key) continue;
    const SolvedFrame& frame = *input.solution.frameAt(camera.footage);
    const Pose pose = view.turnedUp() * camera.pose;
    const auto& q = pose.world_from_camera;
    out += fmt::format("{},{:.9g},{:.10g},{:.10g},{:.10g},{:.12g},{:.12g},{:.12g},{:.12g}", camera.frame, camera.time_s, pose.centre.x(), pose.centre.y(),
                       pose.centre.z(), q.w(), q.x(), q.y(), q.z());
    const LensParameters parameters = input.solution.lensAt(frame).parameters();
    for (std::size_t k = 0; k < names.size(); ++k) out += fmt::format(",{:.10g}", parameters[k]);
    out += fmt::format(",{:.4f}\n", frame.rms_px);
  }
  return out;
}
}  // namespace dusky
