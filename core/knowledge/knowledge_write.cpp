// Knowledge files written, and tracks by their ids.
#include "core/base/json_text.h"
#include "core/knowledge/knowledge_file.h"
#include "core/knowledge/knowledge_turn.h"

namespace dusky {
namespace {

using Json = nlohmann::json;

Json vectorJson(const Vec3& v) { return {v.x(), v.y(), v.z()}; }

Json memberJson(const MemberRef& member) {
  if (member.id) return {{"id", *member.id}};
  if (!member.name.empty()) return {{"name", member.name}};
  return {{"frame", member.frame}, {"at", {member.at.x(), member.at.y()}}, {"within_px", member.within_px}};
}

Json listJson(const std::vector<MemberRef>& members) {
  Json list = Json::array();
  for (const MemberRef& member : members) list.push_back(memberJson(member));
  return list;
}

Json membersJson(const MembersRef& members) {
  if (members.regions.empty()) return listJson(members.members);
  Json regions = Json::array();
  for (const MembersRef::Region& region : members.regions) {
    Json polygon = Json::array();
    for (const Vec2& corner : region.polygon) polygon.push_back({corner.x(), corner.y()});
    regions.push_back({{"frame", region.frame}, {"polygon", polygon}});
  }
  return {{"regions", regions}, {"minus", listJson(members.minus)}};
}

Json setJson(const KnowledgeFile::Set& all) {
  const KnownSet& set = all.set;
  Json json{{"name", set.name}, {"kind", describe(set.kind)}, {"orientation", describe(set.facing)}, {"sigma", set.sigma}, {"on", set.on}};
  if (set.facing == SetFacing::Given) json["normal"] = vectorJson(set.axis);
  if (set.offset) json["offset"] = *set.offset;
  json["members"] = membersJson(all.members);
  return json;
}

Json relationJson(const KnownRelation& relation) {
  Json json{{"a", relation.a}, {"b", relation.b}, {"sigma", relation.sigma}, {"on", relation.on}};
  if (relation.kind == RelationKind::Same) {
    json["kind"] = "same";
  } else if (relation.kind == RelationKind::Apart) {
    json["kind"] = "apart", json["value"] = relation.value;
  } else {
    json["kind"] = relation.value == 90 ? "square" : relation.value == 0 ? "parallel" : "angle";
    json["value"] = relation.value;
  }
  return json;
}

Json pairsJson(const KnowledgeFile::Pairs& pairs) {
  Json list = Json::array();
  for (const auto& [from, to] : pairs) list.push_back({memberJson(from), memberJson(to)});
  return list;
}

Json mirrorJson(const KnowledgeFile::Mirror& all) {
  Json json{{"pairs", pairsJson(all.pairs)}, {"sigma", all.mirror.sigma}, {"on", all.mirror.on}};
  if (!all.mirror.plane.empty()) json["plane"] = all.mirror.plane;
  return json;
}

KnowledgeFile::Pairs byId(const std::vector<TrackPair>& pairs) {
  KnowledgeFile::Pairs members;
  for (const TrackPair& pair : pairs) members.emplace_back(MemberRef{.id = pair.from}, MemberRef{.id = pair.to});
  return members;
}

Json cameraJson(const KnownCamera& camera) {
  Json json{{"kind", describe(camera.fact)}, {"first", camera.first}, {"last", camera.last}, {"sigma", camera.sigma}, {"on", camera.on}};
  if (camera.fact == CameraFact::Position) json["xyz"] = vectorJson(camera.at);
  if (camera.fact != CameraFact::Rotation) return json;
  const Mat3 rows = camera.rotation.toRotationMatrix();
  json["rotation"] = {vectorJson(rows.row(0)), vectorJson(rows.row(1)), vectorJson(rows.row(2))};
  return json;
}

MembersRef byId(const std::vector<int>& ids) {
  MembersRef members;
  for (const int id : ids) members.members.push_back({.id = id});
  return members;
}

}  // namespace

std::string knowledgeToJson(const KnowledgeFile& in_scene) {
  KnowledgeFile file = in_scene;
  if (file.up) turnNumbers(file, upAxisTurn(*file.up));
  Json json{{"format", "dusky-moth-knowledge"}, {"version", 1}};
  const auto put = [&json](const char* name, const auto& list, const auto& one) {
    for (const auto& statement : list) json[name].push_back(one(statement));
  };
  put("sets", file.sets, setJson);
  put("relations", file.relations, relationJson);
  put("lengths", file.lengths, [](const KnowledgeFile::Length& length) {
    return Json{{"from", memberJson(length.from)},
                {"to", memberJson(length.to)},
                {"metres", length.distance.metres},
                {"sigma", length.distance.sigma},
                {"on", length.distance.on}};
  });
  put("lengths", file.plane_lengths, [](const KnowledgeFile::PlaneLength& length) {
    const KnownPlaneDistance& d = length.distance;
    return Json{{"from", memberJson(length.from)}, {"plane", d.plane}, {"metres", d.metres}, {"sigma", d.sigma}, {"on", d.on}};
  });
  put("equal", file.equals, [](const KnowledgeFile::Equal& one) {
    return Json{{"pairs", pairsJson(one.pairs)}, {"sigma", one.equal.sigma}, {"on", one.equal.on}};
  });
  put("mirrored", file.mirrors, mirrorJson);
  put("survey", file.survey, [](const KnowledgeFile::Survey& survey) {
    return Json{{"name", survey.point.name},
                {"member", memberJson(survey.member)},
                {"xyz", vectorJson(survey.point.at)},
                {"sigma", vectorJson(survey.point.sigma)},
                {"on", survey.point.on}};
  });
  put("camera", file.camera, cameraJson);
  if (file.ground) json["ground"] = membersJson(*file.ground);
  if (file.origin) json["origin"] = memberJson(*file.origin);
  if (file.x_axis) json["x_axis"] = {memberJson(file.x_axis->first), memberJson(file.x_axis->second)};
  if (file.camera_height) json["camera_height"] = {{"frame", file.camera_height->frame}, {"metres", file.camera_height->metres}};
  if (file.move) {
    json["move"] = {{"shift", vectorJson(file.move->shift)},
                    {"turn_deg", vectorJson(file.move->turn_deg)},
                    {"scale", file.move->scale},
                    {"units", file.move->metres ? "metres" : "units"}};
  }
  if (file.up) json["up"] = *file.up == UpAxis::Z ? "z" : "y";
  return json.dump(1) + "\n";
}

KnowledgeFile fileById(const Knowledge& knowledge) {
  KnowledgeFile file;
  for (const KnownSet& set : knowledge.sets) file.sets.push_back({set, byId(set.tracks)});
  for (const KnownDistance& distance : knowledge.distances) file.lengths.push_back({{.id = distance.from}, {.id = distance.to}, distance});
  for (const KnownPlaneDistance& distance : knowledge.plane_distances) {
    KnowledgeFile::PlaneLength& length = file.plane_lengths.emplace_back();
    length.from.id = distance.track, length.distance = distance;
  }
  for (const KnownEqual& equal : knowledge.equals) file.equals.push_back({byId(equal.pairs), equal});
  for (const KnownMirror& mirror : knowledge.mirrors) file.mirrors.push_back({byId(mirror.pairs), mirror});
  for (const SurveyPoint& point : knowledge.survey) file.survey.push_back({point, {.id = point.track}});
  file.relations = knowledge.relations, file.camera = knowledge.camera;
  return file;
}

Result<Knowledge> knowledgeById(const KnowledgeFile& file) {
  Knowledge knowledge;
  bool all = true;
  const auto idOf = [&all](const MemberRef& member) {
    all = all && member.id;
    return member.id.value_or(0);
  };
  for (const KnowledgeFile::Set& one : file.sets) {
    KnownSet set = one.set;
    all = all && one.members.regions.empty();
    set.tracks.clear();
    for (const MemberRef& member : one.members.members) set.tracks.push_back(idOf(member));
    knowledge.sets.push_back(std::move(set));
  }
  for (const KnowledgeFile::Length& one : file.lengths) {
    KnownDistance distance = one.distance;
    distance.from = idOf(one.from), distance.to = idOf(one.to);
    knowledge.distances.push_back(distance);
  }
  const auto pairsOf = [&idOf](const KnowledgeFile::Pairs& members) {
    std::vector<TrackPair> pairs;
    for (const auto& [from, to] : members) pairs.push_back({idOf(from), idOf(to)});
    return pairs;
  };
  for (const KnowledgeFile::PlaneLength& one : file.plane_lengths) {
    knowledge.plane_distances.push_back(one.distance);
    knowledge.plane_distances.back().track = idOf(one.from);
  }
  for (const KnowledgeFile::Equal& one : file.equals) {
    knowledge.equals.push_back(one.equal);
    knowledge.equals.back().pairs = pairsOf(one.pairs);
  }
  for (const KnowledgeFile::Mirror& one : file.mirrors) {
    knowledge.mirrors.push_back(one.mirror);
    knowledge.mirrors.back().pairs = pairsOf(one.pairs);
  }
  for (const KnowledgeFile::Survey& one : file.survey) {
    SurveyPoint point = one.point;
    point.track = idOf(one.member);
    knowledge.survey.push_back(std::move(point));
  }
  knowledge.relations = file.relations, knowledge.camera = file.camera;
  if (!all) return invalidInput("A member is not named by its id.");
  return knowledge;
}

}  // namespace dusky
