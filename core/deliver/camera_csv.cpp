#include <fmt/format.h>

#include "core/deliver/delivery.h"

namespace dusky {

std::string cameraCsv(const DeliveryInput& input) {
  std::string out = fmt::format(
      "# Dusky Moth camera. World right-handed, Y up, in {}. Camera axes x right, y down, z forward; quaternion world from camera.\n"
      "# Lens (Brown 1971) in px of a {}x{} picture; the centre of the first pixel is (0.5, 0.5).\n"
      "frame,time_s,x,y,z,qw,qx,qy,qz,focal_px,cx_px,cy_px,k1,k2,k3,p1,p2,rms_px\n",
      input.scene.metric ? "metres" : "units", input.footage.width, input.footage.height);
  for (const SolvedFrame& frame : input.solution.frames) {
    if (!frame.placed) continue;
    const Pose pose = input.scene.scene_from_solve * frame.pose;
    const auto& q = pose.world_from_camera;
    out += fmt::format("{},{:.9g},{:.10g},{:.10g},{:.10g},{:.12g},{:.12g},{:.12g},{:.12g}", frame.frame,
                       (frame.frame - input.footage.first) / input.footage.fps, pose.centre.x(), pose.centre.y(), pose.centre.z(), q.w(), q.x(), q.y(), q.z());
    for (double p : input.solution.lens.parameters()) out += fmt::format(",{:.10g}", p);
    out += fmt::format(",{:.4f}\n", frame.rms_px);
  }
  return out;
}

}  // namespace dusky
