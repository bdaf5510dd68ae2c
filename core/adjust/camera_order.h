#pragma once
#include <vector>

#include "core/adjust/bundle.h"

namespace dusky {

/// Where each camera goes in the reduced system, and how far each place reaches back.
struct CameraOrder {
  std::vector<int> place;  ///< By camera.
  std::vector<int> first;  ///< By place: the first place that it shares a track or a tie with, itself at most.
};

/// In the order of time, or, where tracks come back after a while (a loop, joined tracks) and that makes a narrower envelope, in the reverse
/// order of Cuthill and McKee, Proc. ACM 1969 (reversed: George, 1971).
CameraOrder orderCameras(const Bundle& bundle);

}  // namespace dusky
