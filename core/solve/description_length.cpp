#include "core/solve/description_length.h"

#include <cmath>

#include "core/base/parallel.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

constexpr double kOutlier = 36;       // squared errors in standard deviations count no more than this
constexpr double kFocalOfZoom = 0.3;  // unknowns a frame: neighbours have nearly the same focal length
constexpr int kFewestFrames = 3;

double priceOf(double unknowns, double sightings) { return unknowns * std::log(std::max(2.0, 2 * sightings / kCorrelatedSightings)); }

}  // namespace

DescriptionLength descriptionLength(const Reconstruction& work, bool nodal, const std::vector<int>& frames, double sigma_px, int most) {
  std::vector<std::uint8_t> wanted(work.poses.size(), 0);
  for (const int f : frames) wanted[static_cast<std::size_t>(f)] = 1;
  const auto counts = [&](const WorkObservation& o) { return wanted[static_cast<std::size_t>(o.frame_index)] != 0; };
  std::vector<std::size_t> tracks;
  for (std::size_t t = 0; t < work.tracks.size(); ++t) {
    const WorkTrack& track = work.tracks[t];
    if (!track.by_artist && std::count_if(track.observations.begin(), track.observations.end(), counts) >= kFewestFrames) tracks.push_back(t);
  }
  const double each = std::max(1.0, static_cast<double>(tracks.size()) / most);
  const int taken = static_cast<int>(static_cast<double>(tracks.size()) / each);
  const Views views(work);
  const double far_rad = nodal ? 10 : 2 * sigma_px / work.lens().focal_px;
  std::vector<DescriptionLength> parts(static_cast<std::size_t>(taken));
  parallelFor(
      taken,
      [&](int i) {
        DescriptionLength& part = parts[static_cast<std::size_t>(i)];
        WorkTrack track = work.tracks[tracks[static_cast<std::size_t>(i * each)]];
        std::erase_if(track.observations, [&](const WorkObservation& o) { return !counts(o); });
        track.point.reset();
        const auto placed = placeNearOrFar(work, views, track, false, far_rad);
        if (placed) track.point = placed->point;
        for (const WorkObservation& o : track.observations) {
          const bool seen = placed && work.poses[static_cast<std::size_t>(o.frame_index)];
          part.errors += (seen ? std::min(std::pow(views.error(track, o) / sigma_px, 2), kOutlier) : kOutlier) / kCorrelatedSightings;
        }
        part.unknowns = priceOf(track.at_infinity ? 2 : 3, static_cast<double>(track.observations.size()));
      },
      8);
  DescriptionLength sum;
  for (const DescriptionLength& part : parts) sum.errors += part.errors, sum.unknowns += part.unknowns;
  sum.errors *= each, sum.unknowns *= each;
  std::vector<double> in_frame(work.poses.size(), 0.0);
  double all = 0;
  for (const std::size_t t : tracks) {
    for (const WorkObservation& o : work.tracks[t].observations) in_frame[static_cast<std::size_t>(o.frame_index)] += counts(o), all += counts(o);
  }
  for (const int f : frames) {
    if (work.poses[static_cast<std::size_t>(f)])
      sum.unknowns += priceOf((nodal || work.arm ? 3 : 6) + (work.focal_px.empty() ? 0 : kFocalOfZoom), in_frame[static_cast<std::size_t>(f)]);
  }
  if (work.readout != 0) sum.unknowns += priceOf(1, all);
  if (work.arm) sum.unknowns += priceOf(2, all);
  return sum;
}

}  // namespace dusky
