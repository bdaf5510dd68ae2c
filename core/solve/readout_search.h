#pragma once
#include <string>

#include "core/track/track_set.h"

namespace dusky {

/// The tracks as a shutter that reads all rows at once would show them: every sighting moved along its track to when the middle row was read.
/// `readout`: of a rolling shutter, in frame intervals. To first order, whatever the camera does. Source: Forssen and Ringaby, "Rectifying rolling shutter
/// video from hand-held devices", CVPR 2010, for tracks instead of pictures.
TrackSet withoutRolling(const TrackSet& tracks, double readout);

/// A readout time as the tracks alone tell it.
struct ReadoutFound {
  double readout = 0;  ///< Frame intervals.
  double gain = 0;     ///< Share by which the noise floor is lower there than without.
  double sigmas = 0;   ///< That, in its standard deviations over the pairs of frames.
  bool clear() const;
};

/// Looks under which readout the pairs of near frames agree best with two-view geometry (noise_floor.h): no path, focal length or zoom can bend that. Nothing
/// clear where the camera hardly moves or turns, or where the noise hides it.
ReadoutFound findReadout(const TrackSet& tracks);

/// No camera reads a frame so fast that it would not show, nor so slowly that it would take longer than a frame.
bool isLikelyReadout(double readout);
/// The sentence that says so of a solve; begins with a space.
std::string whyRolling(double readout);

}  // namespace dusky
