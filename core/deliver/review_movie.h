#pragma once
#include <filesystem>

#include "core/image/frame_source.h"
#include "core/review/verdict.h"
#include "core/scene/test_object.h"
#include "core/track/track_set.h"

namespace dusky {

/// What a review movie shows over the plate.
struct ReviewOptions {
  bool objects = true;   ///< Test objects and their shadows.
  bool grid = false;     ///< The ground.
  bool points = false;   ///< Kept tracks where they were measured.
  bool whiskers = true;  ///< From there to where the solve sees them, coloured by the error.
  double whisker = 20;   ///< So many times enlarged, > 0.
  bool notes = true;     ///< Shot, frame, its error, and the verdict, burnt in.
  FrameRange frames;     ///< 0, 0: all that the solve speaks of.
  int height = 1080;     ///< px, at most; never more than the footage's.

  /// Errors: InvalidInput naming the number that is out of range.
  Status check() const;
};

/// What it is made of.
struct ReviewInput {
  const FootageInfo& footage;
  const Solution& solution;
  const SceneFrame& scene;
  const TrackSet& tracks;
  const std::vector<TestObject>& objects;
  std::string shot;  ///< Its name, for the notes.
};

/// A frame of it, made of the footage's picture; empty `plate`: the footage has none there, it is dark.
Picture reviewFrame(const ReviewInput& input, const ReviewOptions& options, const Picture& plate, int frame);

/// Writes the movie (H.264), whole or not at all. Errors: InvalidInput: no such frames, an option out of range; what reading the footage says; CannotWrite;
/// Cancelled.
Status writeReview(FrameSource& source, const ReviewInput& input, const ReviewOptions& options, const std::filesystem::path& path, const Progress& progress);

}  // namespace dusky
