#pragma once
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/knowledge/knowledge.h"
#include "core/scene/scene.h"
#include "core/scene/test_object.h"
#include "core/solve/solve_options.h"

namespace dusky {

/// What the artist said about single tracks. All of it is by number, so it speaks of the tracks under `key` alone; on others it has to be
/// carried over (renumbered, carryPicks).
struct Picks {
  std::string key;                   ///< Of the followed tracks that the numbers mean; empty: whatever tracks there are.
  int frame_offset = 0;              ///< Of the footage when they were picked: places are compared in the same pictures.
  std::vector<int> set_aside;        ///< Track ids taken out by hand, ascending.
  std::vector<int> pinned;           ///< Track ids protected from pruning, ascending.
  std::vector<TrackWeight> weights;  ///< Of tracks that count more or less than others, ascending by track.
  std::vector<TrackFrame> dropped;   ///< Single sightings taken out of tracks that stay, ascending.
  SceneSettings scene;
  std::vector<TestObject> objects;
  Knowledge knowledge;  ///< What is known of the set; the solve takes it in.
  bool operator==(const Picks&) const = default;

  /// Every track that is spoken of, ascending.
  std::vector<int> tracks() const;
};

/// The picks with other numbers. What has none (nothing) is dropped: a line or a length with both of its ends.
Picks renumbered(const Picks& picks, const std::function<std::optional<int>(int)>& number);

}  // namespace dusky
