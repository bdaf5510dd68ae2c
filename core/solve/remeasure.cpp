#include "core/solve/remeasure.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/parallel.h"

namespace dusky {
namespace {

void takeCameras(const Solution& solution, Reconstruction& work) {
  work.lenses.clear();
  for (const SolvedCamera& camera : solution.cameras) work.lenses.push_back(camera.lens);
  const bool zooms = solution.zooms();
  for (const SolvedFrame& frame : solution.frames) {
    work.frame_numbers.push_back(frame.frame);
    work.lens_of.push_back(frame.camera);
    work.poses.push_back(frame.placed ? std::optional(frame.pose) : std::nullopt);
    if (zooms) work.focal_px.push_back(std::isnan(frame.focal_px) ? solution.lens().focal_px : frame.focal_px);
  }
  work.readout = solution.readout;
}

}  // namespace

bool madeFrom(const Solution& solution, const TrackSet& tracks) {
  return std::equal(solution.tracks.begin(), solution.tracks.end(), tracks.tracks.begin(), tracks.tracks.end(),
                    [](const SolvedTrack& solved, const Track& track) { return solved.id == track.id && solved.errors.size() == track.observations.size(); });
}

Result<Reconstruction> reconstructionOf(const Solution& solution, const TrackSet& tracks) {
  if (!madeFrom(solution, tracks)) return invalidInput("The solve was made from other tracks.");
  Reconstruction work;
  takeCameras(solution, work);
  const Vec3 middle = pathExtent(work).middle;
  for (std::size_t t = 0; t < tracks.tracks.size(); ++t) {
    const SolvedTrack& solved = solution.tracks[t];
    WorkTrack track{.id = solved.id, .holdout = solved.holdout, .by_artist = solved.reason == AsideReason::ByArtist, .at_infinity = solved.at_infinity};
    track.reason = track.by_artist ? AsideReason::None : solved.reason;
    if (solved.hasPlace()) track.point = solved.at_infinity ? Vec3((solved.point - middle).normalized()) : solved.point;
    for (std::size_t i = 0; i < solved.errors.size(); ++i) {
      const Observation& seen = tracks.tracks[t].observations[i];
      const int frame = work.indexOf(seen.frame);
      if (frame >= static_cast<int>(work.poses.size()) || work.frame_numbers[static_cast<std::size_t>(frame)] != seen.frame)
        return invalidInput(fmt::format("The solve knows nothing of frame {}.", seen.frame));
      track.observations.push_back({frame, seen.position, solved.errors[i].used});
    }
    work.tracks.push_back(std::move(track));
  }
  return work;
}

Status remeasure(Solution& solution, const TrackSet& tracks) {
  const auto work = reconstructionOf(solution, tracks);
  if (!work.ok()) return work.error();
  const Views views(*work);
  parallelFor(
      static_cast<int>(work->tracks.size()),
      [&](int t) {
        const WorkTrack& track = work->tracks[static_cast<std::size_t>(t)];
        std::vector<TrackError>& errors = solution.tracks[static_cast<std::size_t>(t)].errors;
        for (std::size_t i = 0; i < errors.size(); ++i) {
          const WorkObservation& o = track.observations[i];
          TrackError& error = errors[i];
          error = {.frame = work->frame_numbers[static_cast<std::size_t>(o.frame_index)], .used = error.used};
          const auto shown = track.point && work->poses[static_cast<std::size_t>(o.frame_index)] ? views.reproject(track, o) : std::nullopt;
          if (shown) error.reprojected = *shown, error.error_px = (*shown - o.seen).norm();
        }
      },
      16);
  return Done{};
}

}  // namespace dusky
