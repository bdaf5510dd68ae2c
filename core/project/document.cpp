#include "core/project/document.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

namespace dusky {

using Json = nlohmann::json;

NLOHMANN_JSON_SERIALIZE_ENUM(FocalKnowledge, {{FocalKnowledge::Unknown, "unknown"}, {FocalKnowledge::Near, "near"}, {FocalKnowledge::Locked, "locked"}})
NLOHMANN_JSON_SERIALIZE_ENUM(ObjectShape, {{ObjectShape::Cone, "cone"}, {ObjectShape::Cube, "cube"}})
NLOHMANN_JSON_SERIALIZE_ENUM(MaskShape, {{MaskShape::Ellipse, "ellipse"}, {MaskShape::Box, "box"}, {MaskShape::Curve, "curve"}})

static void to_json(Json& json, const MaskKey& key) {
  Json points = Json::array();
  for (const Vec2& p : key.points) points.push_back({p.x(), p.y()});
  json = {
      {"frame", key.frame}, {"position", {key.position.x(), key.position.y()}}, {"scale", key.scale}, {"rotation_rad", key.rotation_rad}, {"points", points}};
}

static void from_json(const Json& json, MaskKey& key) {
  const auto point = [](const Json& p) { return Vec2(p.at(0).get<double>(), p.at(1).get<double>()); };
  key = {json.at("frame"), point(json.at("position")), json.at("scale"), json.at("rotation_rad"), {}};
  for (const Json& p : json.at("points")) key.points.push_back(point(p));
}

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(Mask, id, name, shape, only_inside, inverted, grow_px, first_frame, last_frame, keys)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(MatteSettings, folder, threshold, grow_px, inverted)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(MaskSettings, shapes, mattes)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(FootageSettings, step, left_out)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(FeatureSizes, fine, medium, coarse)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(FollowOptions, first_frame, last_frame, features, min_strength, min_distance_px, sizes, edge_margin_px,
                                                patch_radius, min_life, max_return_px, min_likeness, max_sigma_px, max_foreign, rejoin, both_ways)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(LensSettings, focal, focal_mm, sensor_mm, distortion)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(TestObject, id, shape, track, size)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(DeliverySettings, folder, camera_glb, points_ply, camera_csv, report_json)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(KnownLength, from, to, metres)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(KnownDirection, from, to)

static void to_json(Json& json, const SceneSettings& scene) {
  json = {{"ground", scene.ground}};
  if (scene.origin) json["origin"] = *scene.origin;
  if (scene.direction) json["direction"] = *scene.direction;
  if (scene.length) json["length"] = *scene.length;
}

static void from_json(const Json& json, SceneSettings& scene) {
  scene.ground = json.value("ground", std::vector<int>{});
  if (json.contains("origin")) scene.origin = json["origin"].get<int>();
  if (json.contains("direction")) scene.direction = json["direction"].get<KnownDirection>();
  if (json.contains("length")) scene.length = json["length"].get<KnownLength>();
}

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(Document, footage_path, footage, masks, tracking, lens, seed, set_aside, pinned, scene, objects, delivery)

std::string documentToJson(const Document& document) { return Json(document).dump(); }

Result<Document> documentFromJson(const std::string& text) {
  try {
    return Json::parse(text).get<Document>();
  } catch (const std::exception& problem) {
    return unreadable(fmt::format("The project's settings are damaged: {}.", problem.what()));
  }
}

}  // namespace dusky
