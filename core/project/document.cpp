#include "core/project/document.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

namespace dusky {

using Json = nlohmann::json;

NLOHMANN_JSON_SERIALIZE_ENUM(FocalKnowledge, {{FocalKnowledge::Unknown, "unknown"}, {FocalKnowledge::Near, "near"}, {FocalKnowledge::Locked, "locked"}})
NLOHMANN_JSON_SERIALIZE_ENUM(ObjectShape, {{ObjectShape::Cone, "cone"}, {ObjectShape::Cube, "cube"}})
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(FollowOptions, first_frame, last_frame, features, min_strength, min_distance_px, patch_radius, min_life,
                                                max_return_px, min_likeness)
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

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(Document, footage_path, tracking, lens, seed, set_aside, pinned, scene, objects, delivery)

std::string documentToJson(const Document& document) { return Json(document).dump(); }

Result<Document> documentFromJson(const std::string& text) {
  try {
    return Json::parse(text).get<Document>();
  } catch (const std::exception& problem) {
    return unreadable(fmt::format("The project's settings are damaged: {}.", problem.what()));
  }
}

}  // namespace dusky
