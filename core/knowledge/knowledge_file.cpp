#include "core/knowledge/knowledge_file.h"

#include <fmt/format.h>

#include "core/base/json_text.h"

namespace dusky {
namespace {

using Json = nlohmann::json;

/// A statement that is wrong, or not taken yet: it goes out as it is.
struct Refused {
  std::string why;
};
[[noreturn]] void refuse(std::string why) { throw Refused{std::move(why)}; }

Vec2 placeFrom(const Json& json) {
  if (!json.is_array() || json.size() != 2) refuse("A place in a picture is two numbers: [x, y].");
  const Vec2 place(json.at(0).get<double>(), json.at(1).get<double>());
  if (!place.allFinite()) refuse("A place in a picture must be two numbers.");
  return place;
}

MemberRef memberFrom(const Json& json) {
  if (!json.is_object()) refuse("A member is {\"id\":12}, {\"name\":\"lamp\"} or {\"frame\":30,\"at\":[x,y]}.");
  MemberRef member;
  if (json.contains("id")) {
    member.id = json.at("id").get<int>();
  } else if (json.contains("name")) {
    member.name = json.at("name").get<std::string>();
  } else {
    member.frame = json.at("frame").get<int>(), member.at = placeFrom(json.at("at"));
    member.within_px = json.value("within_px", member.within_px);
    if (!(member.within_px > 0)) refuse("\"within_px\" of a member must be more than 0.");
  }
  return member;
}

std::vector<MemberRef> memberList(const Json& json) {
  if (!json.is_array()) refuse("Members are a list, or {\"regions\":[…]}.");
  std::vector<MemberRef> list;
  for (const Json& one : json) list.push_back(memberFrom(one));
  return list;
}

MembersRef membersFrom(const Json& json) {
  MembersRef members;
  if (json.is_array()) {
    members.members = memberList(json);
    return members;
  }
  if (!json.is_object() || !json.contains("regions")) refuse("Members are a list, or {\"regions\":[…]}.");
  for (const Json& one : json.at("regions")) {
    MembersRef::Region region{one.at("frame").get<int>(), {}};
    for (const Json& corner : one.at("polygon")) region.polygon.push_back(placeFrom(corner));
    if (region.polygon.size() < 3) refuse("A region's polygon needs three corners or more.");
    members.regions.push_back(std::move(region));
  }
  if (json.contains("minus")) members.minus = memberList(json.at("minus"));
  return members;
}

PlaneFacing facingFrom(const std::string& name, const std::string& plane) {
  if (name == "free") return PlaneFacing::Free;
  if (name == "level") return PlaneFacing::Level;
  if (name == "upright") return PlaneFacing::Upright;
  if (name == "given") refuse(fmt::format("Plane \"{}\": a given orientation is not taken yet. Use \"level\", \"upright\" or \"free\".", plane));
  refuse(fmt::format("Plane \"{}\": there is no orientation \"{}\".", plane, name));
}

KnowledgeFile::Plane planeFrom(const Json& json) {
  KnowledgeFile::Plane plane;
  plane.plane.name = json.at("name").get<std::string>();
  const auto kind = json.value("kind", std::string("plane"));
  if (kind == "line") refuse(fmt::format("\"{}\": lines are not taken yet, planes are.", plane.plane.name));
  if (kind != "plane") refuse(fmt::format("\"{}\": there is no set of the kind \"{}\".", plane.plane.name, kind));
  if (json.contains("offset") && !json.at("offset").is_null())
    refuse(fmt::format("Plane \"{}\": a given offset is not taken yet. Leave \"offset\" null.", plane.plane.name));
  plane.plane.facing = facingFrom(json.value("orientation", std::string("free")), plane.plane.name);
  plane.plane.sigma = json.value("sigma", 0.0);
  plane.plane.on = json.value("on", true);
  plane.members = membersFrom(json.at("members"));
  return plane;
}

KnownAngle angleFrom(const Json& json) {
  const auto kind = json.at("kind").get<std::string>();
  KnownAngle angle{json.at("a").get<std::string>(), json.at("b").get<std::string>(), 90, json.value("sigma", 0.0), json.value("on", true)};
  if (kind == "angle")
    angle.degrees = json.at("value").get<double>();
  else if (kind == "parallel")
    angle.degrees = 0;
  else if (kind == "same" || kind == "apart")
    refuse(fmt::format("\"{}\" and \"{}\": the relation \"{}\" is not taken yet. Square, parallel and angle are.", angle.a, angle.b, kind));
  else if (kind != "square")
    refuse(fmt::format("\"{}\" and \"{}\": there is no relation \"{}\".", angle.a, angle.b, kind));
  if (angle.degrees > 90 && angle.degrees <= 180) angle.degrees = 180 - angle.degrees;  // planes have no sides
  return angle;
}

void readScene(const Json& json, KnowledgeFile& file) {
  const Json lengths = json.value("lengths", Json::array());
  if (lengths.size() > 1) refuse("Several known distances are not taken yet: give one.");
  for (const Json& one : lengths) {
    file.length = {memberFrom(one.at("from")), memberFrom(one.at("to")), one.at("metres").get<double>()};
    if (!(file.length->metres > 0) || !std::isfinite(file.length->metres)) refuse("A known distance must be more than 0 m.");
  }
  if (json.contains("ground")) file.ground = membersFrom(json.at("ground"));
  if (json.contains("origin")) file.origin = memberFrom(json.at("origin"));
  if (!json.contains("x_axis")) return;
  const auto ends = memberList(json.at("x_axis"));
  if (ends.size() != 2) refuse("\"x_axis\" is two members: from the first to the second runs X.");
  file.x_axis = {ends[0], ends[1]};
}

}  // namespace

Result<KnowledgeFile> knowledgeFromJson(const std::string& text) {
  try {
    const Json json = parsedJson<Json>(text);
    if (!json.is_object() || json.value("format", "") != "dusky-moth-knowledge") return unreadable("It is not a knowledge file.");
    if (json.at("version") != 1) return unreadable("It was written by a newer Dusky Moth.");
    for (const char* part : {"survey", "camera"}) {
      if (!json.value(part, Json::array()).empty()) refuse(fmt::format("\"{}\" is not taken yet. Leave it out.", part));
    }
    KnowledgeFile file;
    for (const Json& set : json.value("sets", Json::array())) file.planes.push_back(planeFrom(set));
    for (const Json& relation : json.value("relations", Json::array())) file.angles.push_back(angleFrom(relation));
    readScene(json, file);
    return file;
  } catch (const Refused& refused) {
    return invalidInput(refused.why);
  } catch (const std::exception& problem) {
    return unreadable(fmt::format("The knowledge cannot be read: {}.", whyUnreadable(problem)));
  }
}

}  // namespace dusky
