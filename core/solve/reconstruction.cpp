#include "core/solve/reconstruction.h"

#include "core/base/random.h"
#include "core/geometry/triangulation.h"

namespace dusky {

int Reconstruction::placedCameras() const {
  return static_cast<int>(std::count_if(cameras.begin(), cameras.end(), [](const auto& c) { return c.has_value(); }));
}

int Reconstruction::indexOf(int frame) const {
  return static_cast<int>(std::lower_bound(frame_numbers.begin(), frame_numbers.end(), frame) - frame_numbers.begin());
}

Reconstruction makeReconstruction(const TrackSet& tracks, const std::vector<int>& set_aside_ids, double holdout_share, std::uint64_t seed) {
  Reconstruction work;
  for (int i = 0; i < tracks.frames(); ++i) work.frame_numbers.push_back(tracks.frameAt(i));
  work.cameras.resize(tracks.frames());
  for (const Track& track : tracks.tracks) {
    WorkTrack one;
    one.id = track.id;
    // Drawn by the track's own id: setting others aside does not change who judges.
    one.holdout = Random(seed * 1000003 + static_cast<std::uint64_t>(track.id)).uniform() < holdout_share;
    one.by_artist = std::binary_search(set_aside_ids.begin(), set_aside_ids.end(), track.id);
    for (const Observation& o : track.observations) one.observations.push_back({tracks.indexOf(o.frame), o.position, true});
    work.tracks.push_back(std::move(one));
  }
  return work;
}

std::optional<Placed> placeTrack(const Reconstruction& work, const WorkTrack& track, bool only_used) {
  std::vector<Sighting> sightings;
  for (const WorkObservation& o : track.observations) {
    if (!work.cameras[o.camera] || (only_used && !o.used)) continue;
    if (const auto n = work.lens.undistort(o.seen)) sightings.push_back({*work.cameras[o.camera], *n});
  }
  const auto found = triangulate(sightings, track.point);
  if (!found) return std::nullopt;
  return Placed{found->point, found->parallax_rad};
}

MappedBundle makeBundle(const Reconstruction& work) {
  MappedBundle mapped;
  mapped.bundle.lens = work.lens;
  std::vector<int> camera_of_frame(work.cameras.size(), -1);
  for (std::size_t f = 0; f < work.cameras.size(); ++f) {
    if (!work.cameras[f]) continue;
    camera_of_frame[f] = static_cast<int>(mapped.camera_frame.size());
    mapped.camera_frame.push_back(static_cast<int>(f));
    mapped.bundle.cameras.push_back(*work.cameras[f]);
  }
  for (std::size_t t = 0; t < work.tracks.size(); ++t) {
    const WorkTrack& track = work.tracks[t];
    if (!track.takesPart()) continue;
    const auto usable = [&](const WorkObservation& o) { return o.used && camera_of_frame[o.camera] >= 0; };
    if (std::count_if(track.observations.begin(), track.observations.end(), usable) < 2) continue;
    const int point = static_cast<int>(mapped.bundle.points.size());
    mapped.bundle.points.push_back(*track.point);
    mapped.point_track.push_back(static_cast<int>(t));
    for (const WorkObservation& o : track.observations) {
      if (usable(o)) mapped.bundle.observations.push_back({camera_of_frame[o.camera], point, o.seen});
    }
  }
  return mapped;
}

BundleSummary adjustReconstruction(Reconstruction& work, const BundleOptions& options, const Progress& progress) {
  MappedBundle mapped = makeBundle(work);
  const BundleSummary summary = adjust(mapped.bundle, options, progress);
  for (std::size_t c = 0; c < mapped.camera_frame.size(); ++c) work.cameras[mapped.camera_frame[c]] = mapped.bundle.cameras[c];
  for (std::size_t p = 0; p < mapped.point_track.size(); ++p) work.tracks[mapped.point_track[p]].point = mapped.bundle.points[p];
  work.lens = mapped.bundle.lens;
  return summary;
}

}  // namespace dusky
