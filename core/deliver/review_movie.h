#pragma once
#include <filesystem>

#include "core/deliver/delivery_options.h"
#include "core/image/frame_source.h"
#include "core/review/verdict.h"
#include "core/scene/test_object.h"
#include "core/track/track_set.h"

namespace dusky {

/// What it is made of.
struct ReviewInput {
  const FootageInfo& footage;
  const Solution& solution;
  const SceneFrame& scene;
  const TrackSet& tracks;
  const std::vector<TestObject>& objects;
  std::string shot;                          ///< Its name, for the notes.
  std::vector<PictureOffset> pictures = {};  ///< That dense points told of its keyframes.
};

/// A frame of it, made of the footage's picture; empty `plate`: the footage has none there, it is dark.
Picture reviewFrame(const ReviewInput& input, const ReviewOptions& options, const Picture& plate, int frame);

/// Writes the movie (H.264), whole or not at all. Errors: InvalidInput: no such frames, an option out of range; what reading the footage says; CannotWrite;
/// Cancelled.
Status writeReview(FrameSource& source, const ReviewInput& input, const ReviewOptions& options, const std::filesystem::path& path, const Progress& progress);

}  // namespace dusky
