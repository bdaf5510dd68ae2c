#include "core/scene/knowledge_members.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace dusky {
namespace {

/// Whether a place lies within an outline; even and odd crossings.
bool inside(const std::vector<Vec2>& polygon, const Vec2& p) {
  bool in = false;
  for (std::size_t i = 0, k = polygon.size() - 1; i < polygon.size(); k = i++) {
    const Vec2 &a = polygon[i], &b = polygon[k];
    if ((a.y() > p.y()) != (b.y() > p.y()) && p.x() < a.x() + (b.x() - a.x()) * (p.y() - a.y()) / (b.y() - a.y())) in = !in;
  }
  return in;
}

class Finder {
 public:
  Finder(const TrackSet& tracks, const Solution& solution, const std::function<std::string(int)>& name_of)
      : tracks_(tracks), solution_(solution), name_of_(name_of) {}

  Result<int> one(const MemberRef& ref, const std::string& statement) const {
    if (ref.id) {
      if (hasPlace(*ref.id)) return *ref.id;
      return invalidInput(fmt::format("{}: track {} {}.", statement, *ref.id, tracks_.find(*ref.id) ? "has no place in the solve" : "is not there"));
    }
    return ref.name.empty() ? nearest(ref, statement) : named(ref.name, statement);
  }

  Result<std::vector<int>> all(const MembersRef& ref, const std::string& statement) const {
    std::set<int> ids;
    for (const MemberRef& member : ref.members) {
      const auto id = one(member, statement);
      if (!id.ok()) return id.error();
      ids.insert(*id);
    }
    for (const MembersRef::Region& region : ref.regions) {
      for (const Track& track : tracks_.tracks) {
        const Observation* seen = track.at(region.frame);
        if (seen && hasPlace(track.id) && inside(region.polygon, seen->position)) ids.insert(track.id);
      }
    }
    for (const MemberRef& member : ref.minus) {
      const auto id = one(member, statement);
      if (!id.ok()) return id.error();
      ids.erase(*id);
    }
    return std::vector<int>(ids.begin(), ids.end());
  }

 private:
  bool hasPlace(int id) const {
    const SolvedTrack* track = solution_.find(id);
    return track && track->hasPlace();
  }

  Result<int> named(const std::string& name, const std::string& statement) const {
    for (const Track& track : tracks_.tracks) {
      if (name_of_(track.id) == name) return one({.id = track.id}, statement);
    }
    return invalidInput(fmt::format("{}: there is no track \"{}\".", statement, name));
  }

  Result<int> nearest(const MemberRef& ref, const std::string& statement) const {
    double reach = ref.within_px;
    int found = 0;
    for (const Track& track : tracks_.tracks) {
      const Observation* seen = hasPlace(track.id) ? track.at(ref.frame) : nullptr;
      const double away = seen ? (seen->position - ref.at).norm() : reach;
      if (away < reach) reach = away, found = track.id;
    }
    if (found != 0) return found;
    return invalidInput(fmt::format("{}: no track with a place lies within {:g} px of {:.0f}, {:.0f} in frame {}.", statement, ref.within_px, ref.at.x(),
                                    ref.at.y(), ref.frame));
  }

  const TrackSet& tracks_;
  const Solution& solution_;
  const std::function<std::string(int)>& name_of_;
};

Status findSets(const KnowledgeFile& file, const Finder& finder, Knowledge& knowledge) {
  for (const KnowledgeFile::Set& asked : file.sets) {
    KnownSet set = asked.set;
    const std::string who = fmt::format("{} \"{}\"", set.kind == SetKind::Line ? "Line" : "Plane", set.name);
    auto members = finder.all(asked.members, who);
    if (!members.ok()) return members.error();
    set.tracks = std::move(*members);
    if (set.tracks.size() < set.leastTracks())
      return invalidInput(fmt::format("{} has {} tracks with a place; it needs {} or more.", who, set.tracks.size(), set.leastTracks() == 2 ? "two" : "three"));
    knowledge.sets.push_back(std::move(set));
  }
  return Done{};
}

Status findSurvey(const KnowledgeFile& file, const Finder& finder, Knowledge& knowledge) {
  for (const KnowledgeFile::Survey& asked : file.survey) {
    SurveyPoint point = asked.point;
    const auto track = finder.one(asked.member, fmt::format("Survey point \"{}\"", point.name));
    if (!track.ok()) return track.error();
    point.track = *track;
    knowledge.survey.push_back(std::move(point));
  }
  return Done{};
}

Status findPairs(const KnowledgeFile::Pairs& members, const Finder& finder, const std::string& who, std::vector<TrackPair>& pairs) {
  for (const auto& [first, second] : members) {
    const auto from = finder.one(first, who), to = finder.one(second, who);
    if (!from.ok() || !to.ok()) return from.ok() ? to.error() : from.error();
    pairs.push_back({*from, *to});
  }
  return Done{};
}

Status findEqualAndMirrored(const KnowledgeFile& file, const Finder& finder, Knowledge& knowledge) {
  for (const KnowledgeFile::Equal& asked : file.equals) {
    KnownEqual equal = asked.equal;
    if (const Status fine = findPairs(asked.pairs, finder, "Equal distances", equal.pairs); !fine.ok()) return fine;
    knowledge.equals.push_back(std::move(equal));
  }
  for (const KnowledgeFile::Mirror& asked : file.mirrors) {
    KnownMirror mirror = asked.mirror;
    if (const Status fine = findPairs(asked.pairs, finder, "Mirrored pairs", mirror.pairs); !fine.ok()) return fine;
    knowledge.mirrors.push_back(std::move(mirror));
  }
  return Done{};
}

Status findPlaneLengths(const KnowledgeFile& file, const Finder& finder, Knowledge& knowledge) {
  for (const KnowledgeFile::PlaneLength& asked : file.plane_lengths) {
    const auto track = finder.one(asked.from, fmt::format("The distance from \"{}\"", asked.distance.plane));
    if (!track.ok()) return track.error();
    knowledge.plane_distances.push_back(asked.distance);
    knowledge.plane_distances.back().track = *track;
  }
  return Done{};
}

/// One that is exact sets the scene's scale; several shape the solve.
Status findLengths(const KnowledgeFile& file, const Finder& finder, FoundKnowledge& found) {
  for (const KnowledgeFile::Length& asked : file.lengths) {
    const auto from = finder.one(asked.from, "A known distance"), to = finder.one(asked.to, "A known distance");
    if (!from.ok() || !to.ok()) return from.ok() ? to.error() : from.error();
    KnownDistance distance = asked.distance;
    distance.from = *from, distance.to = *to;
    found.knowledge.distances.push_back(distance);
  }
  const auto& distances = found.knowledge.distances;
  if (distances.size() != 1 || !distances.front().on) return Done{};
  found.scene.length = KnownLength{distances.front().from, distances.front().to, distances.front().metres};
  found.knowledge.distances.clear();
  return Done{};
}

Status findScene(const KnowledgeFile& file, const Finder& finder, SceneSettings& scene) {
  if (file.ground) {
    auto ground = finder.all(*file.ground, "The ground");
    if (!ground.ok()) return ground.error();
    if (ground->size() < 3) return invalidInput(fmt::format("The ground has {} tracks with a place; it needs three or more.", ground->size()));
    scene.ground = std::move(*ground);
  }
  if (file.origin) {
    const auto origin = finder.one(*file.origin, "The origin");
    if (!origin.ok()) return origin.error();
    scene.origin = *origin;
  }
  if (file.x_axis) {
    const auto from = finder.one(file.x_axis->first, "The X axis"), to = finder.one(file.x_axis->second, "The X axis");
    if (!from.ok() || !to.ok()) return from.ok() ? to.error() : from.error();
    scene.direction = KnownDirection{*from, *to};
  }
  scene.height = file.camera_height;
  return Done{};
}

}  // namespace

Result<FoundKnowledge> findMembers(const KnowledgeFile& file, const TrackSet& tracks, const Solution& solution, const std::function<std::string(int)>& nameOf) {
  const Finder finder(tracks, solution, nameOf);
  FoundKnowledge found;
  if (const Status fine = findSets(file, finder, found.knowledge); !fine.ok()) return fine.error();
  if (const Status fine = findSurvey(file, finder, found.knowledge); !fine.ok()) return fine.error();
  if (const Status fine = findLengths(file, finder, found); !fine.ok()) return fine.error();
  if (const Status fine = findPlaneLengths(file, finder, found.knowledge); !fine.ok()) return fine.error();
  if (const Status fine = findEqualAndMirrored(file, finder, found.knowledge); !fine.ok()) return fine.error();
  found.knowledge.relations = file.relations, found.knowledge.camera = file.camera;
  found.move = file.move, found.up = file.up;
  if (const Status fine = found.knowledge.check(); !fine.ok()) return fine.error();
  if (const Status scene = findScene(file, finder, found.scene); !scene.ok()) return scene.error();
  return found;
}

}  // namespace dusky
