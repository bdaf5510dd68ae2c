#include "core/review/movers.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/numbers.h"
#include "core/solve/solve_shot.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

constexpr int kFewestFrames = 5;   // that a track of a group lives
constexpr int kFewestInFrame = 8;  // tracks: fewer fit any motion
constexpr std::size_t kFewestTracks = 12;
constexpr double kFitsAsWell = 1.2;  // the group's RMS over the solve's, at most
constexpr std::size_t kMostMovers = 4;

/// Sightings as a lens without distortion and of one focal length would show them.
class Straightener {
 public:
  explicit Straightener(const Solution& solution) {
    const SolvedFrame& middle = solution.frames[solution.frames.size() / 2];
    const Lens lens = solution.lensAt(middle);
    plain_ = Lens::simple(lens.width, lens.height, lens.focal_px, LensModel::None);
    for (const SolvedFrame& frame : solution.frames) {
      if (frame.placed) lens_of_[frame.frame] = solution.lensAt(frame);
    }
  }

  const Lens& plainLens() const { return plain_; }

  Track straight(const Track& track) const {
    Track out = track;
    out.observations.clear();
    for (const Observation& o : track.observations) {
      const auto lens = lens_of_.find(o.frame);
      const auto ray = lens != lens_of_.end() ? lens->second.ray(o.position) : std::nullopt;
      if (ray && ray->z() > 0) out.observations.push_back({o.frame, plain_.straightPixel(ray->hnormalized())});
    }
    return out;
  }

 private:
  Lens plain_;
  std::map<int, Lens> lens_of_;
};

/// The longest run of frames in which enough of the tracks are seen.
std::optional<std::pair<int, int>> busiestRun(const std::vector<Track>& tracks, int first, int last) {
  std::vector<int> seen(static_cast<std::size_t>(last - first + 1), 0);
  for (const Track& track : tracks) {
    for (const Observation& o : track.observations) ++seen[static_cast<std::size_t>(o.frame - first)];
  }
  std::optional<std::pair<int, int>> best;
  for (int begin = first; begin <= last; ++begin) {
    int end = begin;
    while (end <= last && seen[static_cast<std::size_t>(end - first)] >= kFewestInFrame) ++end;
    if (end - begin >= kFewestFrames && (!best || end - begin > best->second - best->first + 1)) best = {begin, end - 1};
    begin = end;
  }
  return best;
}

class MoverSearch {
 public:
  MoverSearch(const TrackSet& tracks, const SolveOptions& options, const Solution& solution, const Reconstruction& settled, const Progress& progress)
      : tracks_(tracks), solution_(solution), settled_(settled), progress_(progress), straightener_(solution) {
    options_.known_lens = straightener_.plainLens();
    options_.focal = FocalKnowledge::Locked, options_.focal_px = straightener_.plainLens().focal_px;
    options_.readout = solution.readout, options_.auto_readout = false;
    options_.holdout_share = 0, options_.max_rounds = 2, options_.seed = options.seed;
  }

  std::vector<Mover> run() {
    std::vector<Track> left = candidates();
    std::vector<Mover> movers;
    while (movers.size() < kMostMovers && !progress_.stopRequested()) {
      auto mover = largestIn(left);
      if (!mover) break;
      std::erase_if(left, [&](const Track& track) { return std::binary_search(mover->tracks.begin(), mover->tracks.end(), track.id); });
      movers.push_back(std::move(*mover));
    }
    std::stable_sort(movers.begin(), movers.end(), [](const Mover& a, const Mover& b) { return a.tracks.size() > b.tracks.size(); });
    for (std::size_t i = 0; i < movers.size(); ++i) movers[i].name = fmt::format("Mover {}", static_cast<char>('A' + i));
    return movers;
  }

 private:
  /// What is set aside and lives long enough, but for what is only poor: tracks that are off, each in its way, and still show the set's motion.
  std::vector<Track> candidates() {
    constexpr double kOnlyPoor = 4;  // times the solve's RMS
    measureUnderTheSet();
    std::vector<Track> found;
    for (const auto& [id, off] : off_) {
      if (!(off > kOnlyPoor * solution_.rms_px)) continue;
      Track straight = straightener_.straight(*tracks_.find(id));
      if (straight.life() >= kFewestFrames) found.push_back(std::move(straight));
    }
    return found;
  }

  /// The median error of each track that is set aside, where the set's camera places it best.
  void measureUnderTheSet() {
    const Views views(settled_);
    const double far_rad = solution_.motion == MotionKind::Nodal ? 10 : 1e-6;
    for (std::size_t t = 0; t < settled_.tracks.size(); ++t) {
      const SolvedTrack& solved = solution_.tracks[t];
      if (solved.state == TrackState::Kept || solved.reason == AsideReason::ByArtist || solved.life < kFewestFrames) continue;
      WorkTrack track = settled_.tracks[t];
      track.point.reset();
      const auto placed = placeNearOrFar(settled_, views, track, false, far_rad);
      if (!placed) continue;
      track.point = placed->point;
      std::vector<double> errors;
      for (const WorkObservation& o : track.observations) {
        if (settled_.poses[static_cast<std::size_t>(o.frame_index)]) errors.push_back(views.error(track, o));
      }
      off_[track.id] = median(std::move(errors));
    }
  }

  std::optional<Mover> largestIn(const std::vector<Track>& left) const {
    if (left.size() < 16) return std::nullopt;
    const auto run = busiestRun(left, tracks_.first_frame, tracks_.last_frame);
    if (!run) return std::nullopt;
    TrackSet alone;
    alone.width = tracks_.width, alone.height = tracks_.height;
    alone.first_frame = run->first, alone.last_frame = run->second;
    for (Track track : left) {
      std::erase_if(track.observations, [&](const Observation& o) { return o.frame < run->first || o.frame > run->second; });
      if (track.life() >= kFewestFrames) alone.tracks.push_back(std::move(track));
    }
    const auto solved = solveShot(alone, options_, progress_.silent());
    return solved.ok() ? groupOf(**solved) : std::nullopt;
  }

  /// What the solve of the rest kept, if it is a group: it fits to the noise, in enough frames by enough tracks.
  std::optional<Mover> groupOf(const Solution& alone) const {
    if (!(alone.rms_px < kFitsAsWell * std::max(0.1, solution_.rms_px))) return std::nullopt;
    Mover mover{.name = {}, .rms_px = alone.rms_px};
    for (const SolvedTrack& track : alone.tracks) {
      if (track.state == TrackState::Kept) mover.tracks.push_back(track.id);
    }
    bool any = false;
    for (const SolvedFrame& frame : alone.frames) {
      if (!frame.placed || frame.tracks < kFewestInFrame) continue;
      mover.first = any ? mover.first : frame.frame, mover.last = frame.frame, any = true;
    }
    if (isOfTheSet(mover)) return std::nullopt;
    if (mover.tracks.size() < kFewestTracks || !any || mover.last - mover.first + 1 < kFewestFrames) return std::nullopt;
    mover.kept_share = static_cast<double>(mover.tracks.size()) / std::max(1, keptIn(mover.first, mover.last));
    return mover;
  }

  /// Whether the group goes with the set after all.
  bool isOfTheSet(const Mover& mover) const {
    constexpr double kClearlyOff = 4;  // times the errors under its own motion
    std::vector<double> off;
    for (const int id : mover.tracks) off.push_back(off_.at(id));
    return !(median(std::move(off)) > kClearlyOff * mover.rms_px);
  }

  int keptIn(int first, int last) const {
    return static_cast<int>(std::count_if(solution_.tracks.begin(), solution_.tracks.end(), [&](const SolvedTrack& track) {
      return track.state == TrackState::Kept && !track.errors.empty() && track.errors.front().frame <= last && track.errors.back().frame >= first;
    }));
  }

  const TrackSet& tracks_;
  const Solution& solution_;
  const Reconstruction& settled_;
  const Progress& progress_;
  const Straightener straightener_;
  SolveOptions options_;
  std::map<int, double> off_;  ///< By track: how far it is off under the set's camera, px.
};

}  // namespace

std::vector<Mover> findMovers(const TrackSet& tracks, const SolveOptions& options, const Solution& solution, const Reconstruction& settled,
                              const Progress& progress) {
  return MoverSearch(tracks, options, solution, settled, progress).run();
}

}  // namespace dusky
