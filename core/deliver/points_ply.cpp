#include <fmt/format.h>

#include <bit>
#include <cstring>

#include "core/deliver/delivery.h"

namespace dusky {
namespace {

static_assert(std::endian::native == std::endian::little, "PLY is written as the machine has it");

template <class T>
void append(std::string& bytes, T value) {
  char raw[sizeof(T)];
  std::memcpy(raw, &value, sizeof(T));
  bytes.append(raw, sizeof(T));
}
}  // namespace

std::string pointsPly(const DeliveryInput& input) {
  std::string body;
  int count = 0;
  const Similarity world_from_solve = input.scene.worldFromSolve();
  for (const SolvedTrack& track : input.solution.tracks) {
    if (track.state != TrackState::Kept || (track.at_infinity && input.solution.motion != MotionKind::Nodal)) continue;
    const Vec3 p = world_from_solve * track.point;
    for (double c : p) append(body, static_cast<float>(c));
    append(body, track.color.r);
    append(body, track.color.g);
    append(body, track.color.b);
    append(body, static_cast<std::int32_t>(track.id));
    append(body, static_cast<float>(track.typical_error_px));
    ++count;
  }
  return fmt::format(
             "ply\nformat binary_little_endian 1.0\ncomment Dusky Moth points, right-handed, {} up, {}\nelement vertex {}\n"
             "property float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\n"
             "property int track\nproperty float error_px\nend_header\n",
             input.scene.up == UpAxis::Z ? 'Z' : 'Y', input.scene.metric ? "metres" : "units", count) +
         body;
}
}  // namespace dusky
