#include "core/review/frame_figures.h"

#include <algorithm>
#include <cmath>
#include <set>

namespace dusky {

std::vector<FrameFigures> frameFigures(const Solution& solution) {
  std::vector<FrameFigures> figures;
  std::vector<int> seen(solution.frames.size(), 0), used(solution.frames.size(), 0);
  for (const SolvedFrame& frame : solution.frames) figures.push_back({.frame = frame.frame});
  for (const SolvedTrack& track : solution.tracks) {
    if (track.reason == AsideReason::ByArtist) continue;
    const bool kept = track.state == TrackState::Kept;
    for (const TrackError& e : track.errors) {
      const SolvedFrame* frame = solution.frameAt(e.frame);
      if (!frame) continue;
      const auto i = static_cast<std::size_t>(frame - solution.frames.data());
      ++seen[i];
      if (!kept || !e.used) continue;
      ++used[i];
      if (!track.holdout) figures[i].worst_px = std::fmax(figures[i].worst_px, e.error_px);
    }
  }
  for (std::size_t i = 0; i < figures.size(); ++i) {
    if (seen[i] > 0) figures[i].explained_share = static_cast<double>(used[i]) / seen[i];
  }
  return figures;
}

std::vector<SightingsOfSet> sightingsOfSet(const Solution& solution) {
  constexpr int kLongEnough = 5;
  std::set<int> moving;
  for (const Mover& mover : solution.movers) moving.insert(mover.tracks.begin(), mover.tracks.end());
  std::vector<SightingsOfSet> sightings(solution.frames.size());
  for (const SolvedTrack& track : solution.tracks) {
    if (track.reason == AsideReason::ByArtist || track.life < kLongEnough || moving.count(track.id) > 0) continue;
    for (const TrackError& e : track.errors) {
      const SolvedFrame* frame = solution.frameAt(e.frame);
      if (!frame) continue;
      SightingsOfSet& here = sightings[static_cast<std::size_t>(frame - solution.frames.data())];
      ++here.all, here.used += e.used && track.state == TrackState::Kept;
    }
  }
  return sightings;
}

const TrackError* errorAt(const SolvedTrack& track, int frame) {
  const auto found = std::lower_bound(track.errors.begin(), track.errors.end(), frame, [](const TrackError& e, int f) { return e.frame < f; });
  return found != track.errors.end() && found->frame == frame ? &*found : nullptr;
}

std::vector<int> worstTracksIn(const Solution& solution, int frame, int most) {
  const SolvedFrame* solved = solution.frameAt(frame);
  if (!solved || std::isnan(solved->rms_px)) return {};
  std::vector<std::pair<double, int>> found;
  for (const SolvedTrack& track : solution.tracks) {
    if (track.state != TrackState::Kept || track.holdout) continue;
    const TrackError* e = errorAt(track, frame);
    if (e && e->used && e->error_px > solved->rms_px) found.emplace_back(-e->error_px, track.id);
  }
  std::sort(found.begin(), found.end());
  if (static_cast<int>(found.size()) > most) found.resize(static_cast<std::size_t>(most));
  std::vector<int> ids;
  for (const auto& [error, id] : found) ids.push_back(id);
  return ids;
}

}  // namespace dusky
