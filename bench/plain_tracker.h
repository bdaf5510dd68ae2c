#pragma once
#include "core/image/frame_source.h"
#include "core/track/track_set.h"

namespace dusky::bench {

/// The yardstick: features of the first frame followed from frame to frame only (21x21 shift, 3 levels), kept while the way back returns
/// within half a pixel. No reference is held, so small errors add up.
/// Sources: Lucas and Kanade, IJCAI 1981; pyramids: Bouguet, 2000; forward and backward: Kalal, Mikolajczyk and Matas, ICPR 2010.
TrackSetPtr followPlainly(FrameSource& source, int features);

}  // namespace dusky::bench
