#pragma once
#include <cstdint>
#include <limits>
#include <memory>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/geometry/pose.h"
#include "core/image/plane.h"

namespace dusky {

/// Where a feature was in one frame; pixels at the footage's full resolution.
struct Observation {
  int frame = 0;
  Vec2 position = Vec2::Zero();
  bool operator==(const Observation&) const = default;
};

/// Why a track ends where it ends (or, looking back in time, begins where it begins).
enum class StopReason : std::uint8_t { EndOfFootage, LeftPicture, Lost, Drifted, Masked, Ambiguous };
std::string_view describe(StopReason reason);

/// How large a piece of picture makes a feature.
enum class FeatureSize : std::uint8_t { Fine, Medium, Coarse };
std::string_view describe(FeatureSize size);

/// Where a track comes from.
enum class TrackKind : std::uint8_t { Followed, CutOff, ByHand, Imported };

inline constexpr int kFromFirst = std::numeric_limits<int>::min();

/// One feature through time, observations in order of frames.
struct Track {
  int id = 0;
  Rgb color;  ///< Of the picture where it was found.
  StopReason stop = StopReason::EndOfFootage;
  StopReason start = StopReason::EndOfFootage;
  int born_frame = kFromFirst;  ///< Where it was found; it grew both ways from there.
  FeatureSize size = FeatureSize::Medium;
  TrackKind kind = TrackKind::Followed;
  std::vector<Observation> observations;

  int life() const { return static_cast<int>(observations.size()); }
  int born() const { return born_frame == kFromFirst ? firstFrame() : born_frame; }
  int firstFrame() const { return observations.front().frame; }
  int lastFrame() const { return observations.back().frame; }
  /// The observation in a frame, or nullptr.
  const Observation* at(int frame) const;
  bool operator==(const Track&) const = default;
};

struct TrackSummary {
  Termination termination = Termination::NotRun;
  int frames = -1;                                                          ///< Read.
  int found = -1;                                                           ///< Features born.
  int rejoined = -1;                                                        ///< Joined again after they were hidden or had left.
  int too_short = -1;                                                       ///< Of those, dropped for their short life.
  double decode_s = kUnknown, track_s = kUnknown, total_s = kUnknown;       ///< Busy time of each side; wall time.
  double detect_s = kUnknown, forward_s = kUnknown, backward_s = kUnknown;  ///< Parts of track_s.
  std::vector<std::string> warnings;
};

/// All tracks of a shot. A value: made once, shared, never changed.
struct TrackSet {
  int width = 0, height = 0;
  int first_frame = 1, last_frame = 1;  ///< Range, both included.
  std::vector<int> used_frames;         ///< Frames that were looked at, ascending; empty: all of the range.
  std::vector<Track> tracks;            ///< By id, ascending.
  /// Frames x cells (kCellRows x kCellColumns, row by row): not 0 where the detector found nothing to track; empty: not known.
  std::vector<std::uint8_t> textureless;
  static constexpr int kCellColumns = 8, kCellRows = 6;
  TrackSummary summary;

  /// Frames looked at: those that a camera is wanted for.
  int frames() const { return used_frames.empty() ? last_frame - first_frame + 1 : static_cast<int>(used_frames.size()); }
  int frameAt(int index) const { return used_frames.empty() ? first_frame + index : used_frames[static_cast<std::size_t>(index)]; }
  /// The cell of the picture that a place lies in.
  int cellOf(const Vec2& place) const;
  /// Index of a frame among those looked at, or -1.
  int indexOf(int frame) const;
  /// The track with this id, or nullptr.
  const Track* find(int id) const;
  double medianLife() const;
};

using TrackSetPtr = std::shared_ptr<const TrackSet>;

}  // namespace dusky
