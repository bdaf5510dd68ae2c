#include "core/track/track_set.h"

#include <algorithm>

#include "core/base/numbers.h"

namespace dusky {

std::string_view describe(StopReason reason) {
  switch (reason) {
    case StopReason::EndOfFootage: return "reaches the end of the range";
    case StopReason::LeftPicture: return "left the picture";
    case StopReason::Lost: return "no longer looked like itself";
    case StopReason::Drifted: return "forward and backward disagreed";
    case StopReason::Masked: return "went behind a mask";
    case StopReason::Ambiguous: return "could slide along an edge";
  }
  return "";
}

std::string_view describe(FeatureSize size) {
  switch (size) {
    case FeatureSize::Fine: return "fine";
    case FeatureSize::Medium: return "medium";
    case FeatureSize::Coarse: return "coarse";
  }
  return "";
}

const Observation* Track::at(int frame) const {
  const auto found = std::lower_bound(observations.begin(), observations.end(), frame, [](const Observation& o, int f) { return o.frame < f; });
  return found != observations.end() && found->frame == frame ? &*found : nullptr;
}

int TrackSet::cellOf(const Vec2& place) const {
  const int column = std::clamp(static_cast<int>(place.x() * kCellColumns / std::max(1, width)), 0, kCellColumns - 1);
  const int row = std::clamp(static_cast<int>(place.y() * kCellRows / std::max(1, height)), 0, kCellRows - 1);
  return row * kCellColumns + column;
}

int TrackSet::indexOf(int frame) const {
  if (used_frames.empty()) return frame >= first_frame && frame <= last_frame ? frame - first_frame : -1;
  const auto found = std::lower_bound(used_frames.begin(), used_frames.end(), frame);
  return found != used_frames.end() && *found == frame ? static_cast<int>(found - used_frames.begin()) : -1;
}

const Track* TrackSet::find(int id) const {
  const auto found = std::lower_bound(tracks.begin(), tracks.end(), id, [](const Track& t, int i) { return t.id < i; });
  return found != tracks.end() && found->id == id ? &*found : nullptr;
}

double TrackSet::medianLife() const {
  if (tracks.empty()) return 0;
  std::vector<double> lives;
  for (const Track& track : tracks) lives.push_back(track.life());
  return median(std::move(lives));
}

}  // namespace dusky
