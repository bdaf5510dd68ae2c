#include <fmt/format.h>

#include <cmath>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>

#include "core/base/atomic_file.h"
#include "core/base/json_text.h"
#include "core/base/numbers.h"
#include "core/deliver/plates.h"
#include "core/deliver/pose_rows.h"
#include "core/deliver/splat_frames.h"
#include "core/deliver/writers.h"
#include "core/lens/lens_file.h"
#include "core/media/write_picture.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

/// Of all pictures: as wide as the footage, square pixels, one focal length. Of a zoom the shortest: what a longer one does not show stays empty.
Plate splatPlate(const DeliveryInput& input) {
  const Lens& lens = input.solution.lens();
  double focal = lens.focal_px;
  for (const SolvedFrame& frame : input.solution.frames) {
    if (frame.placed) focal = std::min(focal, input.solution.lensAt(frame).focal_px);
  }
  return {.width = lens.width, .height = static_cast<int>(std::lround(lens.height / lens.pixel_aspect)), .pixel_aspect = 1, .focal_px = focal};
}

/// The middle of the points becomes the origin, and nine of ten lie within 1 of it.
Similarity centredBy(const DeliveryView& view) {
  std::array<std::vector<double>, 3> along;
  for (const auto& point : view.points) {
    for (std::size_t k = 0; k < 3; ++k) along[k].push_back(point.at[static_cast<Eigen::Index>(k)]);
  }
  if (view.points.empty()) return {};
  const Vec3 middle(median(along[0]), median(along[1]), median(along[2]));
  std::vector<double> away;
  for (const auto& point : view.points) away.push_back((point.at - middle).norm());
  std::sort(away.begin(), away.end());
  const double scale = 1 / std::max(1e-9, away[away.size() * 9 / 10]);
  return {scale, Eigen::Quaterniond::Identity(), -scale * middle};
}

/// Light where a picture shows something that may be trained on.
std::vector<float> maskOf(const SourceMap& from, const Plane<std::uint8_t>& left_out, int times) {
  const int width = from.width / times, height = from.height / times;
  std::vector<float> mask(static_cast<std::size_t>(width) * height, 1);
  for (int y = 0; y < height * times; ++y) {
    for (int x = 0; x < width * times; ++x) {
      const auto [u, v] = from.at(x, y);
      const bool nothing = std::isnan(u);
      const bool out = nothing || (!left_out.empty() &&
                                   left_out.at(std::min(static_cast<int>(u), left_out.width - 1), std::min(static_cast<int>(v), left_out.height - 1)) != 0);
      if (out) mask[static_cast<std::size_t>(y / times) * width + x / times] = 0;
    }
  }
  return mask;
}

struct SplatWorld {
  const DeliveryView& view;
  Plate plate;
  Similarity world_from_view;
  int times = 1;
  std::vector<SplatFrame> frames;

  const DeliveryView::Camera& cameraOf(const SplatFrame& frame) const {
    return *std::find_if(view.cameras.begin(), view.cameras.end(), [&](const auto& c) { return c.footage == frame.frame; });
  }
  /// Camera to world.
  Json matrixOf(const SplatFrame& frame) const {
    const Pose pose = world_from_view * cameraOf(frame).pose;
    return poseRows(viewerTurn(pose).toRotationMatrix(), pose.centre);
  }
  std::string nameOf(const SplatFrame& frame) const { return fmt::format("./{}/{:04}", frame.test ? "test" : "train", cameraOf(frame).frame); }
  int width() const { return plate.width / times; }
  int height() const { return plate.height / times; }
  double focal() const { return plate.focal_px / times; }
};

Json transformsOf(const SplatWorld& world, bool test) {
  Json frames = Json::array();
  for (const SplatFrame& frame : world.frames) {
    if (frame.chosen && frame.test == test) frames.push_back({{"file_path", world.nameOf(frame)}, {"transform_matrix", world.matrixOf(frame)}});
  }
  return {{"camera_angle_x", 2 * std::atan(0.5 * world.width() / world.focal())}, {"frames", std::move(frames)}};
}

Json readinessJson(const SplatReadiness& readiness) {
  Json concerns = Json::array();
  for (const auto& concern : readiness.concerns) concerns.push_back({{"what", concern.what}, {"sentence", concern.sentence}, {"value", concern.value}});
  return {{"blurred", readiness.blurred},
          {"exposure_jump", readiness.exposure_jump},
          {"thin_share", readiness.thin_share},
          {"stability_px", numberOrNull(readiness.stability_px)},
          {"concerns", std::move(concerns)}};
}

/// What the layout of the transforms cannot say.
Json camerasOf(const DeliveryInput& input, const SplatWorld& world) {
  Json frames = Json::array();
  for (const SplatFrame& frame : world.frames) {
    if (!frame.chosen) continue;
    const SolvedFrame& solved = *input.solution.frameAt(frame.frame);
    const double scale = world.world_from_view.scale * world.view.world_from_solve.scale;
    frames.push_back(
        {{"file_path", world.nameOf(frame) + ".png"},
         {"frame", world.cameraOf(frame).frame},
         {"footage_frame", frame.frame},
         {"time_s", world.cameraOf(frame).time_s},
         {"test", frame.test},
         {"sharpness", frame.sharpness},
         {"brightness", frame.brightness},
         {"blurred", frame.blurred},
         {"footage_focal_px", input.solution.lensAt(solved).focal_px},
         {"sigma", {{"centre", numberOrNull(scale * solved.sigma_centre)}, {"rotation_deg", numberOrNull(solved.sigma_rotation_rad * 180 / M_PI)}}}});
  }
  const Similarity& s = world.world_from_view;
  return {{"format", "dusky-moth-splat-set"},
          {"version", 1},
          {"width", world.width()},
          {"height", world.height()},
          {"focal_px", world.focal()},
          {"up", world.view.up == UpAxis::Z ? "z" : "y"},
          {"unit", s.scale == 1 ? Json(world.view.unit) : Json("scaled")},
          {"scene_to_set", {{"scale", s.scale}, {"shift", {s.shift.x(), s.shift.y(), s.shift.z()}}}},
          {"footage_lens", Json::parse(lensToJson(input.solution.lens()))},
          {"readout_ms", 1000 * input.solution.readout / input.footage.fps},
          {"readiness", readinessJson(readinessOf(input, world.view, world.frames))},
          {"frames", std::move(frames)}};
}

Status writePictures(const DeliveryInput& input, const DeliveryChoices& choices, const SplatWorld& world, const fs::path& folder, const Progress& progress) {
  std::map<int, const SplatFrame*> chosen;
  std::vector<int> numbers;
  for (const SplatFrame& frame : world.frames) {
    if (frame.chosen) chosen[frame.frame] = &frame, numbers.push_back(frame.frame);
  }
  std::mutex masks;  // they are not shared between threads
  PictureEncoding bytes;
  bytes.synced = false;
  const auto take = [&](const PlateFrame& plate) -> Status {
    const std::string name = world.nameOf(*chosen.at(plate.frame));
    const FloatPicture picture = reducedBy(forScreen(plate, input.log_footage), world.times);
    if (const Status put = writeValues(folder / (name + ".png"), {picture.data.front().data(), picture.width, picture.height}, bytes); !put.ok()) return put;
    if (!choices.splat.masks) return Done{};
    Plane<std::uint8_t> left_out;
    if (input.mask) {
      const std::lock_guard lock(masks);
      auto got = input.mask(plate.frame);
      if (!got.ok()) return got.error();
      left_out = std::move(*got);
    }
    const auto mask = maskOf(*plate.from, left_out, world.times);
    return writeValues(folder / "masks" / (fs::path(name).filename().string() + ".png"), {mask.data(), picture.width, picture.height, {"Y"}}, bytes);
  };
  return forEachPlate(input, world.plate, choices.plates.filter, numbers, take, progress);
}

}  // namespace

Status writeSplatSet(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const fs::path& folder, const Progress& progress) {
  if (view.cameras.size() < 2) return invalidInput("A splat set needs at least two frames with a camera.");
  SplatWorld world{.view = view, .plate = splatPlate(input), .world_from_view = {}, .times = choices.splat.reduced, .frames = {}};
  auto frames = chooseSplatFrames(input, view, choices.splat, progress.part(0, 0.25));
  if (!frames.ok()) return frames.error();
  world.frames = std::move(*frames);
  const Similarity centred = choices.splat.centred ? centredBy(view) : Similarity{};
  world.world_from_view = view.turnedUp() * centred;
  const fs::path into = folder / kSplatFolder;
  for (const char* name : {"train", "test", "masks"}) {
    const bool wanted = std::string_view(name) == "masks" ? choices.splat.masks : std::string_view(name) == "train" || choices.splat.test_every > 0;
    if (!wanted) continue;
    if (const Status made = makeFolder(into / name); !made.ok()) return made;
  }
  if (const Status put = writePictures(input, choices, world, into, progress.part(0.25, 1)); !put.ok()) return put;
  DenseCloudPtr dense;
  if (choices.splat.dense) {
    auto cloud = input.open_dense(progress.part(0.98, 1));
    if (!cloud.ok()) return cloud.error();
    dense = std::move(*cloud);
  }
  const std::pair<const char*, std::string> texts[] = {{"transforms_train.json", transformsOf(world, false).dump(1)},
                                                       {"transforms_test.json", transformsOf(world, true).dump(1)},
                                                       {"cameras.json", camerasOf(input, world).dump(1)},
                                                       {"points.ply", plyOfPoints(view, world.world_from_view, dense.get())}};
  for (const auto& [name, text] : texts) {
    if (const Status put = writeFileAtomically(into / name, text); !put.ok()) return put;
  }
  return Done{};
}

}  // namespace dusky
