#include "core/review/track_measures.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

#include "core/base/numbers.h"
#include "core/solve/drift.h"

namespace dusky {
namespace {

/// The error of a sighting with its direction.
struct Residual {
  std::size_t track = 0;  ///< Position in the solution.
  int frame = 0;
  Vec2 at, error;
};

std::vector<Residual> residualsOf(const Solution& solution, const TrackSet& tracks) {
  std::vector<Residual> all;
  for (std::size_t t = 0; t < solution.tracks.size(); ++t) {
    const SolvedTrack& track = solution.tracks[t];
    for (std::size_t i = 0; i < track.errors.size(); ++i) {
      const TrackError& e = track.errors[i];
      const Observation& seen = tracks.tracks[t].observations[i];
      if (e.used && !std::isnan(e.error_px)) all.push_back({t, e.frame, seen.position, e.reprojected - seen.position});
    }
  }
  return all;
}

/// How far errors move along a line over a track's life; 0 where the line is not clearly more than chance.
double creepOf(const std::vector<const Residual*>& residuals) {
  constexpr int kFewest = 6;
  constexpr double kClearly = 4;
  if (static_cast<int>(residuals.size()) < kFewest) return 0;
  Drift drift;
  double squares = 0;
  for (const Residual* r : residuals) drift.add(r->frame - residuals.front()->frame, r->error), squares += r->error.squaredNorm();
  if (!drift.isTold()) return 0;
  double left = 0;
  for (const Residual* r : residuals) left += (r->error - drift.at(r->frame - residuals.front()->frame)).squaredNorm();
  const double noise = std::sqrt(left / (2 * (static_cast<double>(residuals.size()) - 2)));
  if (std::sqrt(drift.explained()) < kClearly * noise) return 0;
  return drift.rate().norm() * (residuals.back()->frame - residuals.front()->frame);
}

/// What each track's errors have in common with those of the tracks about it, frame by frame.
std::vector<double> sharedErrors(const Solution& solution, const TrackSet& tracks, const std::vector<Residual>& residuals) {
  const double reach = 0.08 * tracks.width;
  constexpr int kFewestNeighbours = 3, kFewestFrames = 5;
  std::map<int, std::vector<const Residual*>> in_frame;
  for (const Residual& r : residuals) {
    if (solution.tracks[r.track].state == TrackState::Kept) in_frame[r.frame].push_back(&r);
  }
  std::vector<double> common(solution.tracks.size(), 0.0);
  std::vector<int> frames(solution.tracks.size(), 0);
  for (auto& [frame, seen] : in_frame) {
    std::sort(seen.begin(), seen.end(), [](const Residual* a, const Residual* b) { return a->at.x() < b->at.x(); });
    std::size_t from = 0;
    for (const Residual* r : seen) {
      while (seen[from]->at.x() < r->at.x() - reach) ++from;
      Vec2 sum = Vec2::Zero();
      int count = 0;
      for (std::size_t i = from; i < seen.size() && seen[i]->at.x() <= r->at.x() + reach; ++i) {
        if (seen[i]->track != r->track && (seen[i]->at - r->at).norm() < reach) sum += seen[i]->error, ++count;
      }
      if (count >= kFewestNeighbours) common[r->track] += r->error.dot(sum / count), ++frames[r->track];
    }
  }
  for (std::size_t t = 0; t < common.size(); ++t) common[t] = frames[t] >= kFewestFrames ? std::sqrt(std::max(0.0, common[t] / frames[t])) : 0;
  return common;
}

/// Distance from the nearest camera that sees it; whether it lies behind one.
void measurePlace(const Solution& solution, const SolvedTrack& track, TrackMeasures& measures) {
  double nearest = 1e300;
  for (const TrackError& e : track.errors) {
    const SolvedFrame* frame = solution.frameAt(e.frame);
    if (!frame || !frame->placed) continue;
    const Vec3 p = frame->pose.toCamera(track.point);
    nearest = std::min(nearest, p.norm());
    measures.behind = measures.behind || p.z() <= 0;
  }
  if (track.at_infinity || nearest > 1e299) return;
  measures.depth = measures.distance = nearest;
  measures.depth_sigma_pc = 100 * track.sigma_point / nearest;
  measures.parallax_deg = track.parallax_rad * 180 / std::numbers::pi;
}

}  // namespace

std::vector<TrackMeasures> measureTracks(const Solution& solution, const TrackSet& tracks) {
  const std::vector<Residual> residuals = residualsOf(solution, tracks);
  std::vector<std::vector<const Residual*>> of_track(solution.tracks.size());
  for (const Residual& r : residuals) of_track[r.track].push_back(&r);
  const std::vector<double> shared = sharedErrors(solution, tracks, residuals);
  std::vector<TrackMeasures> all;
  std::vector<double> distances;
  for (std::size_t t = 0; t < solution.tracks.size(); ++t) {
    const SolvedTrack& track = solution.tracks[t];
    if (!track.hasPlace()) continue;
    TrackMeasures m{.id = track.id, .life = track.life, .typical_px = track.typical_error_px, .worst_px = track.worst_error_px};
    measurePlace(solution, track, m);
    m.creep_px = creepOf(of_track[t]), m.shared_px = shared[t];
    if (track.state == TrackState::Kept && !std::isnan(m.distance)) distances.push_back(m.distance);
    all.push_back(m);
  }
  const double usual = distances.empty() ? 1 : median(std::move(distances));
  for (TrackMeasures& m : all) m.distance /= usual;
  return all;
}

UsualMeasures usualOf(const Solution& solution, const std::vector<TrackMeasures>& measured) {
  std::vector<double> typical, shared;
  for (const TrackMeasures& m : measured) {
    const SolvedTrack* track = solution.find(m.id);
    if (!track || track->state != TrackState::Kept || std::isnan(m.typical_px)) continue;
    typical.push_back(m.typical_px), shared.push_back(m.shared_px);
  }
  return typical.empty() ? UsualMeasures() : UsualMeasures{median(std::move(typical)), median(std::move(shared))};
}

}  // namespace dusky
