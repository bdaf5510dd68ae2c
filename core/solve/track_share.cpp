#include "core/solve/track_share.h"

#include <algorithm>
#include <numeric>

#include "core/base/parallel.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

constexpr int kColumns = 8, kRows = 6;  // cells of the picture
constexpr double kUneven = 1.5;         // of an even share that one cell may take: texture is nowhere even

/// How many tracks of the share each cell of each frame has.
class Cover {
 public:
  Cover(const Reconstruction& work, int per_frame)
      : width_(work.lens().width),
        height_(work.lens().height),
        most_(std::max(1, static_cast<int>(kUneven * per_frame / (kColumns * kRows)))),
        taken_(work.poses.size() * kColumns * kRows, 0) {}

  /// Observations of a track that lie where the share is thin.
  int wanted(const WorkTrack& track) const {
    return static_cast<int>(
        std::count_if(track.observations.begin(), track.observations.end(), [&](const WorkObservation& o) { return taken_[cellOf(o)] < most_; }));
  }
  void take(const WorkTrack& track) {
    for (const WorkObservation& o : track.observations) ++taken_[cellOf(o)];
  }

 private:
  std::size_t cellOf(const WorkObservation& o) const {
    const int column = std::clamp(static_cast<int>(o.seen.x() / width_ * kColumns), 0, kColumns - 1);
    const int row = std::clamp(static_cast<int>(o.seen.y() / height_ * kRows), 0, kRows - 1);
    return (static_cast<std::size_t>(o.frame_index) * kRows + static_cast<std::size_t>(row)) * kColumns + static_cast<std::size_t>(column);
  }
  const double width_, height_;
  const int most_;
  std::vector<int> taken_;
};

/// Tracks that may take part, those with a place first, then by life.
std::vector<std::size_t> candidates(const Reconstruction& work) {
  std::vector<std::size_t> order;
  for (std::size_t t = 0; t < work.tracks.size(); ++t) {
    if (!work.tracks[t].holdout && !work.tracks[t].by_artist) order.push_back(t);
  }
  const auto rank = [&](std::size_t t) { return std::pair(!work.tracks[t].point, -static_cast<int>(work.tracks[t].observations.size())); };
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return rank(a) < rank(b); });
  return order;
}

void placeAnew(const Reconstruction& work, const Views& views, WorkTrack& track, double far_rad, bool only_used) {
  const auto placed = placeNearOrFar(work, views, track, only_used, far_rad);
  track.point = placed ? std::optional(placed->point) : std::nullopt;
  track.reason = placed ? AsideReason::None : AsideReason::NoParallax;
}

}  // namespace

void restTracks(Reconstruction& work, int per_frame) {
  constexpr double kWorthwhile = 0.7;  // of the sightings: a share that is nearly all saves nothing
  std::size_t all = 0, kept = 0;
  Cover cover(work, per_frame);
  for (const std::size_t t : candidates(work)) {
    WorkTrack& track = work.tracks[t];
    const auto life = track.observations.size();
    all += life;
    track.resting = 2 * static_cast<std::size_t>(cover.wanted(track)) < life;
    if (track.resting) continue;
    kept += life;
    cover.take(track);
  }
  if (static_cast<double>(kept) < kWorthwhile * static_cast<double>(all)) return;
  for (WorkTrack& track : work.tracks) track.resting = false;
}

void wakeTracks(SolveState& state) {
  Reconstruction& work = state.work;
  std::vector<std::size_t> woken;
  for (std::size_t t = 0; t < work.tracks.size(); ++t) {
    if (work.tracks[t].resting) woken.push_back(t);
  }
  if (woken.empty()) return;
  const double far_rad = farLimit(state), tolerance_px = std::isnan(state.tolerance_px) ? kRoughLimits.tolerance_px : state.tolerance_px;
  const Views views(work);
  parallelFor(
      static_cast<int>(woken.size()),
      [&](int i) {
        WorkTrack& track = work.tracks[woken[static_cast<std::size_t>(i)]];
        track.resting = false;
        for (WorkObservation& o : track.observations) o.used = !o.barred;
        placeAnew(work, views, track, far_rad, false);
        // The bad frames of a good track pull its first place away: narrower by and by.
        for (const double limit : {kRoughLimits.tolerance_px, 2 * tolerance_px, tolerance_px}) {
          if (!track.point) return;
          track.reason = sortOutTrack(work, views, track, {.tolerance_px = std::max(limit, tolerance_px)});
          if (track.reason != AsideReason::None) return;
          const bool all_fit = std::all_of(track.observations.begin(), track.observations.end(), [](const WorkObservation& o) { return o.used; });
          if (limit > tolerance_px && !all_fit) placeAnew(work, views, track, far_rad, true);
        }
      },
      16);
}

SolveState sampleOf(SolveState state, int frames, int tracks_in_frame, bool neighbours) {
  state.work = neighbours ? turningRun(state.work, frames) : thinnedFrames(state.work, frames);
  restTracks(state.work, tracks_in_frame);
  tieZoom(state);
  return state;
}
}  // namespace dusky
