#include "core/review/scale_link.h"

#include <cmath>
#include <vector>

namespace dusky {
namespace {

constexpr double kSeemsToMove = 3;  // standard deviations of a sighting over the root of a frame's tracks, seen from a point: cameras trade rotation for place

/// Sightings of one track on one side of a cut: how far the cameras stand apart, in their distance from the point.
struct Side {
  double count = 0, squares = 0, noise = 0;
  Vec3 sum = Vec3::Zero();
  void add(const Vec3& place, double noise_squared) { count += 1, squares += place.squaredNorm(), sum += place, noise += noise_squared; }
  double spread() const { return count < 2 ? 0 : std::max(0.0, squares - sum.squaredNorm() / count - noise); }
};

Side less(const Side& all, const Side& part) { return {all.count - part.count, all.squares - part.squares, all.noise - part.noise, all.sum - part.sum}; }

/// What a sighting's deviation is as an angle, by frame.
std::vector<double> anglesOf(const Reconstruction& work, double sigma_px) {
  std::vector<double> angles;
  for (std::size_t f = 0; f < work.poses.size(); ++f) angles.push_back(sigma_px / work.lensAt(static_cast<int>(f)).focal_px);
  return angles;
}

std::vector<double> tracksInFrames(const Reconstruction& work) {
  std::vector<double> tracks(work.poses.size(), 0.0);
  for (const WorkTrack& track : work.tracks) {
    if (!track.takesPart()) continue;
    for (const WorkObservation& o : track.observations) tracks[static_cast<std::size_t>(o.frame_index)] += o.used;
  }
  return tracks;
}

}  // namespace

ScaleLink weakestScaleLink(const Reconstruction& work, double sigma_px) {
  const std::vector<double> in_frame = tracksInFrames(work), angles = anglesOf(work, sigma_px);
  std::vector<double> carried(work.poses.size(), 0.0);  // information across the end of each frame
  for (const WorkTrack& track : work.tracks) {
    if (!track.takesPart() || track.at_infinity) continue;
    std::vector<std::pair<int, Side>> sides;  // up to and with each sighting
    Side all;
    for (const WorkObservation& o : track.observations) {
      const auto f = static_cast<std::size_t>(o.frame_index);
      if (!o.used || !work.poses[f]) continue;
      const Vec3 to = work.poses[f]->centre - *track.point;
      const double noise = kSeemsToMove * angles[f] / std::sqrt(std::max(1.0, in_frame[f]));
      // Along the ray a camera's place says nothing of depth: the direction is what counts.
      all.add(to.normalized(), noise * noise);
      sides.emplace_back(o.frame_index, all);
    }
    for (std::size_t i = 0; i + 1 < sides.size(); ++i) {
      const double before = sides[i].second.spread(), after = less(all, sides[i].second).spread();
      if (!(before > 0 && after > 0)) continue;
      const double angle = angles[static_cast<std::size_t>(sides[i].first)], both = before * after / (before + after) / (angle * angle);
      for (int f = sides[i].first; f < sides[i + 1].first; ++f) carried[static_cast<std::size_t>(f)] += both;
    }
  }
  ScaleLink weakest;
  int first = -1, last = -1;
  for (int f = 0; f < static_cast<int>(work.poses.size()); ++f) {
    if (work.poses[static_cast<std::size_t>(f)]) first = first < 0 ? f : first, last = f;
  }
  // The first and last few frames are hardly parts.
  constexpr int kPart = 5;
  for (int f = first + kPart; first >= 0 && f < last - kPart; ++f) {
    const double sigma = 1 / std::sqrt(std::max(1e-6, carried[static_cast<std::size_t>(f)]));
    if (std::isnan(weakest.sigma_share) || sigma > weakest.sigma_share) weakest = {sigma, f};
  }
  return weakest;
}

}  // namespace dusky
