#include "tests/support/placed_points.h"

#include <algorithm>

namespace dusky::testing {

void placePoint(SyntheticShot& shot, int id, const Vec3& place, double noise_px, Random& random) {
  shot.points[static_cast<std::size_t>(id - 1)] = place;
  auto& tracks = shot.tracks.tracks;
  const auto track = std::find_if(tracks.begin(), tracks.end(), [id](const Track& t) { return t.id == id; });
  if (track == tracks.end()) return;
  track->observations.clear();
  const Lens& lens = shot.plan.lens;
  for (std::size_t f = 0; f < shot.poses.size(); ++f) {
    const Vec3 seen = shot.poses[f].toCamera(place);
    if (!(seen.z() > 0.1)) continue;
    const Vec2 at = lens.distort(seen.hnormalized());
    if (at.x() > 0 && at.y() > 0 && at.x() < lens.width && at.y() < lens.height)
      track->observations.push_back({shot.plan.first_frame + static_cast<int>(f), at + noise_px * Vec2(random.normal(), random.normal())});
  }
  if (track->observations.size() < 2) tracks.erase(track);
}

Vec3 middleOf(const SyntheticShot& shot) {
  Vec3 middle = Vec3::Zero();
  for (const Vec3& p : shot.points) middle += p / static_cast<double>(shot.points.size());
  return middle;
}

}  // namespace dusky::testing
