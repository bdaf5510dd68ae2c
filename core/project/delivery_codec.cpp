#include "core/project/delivery_codec.h"

#include "core/base/json_text.h"

namespace dusky {

using Json = nlohmann::json;

NLOHMANN_JSON_SERIALIZE_ENUM(PlateFit, {{PlateFit::Frame, "frame"}, {PlateFit::Whole, "whole"}})
NLOHMANN_JSON_SERIALIZE_ENUM(ResampleFilter, {{ResampleFilter::Cubic, "cubic"}, {ResampleFilter::Linear, "linear"}, {ResampleFilter::Lanczos, "lanczos"}})
NLOHMANN_JSON_SERIALIZE_ENUM(PlateFormat, {{PlateFormat::Png, "png"}, {PlateFormat::Exr, "exr"}, {PlateFormat::Jpeg, "jpeg"}, {PlateFormat::Movie, "movie"}})

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(PlateOptions, fit, focal_px, filter, format)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(SplatOptions, reduced, most_pictures, test_every, masks, dense, centred)

static void to_json(Json& json, const ReviewOptions& review) {
  json = {{"objects", review.objects}, {"grid", review.grid},     {"points", review.points},      {"whiskers", review.whiskers}, {"whisker", review.whisker},
          {"notes", review.notes},     {"height", review.height}, {"first", review.frames.first}, {"last", review.frames.last},  {"stills", review.stills}};
}

static void from_json(const Json& json, ReviewOptions& review) {
  const ReviewOptions plain;
  review = {.objects = json.value("objects", plain.objects),
            .grid = json.value("grid", plain.grid),
            .points = json.value("points", plain.points),
            .whiskers = json.value("whiskers", plain.whiskers),
            .whisker = json.value("whisker", plain.whisker),
            .notes = json.value("notes", plain.notes),
            .frames = {json.value("first", 0), json.value("last", 0)},
            .height = json.value("height", plain.height),
            .stills = json.value("stills", plain.stills)};
}

static void to_json(Json& json, const WorldOptions& world) {
  json = {{"unit", world.unit},     {"scale", world.scale},  {"fps", world.fps}, {"key_tolerance_px", world.key_tolerance_px}, {"all_points", world.all_points},
          {"camera", world.camera}, {"points", world.points}};
  if (world.up) json["up"] = *world.up == UpAxis::Z ? "z" : "y";
  if (world.start) json["start"] = *world.start;
}

static void from_json(const Json& json, WorldOptions& world) {
  const WorldOptions plain;
  world.unit = json.value("unit", plain.unit), world.scale = json.value("scale", plain.scale), world.fps = json.value("fps", plain.fps);
  world.key_tolerance_px = json.value("key_tolerance_px", plain.key_tolerance_px), world.all_points = json.value("all_points", plain.all_points);
  world.camera = json.value("camera", plain.camera), world.points = json.value("points", plain.points);
  if (json.contains("up")) world.up = json.at("up") == "z" ? UpAxis::Z : UpAxis::Y;
  if (json.contains("start")) world.start = json.at("start").get<int>();
}

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(DeliveryChoices, what, world, plates, splat, review, mesh_texture_px, receipt)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE_WITH_DEFAULT(DeliveryPreset, name, choices)

/// When each file had a tick of its own.
static DeliveryChoices firstChoices(const Json& json) {
  DeliveryChoices choices;
  const std::pair<const char*, const char*> ticks[] = {{"camera_glb", "camera.glb"},   {"points_ply", "points.ply"}, {"camera_csv", "camera.csv"},
                                                       {"report_json", "report.json"}, {"object_glb", "object.glb"}, {"review_mp4", "review"}};
  for (const auto& [tick, name] : ticks) choices.want(name, json.value(tick, choices.wants(name)));
  choices.review.objects = json.value("review_objects", true), choices.review.grid = json.value("review_grid", false);
  choices.review.points = json.value("review_points", false), choices.review.whiskers = json.value("review_whiskers", true);
  choices.review.whisker = json.value("review_whisker", choices.review.whisker);
  return choices;
}

Json deliveryToJson(const DeliverySettings& settings) { return {{"folder", settings.folder}, {"choices", settings.choices}, {"presets", settings.presets}}; }

DeliverySettings deliveryFrom(const Json& json) {
  DeliverySettings settings{.folder = json.value("folder", ""), .choices = {}, .presets = {}};
  settings.choices = json.contains("choices") ? json.at("choices").get<DeliveryChoices>() : firstChoices(json);
  settings.presets = json.value("presets", std::vector<DeliveryPreset>());
  return settings;
}

}  // namespace dusky
