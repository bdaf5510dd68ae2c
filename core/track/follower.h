#pragma once
#include <optional>
#include <vector>

#include "core/mask/frame_masks.h"
#include "core/track/follow_features.h"
#include "core/track/frame_reader.h"
#include "core/track/reference.h"
#include "core/track/rejoin.h"

namespace dusky {

/// A track while it grows.
struct Growing {
  Track track;
  std::vector<Observation> earlier;  ///< Found on the way back, newest first.

  /// The track in order of time, with what was found on the way back.
  Track whole() const;
  bool has(int frame) const;
};

/// Carries features from frame to frame, in either direction of time.
/// Each step: aligned with the reference from where its motion so far leads; searched for over the pyramid when that does not look
/// right; followed back to the frame before; stopped with a reason when it fails.
class Follower {
 public:
  enum class Direction { Forward, Backward };
  Follower(const FollowOptions& options, Direction direction, std::vector<Growing>& tracks) : options_(options), direction_(direction), tracks_(tracks) {}

  /// Carries all that live from one frame to the next.
  void advance(const PreparedFrame& before, const PreparedFrame& now, const LeftOut& left_out);
  /// Lets a track live from here on; `velocity` in px per frame. False where its piece of picture cannot be used.
  bool add(std::size_t track, const PreparedFrame& now, const Eigen::Vector2f& velocity);
  /// How those that ended looked near their end.
  const std::vector<Appearance>& looks() const { return looks_; }
  /// How those looked that were born too near to the edge to be recognised there, some frames later.
  const std::vector<Appearance>& earlyLooks() const { return early_looks_; }
  std::size_t livingCount() const { return living_.size(); }
  /// Places of all that live.
  std::vector<Vec2> places() const;
  /// Velocity of the living feature nearest to a place; 0 when there is none.
  Eigen::Vector2f velocityNear(const Vec2& place) const;

 private:
  struct Living {
    std::size_t track = 0;
    FeatureSize size = FeatureSize::Medium;
    Eigen::Vector2f position, velocity = Eigen::Vector2f::Zero();  ///< Full-size px, px per frame.
    Reference reference;                                           ///< As it was when found (or last renewed).
    Eigen::Matrix2f shape = Eigen::Matrix2f::Identity();           ///< Reference to now.
    double sharpness = 0;                                          ///< Of the frame it was cut from.
    std::optional<Appearance> looks;                               ///< Taken while it nears the picture's edge.
    bool born_at_edge = false;
    std::optional<StopReason> stop;
  };
  std::vector<Observation>& observationsOf(const Living& one);
  std::optional<Appearance> lookAt(const PreparedFrame& frame, const Living& one) const;
  void goOn(const PreparedFrame& now, const Living& one);
  void finish(const PreparedFrame& before, Living& one);
  void rememberNearEdge(const PreparedFrame& now, Living& one) const;
  static void fetch(const PreparedFrame& now, const Living& one);
  void step(const PreparedFrame& before, const PreparedFrame& now, const LeftOut& left_out, Living& one) const;
  std::optional<ReferenceMatch> find(const PreparedFrame& before, const PreparedFrame& now, Living& one) const;
  bool returns(const PreparedFrame& before, const PreparedFrame& now, const Living& one, const Eigen::Vector2f& found) const;
  double softness(const PreparedFrame& now, const Living& one) const;
  void renewWhenWornOut(const PreparedFrame& now, Living& one) const;

  const FollowOptions& options_;
  const Direction direction_;
  std::vector<Growing>& tracks_;
  std::vector<Living> living_;
  std::vector<Appearance> looks_, early_looks_;
};
}  // namespace dusky
