#pragma once
#include <functional>

#include "core/knowledge/knowledge_file.h"
#include "core/scene/scene.h"
#include "core/track/track_set.h"

namespace dusky {

/// A knowledge file with its tracks found.
struct FoundKnowledge {
  Knowledge knowledge;
  SceneSettings scene;  ///< What of it places the world; what it does not speak of is empty. Without what follows:
  std::optional<SceneMove> move;
  std::optional<UpAxis> up;
};

/// Looks up what a knowledge file speaks of among tracks that have a place in a solve. `nameOf` gives the name of a track.
/// Errors: InvalidInput naming the statement and the member that is not there, or has no place; and as Knowledge::check().
Result<FoundKnowledge> findMembers(const KnowledgeFile& file, const TrackSet& tracks, const Solution& solution, const std::function<std::string(int)>& nameOf);

}  // namespace dusky
