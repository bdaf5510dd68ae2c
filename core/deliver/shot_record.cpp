#include "core/deliver/shot_record.h"

#include <fmt/format.h>

#include "core/base/atomic_file.h"
#include "core/base/json_text.h"

namespace dusky {
namespace {

using Json = nlohmann::json;

Pose poseOf(const Json& rows) {
  Mat3 r;
  Pose pose;
  for (int i = 0; i < 3; ++i) {
    for (int j = 0; j < 3; ++j) r(i, j) = rows.at(i).at(j).get<double>();
    pose.centre[i] = rows.at(i).at(3).get<double>();
  }
  pose.world_from_camera = Eigen::Quaterniond(r).normalized();
  constexpr double kNear = 1e-3;
  if (!pose.centre.allFinite() || !((r.transpose() * r - Mat3::Identity()).norm() < kNear))
    throw std::runtime_error("a camera has no place, or its axes are not square");
  return pose;
}

Lens lensOf(const Json& camera) {
  Lens lens = Lens::simple(camera.at("width").get<int>(), camera.at("height").get<int>(), 1);
  const Json& model = camera.at("lens");
  const auto kind = lensModelNamed(model.at("model").get<std::string>());
  if (!kind) throw std::runtime_error("a lens model that is not known");
  lens = Lens::simple(lens.width, lens.height, 1, *kind);
  lens.pixel_aspect = camera.value("pixel_aspect", 1.0);
  auto values = lens.parameters();
  const auto names = lensParameterNames(*kind);
  for (std::size_t k = 0; k < names.size(); ++k) values[k] = model.at("parameters").value(std::string(names[k]), values[k]);
  lens.setParameters(values);
  return lens;
}

ShotRecord recordOf(const Json& json) {
  ShotRecord record;
  const Json& footage = json.at("footage");
  record.width = footage.at("width").get<int>();
  record.height = footage.at("height").get<int>();
  record.frames_expected = footage.at("last").get<int>() - footage.at("first").get<int>() + 1;
  std::map<std::string, Lens> lenses;
  for (const auto& [name, camera] : json.at("cameras").items()) lenses[name] = lensOf(camera);
  for (const Json& frame : json.at("frames")) {
    // A zoom gives a frame its own focal length.
    Lens lens = lenses.at(frame.at("camera").get<std::string>());
    lens.focal_px = frame.value("focal_px", lens.focal_px);
    record.frames[frame.at("frame").get<int>()] = {poseOf(frame.at("world_from_camera")), lens};
  }
  for (const Json& point : json.at("points")) {
    ShotRecord::Point read;
    for (int k = 0; k < 3; ++k) read.xyz[k] = point.at("xyz").at(k).get<double>();
    read.visible = point.value("visible", std::vector<int>{});
    record.points.push_back(std::move(read));
  }
  return record;
}
}  // namespace

Result<ShotRecord> parseShotRecord(const std::string& text, const std::string& name) {
  try {
    const auto json = parsedJson<Json>(text);
    const std::string format = json.value("format", "");
    if (format != "dusky-moth-report" && format != "dusky-moth-truth")
      return unreadable(fmt::format("{} is neither a report nor a truth file of Dusky Moth.", name));
    return recordOf(json);
  } catch (const std::exception& problem) {
    return unreadable(fmt::format("{} is damaged or not a report: {}.", name, whyUnreadable(problem)));
  }
}

Result<ShotRecord> readShotRecord(const std::filesystem::path& path) {
  const auto text = readFile(path);
  if (!text.ok()) return text.error();
  return parseShotRecord(*text, path.string());
}
}  // namespace dusky
