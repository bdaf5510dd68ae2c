#pragma once
#include "core/deliver/delivery.h"
#include "tests/support/shot_maker.h"

namespace dusky::testing {

/// A rendered shot with the solve that its truth is, ready to be delivered. What it hands out lives as long as it does.
class MadeDelivery {
 public:
  explicit MadeDelivery(ShotPlan plan);
  DeliveryInput input() const;
  const MadeShot& shot() const { return shot_; }
  const TrackSet& tracks() const { return tracks_; }

  Solution solution;
  SceneFrame scene;

 private:
  MadeShot shot_;
  FootageInfo footage_;
  TrackSet tracks_;
};

/// A small shot of few frames through a lens that bends, from frame 1001 on.
ShotPlan smallPlan(ShotKind kind = ShotKind::Free, int frames = 6);

/// 10 log10(1 / mean squared difference) of values from 0 to 1, within the middle: so many px are left out at the edges.
double likenessDb(const FloatPicture& a, const FloatPicture& b, int margin);

}  // namespace dusky::testing
