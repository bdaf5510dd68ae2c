#include "core/project/dense_codec.h"

#include <algorithm>

#include "core/base/json_text.h"

namespace dusky {

using Json = nlohmann::json;

static Json listOf(const Vec3& v) { return {v.x(), v.y(), v.z()}; }
static Vec3 placeFrom(const Json& json) { return {json.at(0).get<double>(), json.at(1).get<double>(), json.at(2).get<double>()}; }

static Json cutToJson(const DenseCut& cut) {
  Json view = Json::array(), outline = Json::array();
  for (int r = 0; r < 4; ++r)
    for (int c = 0; c < 4; ++c) view.push_back(cut.clip_from_scene(r, c));
  for (const Vec2& p : cut.outline) outline.push_back({p.x(), p.y()});
  Json json = {{"clip_from_scene", view}, {"outline", outline}, {"along", listOf(cut.along)}, {"near", cut.near}, {"far", cut.far}, {"keeps", cut.keeps}};
  if (cut.brush > 0) json["brush"] = cut.brush, json["aspect"] = cut.aspect;
  return json;
}

static DenseCut cutFrom(const Json& json) {
  DenseCut cut;
  for (int r = 0; r < 4; ++r)
    for (int c = 0; c < 4; ++c) cut.clip_from_scene(r, c) = json.at("clip_from_scene").at(static_cast<std::size_t>(4 * r + c)).get<double>();
  for (const Json& p : json.at("outline")) cut.outline.emplace_back(p.at(0).get<double>(), p.at(1).get<double>());
  cut.along = placeFrom(json.at("along"));
  cut.near = json.at("near").get<double>(), cut.far = json.at("far").get<double>(), cut.keeps = json.at("keeps").get<bool>();
  cut.brush = json.value("brush", cut.brush), cut.aspect = json.value("aspect", cut.aspect);
  return cut;
}

static Json cleanToJson(const CleanRules& rules) {
  Json json = {{"least_views", rules.least_views},
               {"least_confidence", rules.least_confidence},
               {"most_slant_deg", rules.most_slant_deg},
               {"most_color_apart", rules.most_color_apart},
               {"least_neighbours", rules.least_neighbours}};
  if (rules.region) json["region"] = {{"low", listOf(rules.region->low)}, {"high", listOf(rules.region->high)}};
  for (const DenseCut& cut : rules.cuts) json["cuts"].push_back(cutToJson(cut));
  return json;
}

static CleanRules cleanFrom(const Json& json) {
  const CleanRules plain;
  CleanRules rules{.least_views = json.value("least_views", plain.least_views),
                   .least_confidence = json.value("least_confidence", plain.least_confidence),
                   .most_slant_deg = json.value("most_slant_deg", plain.most_slant_deg),
                   .most_color_apart = json.value("most_color_apart", plain.most_color_apart),
                   .least_neighbours = json.value("least_neighbours", plain.least_neighbours)};
  if (json.contains("region")) rules.region = RegionBox{placeFrom(json.at("region").at("low")), placeFrom(json.at("region").at("high"))};
  if (json.contains("cuts")) {
    for (const Json& cut : json.at("cuts")) rules.cuts.push_back(cutFrom(cut));
  }
  return rules;
}

Json denseToJson(const DenseSettings& settings) {
  return {{"quality", describe(settings.quality)},
          {"keyframes", settings.keyframes},
          {"spacing", settings.spacing},
          {"clean", cleanToJson(settings.clean)},
          {"triangles", settings.triangles}};
}

DenseSettings denseFrom(const Json& json) {
  DenseSettings settings;
  const auto quality = std::find(kDenseQualities.begin(), kDenseQualities.end(), json.value("quality", std::string("good")));
  if (quality == kDenseQualities.end()) throw std::runtime_error("a quality of dense points that there is not");
  settings.quality = static_cast<DenseQuality>(quality - kDenseQualities.begin());
  settings.spacing = json.value("spacing", settings.spacing);
  if (json.contains("clean")) settings.clean = cleanFrom(json.at("clean"));
  settings.keyframes = json.value("keyframes", settings.keyframes);
  settings.triangles = json.value("triangles", settings.triangles);
  if (const Status fine = settings.check(); !fine.ok()) throw std::runtime_error(fine.error().message);
  return settings;
}

}  // namespace dusky
