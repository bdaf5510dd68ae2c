#pragma once
#include <optional>
#include <utility>

#include "core/geometry/pose.h"
#include "core/knowledge/knowledge.h"

namespace dusky {

/// A track, named in a way that works on fresh tracks as well: by its id, its name, or the nearest one to a place in a frame.
struct MemberRef {
  std::optional<int> id;
  std::string name;
  int frame = 0;
  Vec2 at = Vec2::Zero();  ///< Footage px.
  double within_px = 6;
};

/// Several: each by itself, and all that are seen within outlines in a frame, but for some.
struct MembersRef {
  struct Region {
    int frame = 0;
    std::vector<Vec2> polygon;  ///< Footage px, three corners or more.
  };
  std::vector<MemberRef> members, minus;
  std::vector<Region> regions;
};

/// What a knowledge file says, its tracks still to be looked up (core/scene/knowledge_members.h).
struct KnowledgeFile {
  struct Plane {
    KnownPlane plane;  ///< Without tracks.
    MembersRef members;
  };
  struct Length {
    MemberRef from, to;
    double metres = 1;
  };
  std::vector<Plane> planes;
  std::vector<KnownAngle> angles;
  std::optional<Length> length;
  std::optional<MembersRef> ground;
  std::optional<MemberRef> origin;
  std::optional<std::pair<MemberRef, MemberRef>> x_axis;
};

/// Reads a file of the format "dusky-moth-knowledge", version 1. Errors: Unreadable where it is none; InvalidInput naming a statement that is wrong, or that
/// this version does not take.
Result<KnowledgeFile> knowledgeFromJson(const std::string& text);

}  // namespace dusky
