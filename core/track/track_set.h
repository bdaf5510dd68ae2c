#pragma once
#include <cstdint>
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

/// Why a track ends where it ends.
enum class StopReason : std::uint8_t { EndOfFootage, LeftPicture, Lost, Drifted };
std::string_view describe(StopReason reason);

/// One feature through time, observations in order of frames.
struct Track {
  int id = 0;
  Rgb color;  ///< Of the picture where it was found.
  StopReason stop = StopReason::EndOfFootage;
  std::vector<Observation> observations;

  int life() const { return static_cast<int>(observations.size()); }
  int firstFrame() const { return observations.front().frame; }
  int lastFrame() const { return observations.back().frame; }
  /// The observation in a frame, or nullptr.
  const Observation* at(int frame) const;
  bool operator==(const Track&) const = default;
};

struct TrackSummary {
  Termination termination = Termination::NotRun;
  int frames = -1;                                                     ///< Read.
  int found = -1;                                                      ///< Features born.
  int too_short = -1;                                                  ///< Of those, dropped for their short life.
  double decode_s = kUnknown, track_s = kUnknown, total_s = kUnknown;  ///< Busy time of each side; wall time.
  std::vector<std::string> warnings;
};

/// All tracks of a shot. A value: made once, shared, never changed.
struct TrackSet {
  int width = 0, height = 0;
  int first_frame = 1, last_frame = 1;
  std::vector<Track> tracks;  ///< By id, ascending.
  TrackSummary summary;

  int frames() const { return last_frame - first_frame + 1; }
  /// The track with this id, or nullptr.
  const Track* find(int id) const;
  double medianLife() const;
};

}  // namespace dusky
