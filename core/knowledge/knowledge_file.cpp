#include "core/knowledge/knowledge_turn.h"

#include <fmt/format.h>

#include "core/base/json_text.h"

namespace dusky {
namespace {

using Json = nlohmann::json;

/// A statement that is wrong: it goes out as it is.
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

SetFacing facingFrom(const std::string& name, const std::string& set) {
  for (const SetFacing facing : {SetFacing::Free, SetFacing::Level, SetFacing::Upright, SetFacing::Given}) {
    if (name == describe(facing)) return facing;
  }
  refuse(fmt::format("\"{}\": there is no orientation \"{}\".", set, name));
}

Vec3 tripleFrom(const Json& json, std::string_view what) {
  if (!json.is_array() || json.size() != 3) refuse(fmt::format("{} is three numbers: [x, y, z].", what));
  return {json.at(0).get<double>(), json.at(1).get<double>(), json.at(2).get<double>()};
}

KnowledgeFile::Set setFrom(const Json& json) {
  KnowledgeFile::Set all;
  KnownSet& set = all.set;
  set.name = json.at("name").get<std::string>();
  const auto kind = json.value("kind", std::string("plane"));
  if (kind != "plane" && kind != "line") refuse(fmt::format("\"{}\": there is no set of the kind \"{}\".", set.name, kind));
  set.kind = kind == "line" ? SetKind::Line : SetKind::Plane;
  set.facing = facingFrom(json.value("orientation", std::string("free")), set.name);
  if (set.facing == SetFacing::Given) {
    if (!json.contains("normal") || json.at("normal").is_null()) refuse(fmt::format("\"{}\": a given orientation needs \"normal\":[x,y,z].", set.name));
    set.axis = tripleFrom(json.at("normal"), fmt::format("\"{}\": \"normal\"", set.name));
  }
  if (json.contains("offset") && !json.at("offset").is_null()) set.offset = json.at("offset").get<double>();
  set.sigma = json.value("sigma", 0.0);
  set.on = json.value("on", true);
  all.members = membersFrom(json.at("members"));
  return all;
}

KnownRelation relationFrom(const Json& json) {
  const auto kind = json.at("kind").get<std::string>();
  KnownRelation relation{
      .a = json.at("a").get<std::string>(), .b = json.at("b").get<std::string>(), .sigma = json.value("sigma", 0.0), .on = json.value("on", true)};
  if (kind == "angle") {
    relation.value = json.at("value").get<double>();
  } else if (kind == "parallel") {
    relation.value = 0;
  } else if (kind == "same") {
    relation.kind = RelationKind::Same, relation.value = 0;
  } else if (kind == "apart") {
    relation.kind = RelationKind::Apart, relation.value = json.at("value").get<double>();
  } else if (kind != "square") {
    refuse(fmt::format("\"{}\" and \"{}\": there is no relation \"{}\".", relation.a, relation.b, kind));
  }
  // Planes and lines have no sides.
  if (relation.kind == RelationKind::Angle && relation.value > 90 && relation.value <= 180) relation.value = 180 - relation.value;
  return relation;
}

/// One number for all axes, or one for each.
Vec3 sigmasFrom(const Json& json, const std::string& name) {
  if (!json.contains("sigma")) return Vec3::Zero();
  const Json& sigma = json.at("sigma");
  return sigma.is_number() ? Vec3(Vec3::Constant(sigma.get<double>())) : tripleFrom(sigma, fmt::format("Survey point \"{}\": \"sigma\"", name));
}

KnowledgeFile::Survey surveyFrom(const Json& json) {
  KnowledgeFile::Survey survey;
  survey.point.name = json.at("name").get<std::string>();
  survey.point.at = tripleFrom(json.at("xyz"), fmt::format("Survey point \"{}\": \"xyz\"", survey.point.name));
  survey.point.sigma = sigmasFrom(json, survey.point.name);
  survey.point.on = json.value("on", true);
  survey.member = memberFrom(json.at("member"));
  return survey;
}

/// Rows of a matrix, world from camera.
Eigen::Quaterniond rotationFrom(const Json& json) {
  constexpr double kTurns = 1e-3;
  if (!json.is_array() || json.size() != 3) refuse("A camera's \"rotation\" is three rows of three numbers, world from camera.");
  Mat3 rows;
  for (int k = 0; k < 3; ++k) rows.row(k) = tripleFrom(json.at(static_cast<std::size_t>(k)), "A row of a camera's \"rotation\"").transpose();
  if (!((rows * rows.transpose() - Mat3::Identity()).norm() < kTurns) || rows.determinant() < 0) refuse("A camera's \"rotation\" is no rotation.");
  return Eigen::Quaterniond(rows).normalized();
}

KnownCamera cameraFrom(const Json& json) {
  KnownCamera camera;
  const auto kind = json.at("kind").get<std::string>();
  bool found = false;
  for (const CameraFact fact : {CameraFact::Straight, CameraFact::Level, CameraFact::Position, CameraFact::Rotation, CameraFact::Still, CameraFact::Smooth}) {
    if (kind == describe(fact)) camera.fact = fact, found = true;
  }
  if (!found) refuse(fmt::format("There is no statement \"{}\" about the camera.", kind));
  camera.first = json.at("first").get<int>(), camera.last = json.value("last", camera.first);
  if (camera.fact == CameraFact::Position) camera.at = tripleFrom(json.at("xyz"), "A camera's \"xyz\"");
  if (camera.fact == CameraFact::Rotation) camera.rotation = rotationFrom(json.at("rotation"));
  camera.sigma = json.value("sigma", 0.0), camera.on = json.value("on", true);
  return camera;
}

CameraHeight heightFrom(const Json& json) {
  const CameraHeight height{json.at("frame").get<int>(), json.at("metres").get<double>()};
  if (!(height.metres > 0) || !std::isfinite(height.metres)) refuse("The camera's height must be more than 0 m.");
  return height;
}

SceneMove moveFrom(const Json& json) {
  SceneMove move;
  if (json.contains("shift")) move.shift = tripleFrom(json.at("shift"), "The scene's \"shift\"");
  if (json.contains("turn_deg")) move.turn_deg = tripleFrom(json.at("turn_deg"), "The scene's \"turn_deg\"");
  move.scale = json.value("scale", 1.0), move.metres = json.value("units", "units") == "metres";
  if (!move.usable()) refuse("The scene's \"scale\" must be a number above 0.");
  return move;
}

UpAxis upFrom(const Json& json) {
  const auto up = json.get<std::string>();
  if (up != "y" && up != "z") refuse(fmt::format("\"up\" is \"y\" or \"z\", not \"{}\".", up));
  return up == "z" ? UpAxis::Z : UpAxis::Y;
}

KnowledgeFile::Pairs pairsFrom(const Json& json) {
  KnowledgeFile::Pairs pairs;
  if (!json.is_array()) refuse("\"pairs\" is a list of pairs of members.");
  for (const Json& one : json) {
    const auto ends = memberList(one);
    if (ends.size() != 2) refuse("A pair is two members: [{\"id\":12},{\"id\":31}].");
    pairs.emplace_back(ends[0], ends[1]);
  }
  return pairs;
}

void readPairs(const Json& json, KnowledgeFile& file) {
  for (const Json& one : json.value("equal", Json::array()))
    file.equals.push_back({pairsFrom(one.at("pairs")), {.sigma = one.value("sigma", 0.0), .on = one.value("on", true)}});
  for (const Json& one : json.value("mirrored", Json::array())) {
    file.mirrors.push_back(
        {pairsFrom(one.at("pairs")), {.plane = one.value("plane", std::string()), .sigma = one.value("sigma", 0.0), .on = one.value("on", true)}});
  }
}

void readScene(const Json& json, KnowledgeFile& file) {
  for (const Json& one : json.value("lengths", Json::array())) {
    if (one.contains("plane")) {
      file.plane_lengths.push_back({memberFrom(one.at("from")),
                                    {.plane = one.at("plane").get<std::string>(),
                                     .metres = one.at("metres").get<double>(),
                                     .sigma = one.value("sigma", 0.0),
                                     .on = one.value("on", true)}});
      continue;
    }
    KnowledgeFile::Length length{memberFrom(one.at("from")), memberFrom(one.at("to")), {}};
    length.distance.metres = one.at("metres").get<double>(), length.distance.sigma = one.value("sigma", 0.0), length.distance.on = one.value("on", true);
    if (!(length.distance.metres > 0) || !std::isfinite(length.distance.metres)) refuse("A known distance must be more than 0 m.");
    file.lengths.push_back(std::move(length));
  }
  if (json.contains("ground")) file.ground = membersFrom(json.at("ground"));
  if (json.contains("origin")) file.origin = memberFrom(json.at("origin"));
  if (json.contains("camera_height")) file.camera_height = heightFrom(json.at("camera_height"));
  if (json.contains("move")) file.move = moveFrom(json.at("move"));
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
    KnowledgeFile file;
    for (const Json& set : json.value("sets", Json::array())) file.sets.push_back(setFrom(set));
    for (const Json& relation : json.value("relations", Json::array())) file.relations.push_back(relationFrom(relation));
    for (const Json& point : json.value("survey", Json::array())) file.survey.push_back(surveyFrom(point));
    for (const Json& one : json.value("camera", Json::array())) file.camera.push_back(cameraFrom(one));
    readPairs(json, file);
    readScene(json, file);
    if (json.contains("up")) file.up = upFrom(json.at("up"));
    if (file.up) turnNumbers(file, upAxisTurn(*file.up).conjugate());
    return file;
  } catch (const Refused& refused) {
    return invalidInput(refused.why);
  } catch (const std::exception& problem) {
    return unreadable(fmt::format("The knowledge cannot be read: {}.", whyUnreadable(problem)));
  }
}

}  // namespace dusky
