#pragma once
#include <optional>
#include <utility>

#include "core/geometry/pose.h"
#include "core/knowledge/knowledge.h"
#include "core/knowledge/placement.h"

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
  struct Set {
    KnownSet set;  ///< Without tracks.
    MembersRef members;
  };
  struct Length {
    MemberRef from, to;
    KnownDistance distance;  ///< Without tracks.
  };
  struct PlaneLength {
    MemberRef from;
    KnownPlaneDistance distance;  ///< Without its track.
  };
  using Pairs = std::vector<std::pair<MemberRef, MemberRef>>;
  struct Equal {
    Pairs pairs;
    KnownEqual equal;  ///< Without pairs.
  };
  struct Mirror {
    Pairs pairs;
    KnownMirror mirror;  ///< Without pairs.
  };
  struct Survey {
    SurveyPoint point;  ///< Without its track.
    MemberRef member;
  };
  std::vector<Set> sets;
  std::vector<KnownRelation> relations;
  std::vector<Length> lengths;
  std::vector<PlaneLength> plane_lengths;
  std::vector<Equal> equals;
  std::vector<Mirror> mirrors;
  std::vector<Survey> survey;
  std::vector<KnownCamera> camera;
  std::optional<MembersRef> ground;
  std::optional<MemberRef> origin;
  std::optional<std::pair<MemberRef, MemberRef>> x_axis;
  std::optional<CameraHeight> camera_height;
  std::optional<SceneMove> move;  ///< In a file read, as all numbers: with Y up.
  std::optional<UpAxis> up;       ///< What the file's numbers call up.
};

/// Reads a file of the format "dusky-moth-knowledge", version 1. Errors: Unreadable where it is none; InvalidInput naming a statement that is wrong.
Result<KnowledgeFile> knowledgeFromJson(const std::string& text);

/// Reads a survey as CSV: name,x,y,z and, where it is known, one sigma or three; a first line of names may stand above, and a line "# unit: mm" (or cm, m, ft,
/// in) says what the numbers are, metres else; "# up: z" that Z is up in them. Each point is the track of its name. Errors: Unreadable naming the line;
/// InvalidInput: no points.
Result<KnowledgeFile> surveyFromCsv(const std::string& text);

/// Writes such a file.
std::string knowledgeToJson(const KnowledgeFile& file);

/// A file that names tracks by their ids alone, and the knowledge of such a file. Errors: InvalidInput where a member is named in another way.
KnowledgeFile fileById(const Knowledge& knowledge);
Result<Knowledge> knowledgeById(const KnowledgeFile& file);

}  // namespace dusky
