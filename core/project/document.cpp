#include "core/project/document.h"

#include <fmt/format.h>

#include "core/base/json_text.h"
#include "core/knowledge/knowledge_file.h"
#include "core/project/delivery_codec.h"
#include "core/project/dense_codec.h"

namespace dusky {

using Json = nlohmann::json;

NLOHMANN_JSON_SERIALIZE_ENUM(
    FocalKnowledge, {{FocalKnowledge::Unknown, "unknown"}, {FocalKnowledge::Near, "near"}, {FocalKnowledge::Locked, "locked"}, {FocalKnowledge::Zoom, "zoom"}})
NLOHMANN_JSON_SERIALIZE_ENUM(CameraMotion, {{CameraMotion::Auto, "auto"},
                                            {CameraMotion::Free, "free"},
                                            {CameraMotion::Nodal, "nodal"},
                                            {CameraMotion::Rail, "rail"},
                                            {CameraMotion::Flat, "flat"},
                                            {CameraMotion::Arc, "arc"}})
NLOHMANN_JSON_SERIALIZE_ENUM(LensChoice, {{LensChoice::Auto, "auto"},
                                          {LensChoice::None, "none"},
                                          {LensChoice::Brown, "brown"},
                                          {LensChoice::Fisheye, "fisheye"},
                                          {LensChoice::Anamorphic, "anamorphic"}})
NLOHMANN_JSON_SERIALIZE_ENUM(Release, {{Release::Auto, "auto"}, {Release::On, "on"}, {Release::Off, "off"}})
NLOHMANN_JSON_SERIALIZE_ENUM(
    ObjectShape,
    {{ObjectShape::Cone, "cone"}, {ObjectShape::Cube, "cube"}, {ObjectShape::Card, "card"}, {ObjectShape::Floor, "floor"}, {ObjectShape::Figure, "figure"}})
NLOHMANN_JSON_SERIALIZE_ENUM(ToneCurve, {{ToneCurve::Display, "display"}, {ToneCurve::Log, "log"}, {ToneCurve::Linear, "linear"}})
NLOHMANN_JSON_SERIALIZE_ENUM(Channel,
                             {{Channel::Luma, "luma"}, {Channel::Red, "red"}, {Channel::Green, "green"}, {Channel::Blue, "blue"}, {Channel::Best, "best"}})
NLOHMANN_JSON_SERIALIZE_ENUM(MaskShape, {{MaskShape::Ellipse, "ellipse"}, {MaskShape::Box, "box"}, {MaskShape::Curve, "curve"}})

static Json placesToJson(const std::vector<Vec2>& places) {
  Json list = Json::array();
  for (const Vec2& p : places) list.push_back({p.x(), p.y()});
  return list;
}

static Vec2 placeFrom(const Json& json) { return {json.at(0).get<double>(), json.at(1).get<double>()}; }

static Json tripleToJson(const Vec3& v) { return {v.x(), v.y(), v.z()}; }

static Vec3 tripleFrom(const Json& json) { return {json.at(0).get<double>(), json.at(1).get<double>(), json.at(2).get<double>()}; }

static std::vector<Vec2> placesFrom(const Json& json) {
  std::vector<Vec2> places;
  for (const Json& p : json) places.push_back(placeFrom(p));
  return places;
}

static void to_json(Json& json, const FrameRange& range) { json = {range.first, range.last}; }

static void from_json(const Json& json, FrameRange& range) { range = {json.at(0), json.at(1)}; }

static void to_json(Json& json, const MaskKey& key) {
  json = {{"frame", key.frame},
          {"position", {key.position.x(), key.position.y()}},
          {"scale", key.scale},
          {"rotation_rad", key.rotation_rad},
          {"points", placesToJson(key.points)}};
}

static void from_json(const Json& json, MaskKey& key) {
  key = {json.at("frame"), placeFrom(json.at("position")), json.at("scale"), json.at("rotation_rad"), placesFrom(json.at("points"))};
}

static void to_json(Json& json, const ExtraRun& run) {
  json = {{"region", placesToJson(run.region)},
          {"first_frame", run.first_frame},
          {"last_frame", run.last_frame},
          {"density", run.density},
          {"strength_share", run.strength_share}};
}

static void from_json(const Json& json, ExtraRun& run) {
  run = {placesFrom(json.at("region")), json.at("first_frame"), json.at("last_frame"), json.at("density"), json.at("strength_share")};
}

/// A long track has many points: a short list each.
static void to_json(Json& json, const HandPoint& p) { json = {p.frame, p.position.x(), p.position.y(), p.keyed ? 1 : 0, p.likeness}; }

static void from_json(const Json& json, HandPoint& p) {
  p = {json.at(0), Vec2(json.at(1).get<double>(), json.at(2).get<double>()), json.at(3).get<int>() != 0, json.at(4)};
}

static void to_json(Json& json, const HandTrack& track) {
  json = {{"id", track.id},
          {"name", track.name},
          {"kind", track.kind},
          {"pattern_px", track.pattern_px},
          {"search_px", track.search_px},
          {"color", {track.color.r, track.color.g, track.color.b}},
          {"start", track.start},
          {"stop", track.stop},
          {"points", track.points}};
}

static StopReason reasonFrom(const Json& json) {
  const int code = json.get<int>();
  if (code < 0 || code > static_cast<int>(StopReason::Ambiguous)) throw std::runtime_error("a track starts or stops for a reason that there is not");
  return static_cast<StopReason>(code);
}

static void from_json(const Json& json, HandTrack& track) {
  const Json& color = json.at("color");
  track = {json.at("id"),
           json.at("name"),
           json.at("kind"),
           json.at("pattern_px"),
           json.at("search_px"),
           {color.at(0), color.at(1), color.at(2)},
           reasonFrom(json.at("start")),
           reasonFrom(json.at("stop")),
           json.at("points")};
}

NLOHMANN_JSON_SERIALIZE_ENUM(
    TrackEditKind, {{TrackEditKind::Remove, "remove"}, {TrackEditKind::RemovePart, "remove part"}, {TrackEditKind::Cut, "cut"}, {TrackEditKind::Join, "join"}})
NLOHMANN_JSON_SERIALIZE_ENUM(HandKind, {{HandKind::Patch, "patch"}, {HandKind::Corner, "corner"}, {HandKind::Dot, "dot"}, {HandKind::Crossing, "crossing"}})

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(Mask, id, name, shape, only_inside, inverted, grow_px, ranges, keys)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(MatteSettings, folder, threshold, grow_px, inverted)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(AlphaSettings, used, threshold, grow_px, inverted)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(MaskSettings, shapes, mattes, alpha)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(Tone, curve, exposure_stops, gamma, channel, even_contrast)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(FootageSettings, fps, frame_offset, tone, step, left_out, width, height, moved_print, made_print)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(FeatureSizes, fine, medium, coarse)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(FollowOptions, first_frame, last_frame, features, min_strength, min_distance_px, sizes, edge_margin_px,
                                                patch_radius, min_life, max_return_px, min_likeness, max_sigma_px, max_occluded, rejoin, both_ways)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(TrackEdit, kind, track, other, first, last)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(TrackLabel, track, name, group)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(ImportedTracks, label, key, frame_shift, removed)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(TrackWork, edited_key, edits, by_hand, labels, imported)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(KnownValue, value, sigma)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(LensSettings, focal, focal_mm, focal_tolerance_pc, sensor_mm, motion, lens, known, releases, values,
                                                pixel_aspect, readout_ms, free_readout, global_shutter)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(TestObject, id, shape, track, size, turn_deg, plane, along, across)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(KnownLength, from, to, metres)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(KnownDirection, from, to)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(CameraHeight, frame, metres)

static void to_json(Json& json, const SceneMove& move) {
  json = {{"shift", tripleToJson(move.shift)}, {"turn_deg", tripleToJson(move.turn_deg)}, {"scale", move.scale}, {"metres", move.metres}};
}

static void from_json(const Json& json, SceneMove& move) {
  move = {tripleFrom(json.at("shift")), tripleFrom(json.at("turn_deg")), json.at("scale"), json.at("metres")};
}

static void to_json(Json& json, const SceneSettings& scene) {
  json = {{"ground", scene.ground}};
  if (scene.origin) json["origin"] = *scene.origin;
  if (scene.direction) json["direction"] = *scene.direction;
  if (scene.length) json["length"] = *scene.length;
  if (scene.height) json["height"] = *scene.height;
  if (!scene.move.none()) json["move"] = scene.move;
  if (scene.up == UpAxis::Z) json["up"] = "z";
}

static void from_json(const Json& json, SceneSettings& scene) {
  scene.ground = json.value("ground", std::vector<int>{});
  if (json.contains("origin")) scene.origin = json["origin"].get<int>();
  if (json.contains("direction")) scene.direction = json["direction"].get<KnownDirection>();
  if (json.contains("length")) scene.length = json["length"].get<KnownLength>();
  if (json.contains("height")) scene.height = json["height"].get<CameraHeight>();
  if (json.contains("move")) scene.move = json["move"].get<SceneMove>();
  if (json.value("up", "y") == "z") scene.up = UpAxis::Z;
}

static void to_json(Json& json, const MeshSettings& mesh) { json = {{"path", mesh.path}, {"metres", mesh.metres}, {"up", mesh.up == UpAxis::Z ? "z" : "y"}}; }

static void from_json(const Json& json, MeshSettings& mesh) {
  mesh = {json.value("path", ""), json.value("metres", 1.0), json.value("up", "y") == "z" ? UpAxis::Z : UpAxis::Y};
}

static void to_json(Json& json, const DenseSettings& dense) { json = denseToJson(dense); }

static void from_json(const Json& json, DenseSettings& dense) { dense = denseFrom(json); }

static void to_json(Json& json, const DeliverySettings& delivery) { json = deliveryToJson(delivery); }

static void from_json(const Json& json, DeliverySettings& delivery) { delivery = deliveryFrom(json); }

static void to_json(Json& json, const TrackFrame& sighting) { json = {sighting.track, sighting.frame}; }

static void from_json(const Json& json, TrackFrame& sighting) { sighting = {json.at(0), json.at(1)}; }

static void to_json(Json& json, const PruneRegion& region) { json = {{"frame", region.frame}, {"outline", placesToJson(region.outline)}}; }

static void from_json(const Json& json, PruneRegion& region) { region = {json.at("frame"), placesFrom(json.at("outline"))}; }

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(PruneRules, min_life, max_typical_px, max_worst_px, min_parallax_deg, max_depth_sigma_pc, max_distance, behind,
                                                max_creep_px, max_shared_px, regions, max_sighting_px, edge_px, frame_floor, cell_floor)

/// As it was stored at first.
static void readFirstKnowledge(const Json& json, Knowledge& knowledge) {
  for (const Json& plane : json.value("planes", Json::array())) {
    KnownSet set{.name = plane.at("name"), .tracks = plane.at("tracks"), .sigma = plane.at("sigma"), .on = plane.at("on")};
    if (plane.at("facing") != "free") set.facing = plane.at("facing") == "level" ? SetFacing::Level : SetFacing::Upright;
    knowledge.sets.push_back(std::move(set));
  }
  for (const Json& angle : json.value("angles", Json::array()))
    knowledge.relations.push_back({RelationKind::Angle, angle.at("a"), angle.at("b"), angle.at("degrees"), angle.at("sigma_deg"), angle.at("on")});
}

/// As in a knowledge file, its tracks by their ids.
static void to_json(Json& json, const Knowledge& knowledge) { json = Json::parse(knowledgeToJson(fileById(knowledge))); }

static void from_json(const Json& json, Knowledge& knowledge) {
  if (!json.contains("format")) return readFirstKnowledge(json, knowledge);
  const auto file = knowledgeFromJson(json.dump());
  const auto known = file.ok() ? knowledgeById(*file) : Result<Knowledge>(file.error());
  if (!known.ok()) throw std::runtime_error(known.error().message);
  knowledge = *known;
}

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(TrackWeight, track, weight)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(Picks, key, frame_offset, set_aside, pinned, weights, dropped, scene, objects, knowledge)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(LedgerMarks, shown, names, kept, dropped)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(Document, footage_path, footage, masks, tracking, extra_runs, work, lens, seed, picks, mesh, dense, delivery,
                                                ledger, prune)

std::string rulesToJson(const PruneRules& rules) {
  Json json = rules;
  json["format"] = "dusky-moth-rules", json["version"] = 1;
  return json.dump(1);
}

Result<PruneRules> rulesFromJson(const std::string& text) {
  try {
    const Json json = parsedJson<Json>(text);
    if (json.at("format") != "dusky-moth-rules") return unreadable("It is not a file of rules.");
    if (json.at("version") != 1) return unreadable("It was written by a newer Dusky Moth.");
    const Json known = PruneRules();
    for (const auto& [name, value] : json.items()) {
      if (name != "format" && name != "version" && !known.contains(name)) return invalidInput(fmt::format("There is no rule \"{}\".", name));
    }
    auto rules = json.get<PruneRules>();
    const Status fine = rules.check();
    return fine.ok() ? Result<PruneRules>(std::move(rules)) : fine.error();
  } catch (const std::exception& problem) {
    return unreadable(fmt::format("The rules cannot be read: {}.", whyUnreadable(problem)));
  }
}

std::string documentToJson(const Document& document) { return Json(document).dump(); }

std::string trackWorkToJson(const TrackWork& work) { return Json(work).dump(); }

std::string knowledgeOfSolve(const Picks& picks) {
  const Knowledge& k = picks.knowledge;
  // How large a deviation is, and which way what is given lies, depend on how the scene is placed.
  const bool placed =
      k.saysLengths() || !k.camera.empty() ||
      std::any_of(k.sets.begin(), k.sets.end(), [](const KnownSet& set) { return set.on && (set.sigma > 0 || set.facing == SetFacing::Given); }) ||
      std::any_of(k.relations.begin(), k.relations.end(), [](const KnownRelation& r) { return r.on && r.sigma > 0; }) ||
      std::any_of(k.equals.begin(), k.equals.end(), [](const KnownEqual& e) { return e.on && e.sigma > 0; }) ||
      std::any_of(k.mirrors.begin(), k.mirrors.end(), [](const KnownMirror& m) { return m.on && m.sigma > 0; });
  return (placed ? Json{k, picks.scene} : Json(k)).dump();
}

namespace {
/// What of a document can be read, part by part.
Result<Document> readableParts(const Json& whole, std::vector<std::string>& lost) {
  Json good = Json::object();
  for (const auto& [name, value] : whole.items()) {
    Json with = good;
    with[name] = value;
    try {
      (void)with.get<Document>();
      good = std::move(with);
    } catch (const std::exception&) {
      lost.push_back(name);
    }
  }
  if (good.value("footage_path", "").empty()) return unreadable("The project's settings are damaged: it does not say what its footage is.");
  return good.get<Document>();
}
}  // namespace

Result<Document> documentFromJson(const std::string& text, std::vector<std::string>* lost) {
  Json json;
  try {
    json = parsedJson<Json>(text);
    // Picks once stood in the document itself.
    if (!json.contains("picks")) json["picks"] = json;
    if (json.contains("tracking") && json["tracking"].contains("max_foreign")) json["tracking"]["max_occluded"] = json["tracking"]["max_foreign"];
    if (json.contains("lens") && !json["lens"].value("distortion", true)) json["lens"]["lens"] = "none";
    return json.get<Document>();
  } catch (const std::exception& problem) {
    if (lost && json.is_object()) return readableParts(json, *lost);
    return unreadable(fmt::format("The project's settings are damaged: {}.", whyUnreadable(problem)));
  }
}
}  // namespace dusky
