#include "core/dense/dense_files.h"

#include <fmt/format.h>

#include "core/base/json_text.h"
#include "core/dense/packed_file.h"

namespace dusky {
namespace {

using Json = nlohmann::json;

constexpr std::string_view kViewKind = "depth map 2", kPointsKind = "dense points 2";

Error wrong(const std::filesystem::path& path) { return unreadable(fmt::format("{} is damaged; it is made anew.", path.string())); }

Json jsonOf(const Pinhole& camera) {
  const Eigen::Quaterniond& q = camera.pose.world_from_camera;
  const Vec3& c = camera.pose.centre;
  const Vec3& v = camera.velocity;
  return {camera.width, camera.height, camera.fx, camera.fy, camera.cx, camera.cy, q.w(),       q.x(),         q.y(),        q.z(),
          c.x(),        c.y(),         c.z(),     v.x(),     v.y(),     v.z(),     camera.time, camera.time_x, camera.time_y};
}

Pinhole pinholeFrom(const Json& j) {
  const auto n = [&](std::size_t k) { return j.at(k).get<double>(); };
  Pinhole camera{j.at(0).get<int>(), j.at(1).get<int>(), n(2), n(3), n(4), n(5), {}};
  camera.pose = {Eigen::Quaterniond(n(6), n(7), n(8), n(9)), Vec3(n(10), n(11), n(12))};
  camera.velocity = Vec3(n(13), n(14), n(15)), camera.time = n(16), camera.time_x = n(17), camera.time_y = n(18);
  return camera;
}

double numberFrom(const Json& j) { return j.is_null() ? kUnknown : j.get<double>(); }

/// Points are kept field by field: what a compiler leaves between fields is nobody's.
struct PointColumns {
  std::vector<std::array<float, 9>> numbers;
  std::vector<std::array<std::uint8_t, 6>> bytes;
};

constexpr std::size_t kBytesOfPoint = sizeof(PointColumns::numbers[0]) + sizeof(PointColumns::bytes[0]);

auto numbersOf(const DenseCloud& cloud) {
  decltype(PointColumns::numbers) numbers;
  numbers.reserve(cloud.points.size());
  for (const DensePoint& p : cloud.points)
    numbers.push_back({p.at.x(), p.at.y(), p.at.z(), p.normal.x(), p.normal.y(), p.normal.z(), p.confidence, p.sigma, p.pixel});
  return numbers;
}

auto bytesOf(const DenseCloud& cloud) {
  decltype(PointColumns::bytes) bytes;
  bytes.reserve(cloud.points.size());
  for (const DensePoint& p : cloud.points) bytes.push_back({p.color.r, p.color.g, p.color.b, p.views, p.slant_deg, p.color_apart});
  return bytes;
}

DenseCloud cloudOf(const PointColumns& columns) {
  DenseCloud cloud;
  cloud.points.resize(columns.numbers.size());
  for (std::size_t k = 0; k < cloud.points.size(); ++k) {
    const auto& n = columns.numbers[k];
    const auto& b = columns.bytes[k];
    cloud.points[k] = {{n[0], n[1], n[2]}, {n[3], n[4], n[5]}, {b[0], b[1], b[2]}, b[3], n[6], n[7], n[8], b[4], b[5]};
  }
  return cloud;
}

Json headOf(const DenseResult& result) {
  Json frames = Json::array();
  for (const DenseFrame& f : result.frames)
    frames.push_back({f.frame, numberOrNull(f.parallax_rad), numberOrNull(f.agreeing_share), numberOrNull(f.correlation), numberOrNull(f.off_px), f.pixels});
  return {{"kind", kPointsKind},
          {"quality", static_cast<int>(result.quality)},
          {"points", result.cloud.points.size()},
          {"frames", frames},
          {"seconds", {numberOrNull(result.views_s), numberOrNull(result.depth_s), numberOrNull(result.fuse_s)}},
          {"warnings", result.warnings}};
}

/// Throws what the library throws.
DenseResult resultFrom(const Json& head, std::size_t& points) {
  if (head.at("kind") != kPointsKind) throw std::runtime_error("another kind");
  DenseResult result;
  result.quality = static_cast<DenseQuality>(std::clamp(head.at("quality").get<int>(), 0, 2));
  points = head.at("points").get<std::size_t>();
  for (const Json& f : head.at("frames"))
    result.frames.push_back(
        {f.at(0).get<int>(), numberFrom(f.at(1)), numberFrom(f.at(2)), numberFrom(f.at(3)), numberFrom(f.at(4)), f.at(5).get<std::size_t>()});
  const Json& seconds = head.at("seconds");
  result.views_s = numberFrom(seconds.at(0)), result.depth_s = numberFrom(seconds.at(1)), result.fuse_s = numberFrom(seconds.at(2));
  result.warnings = head.at("warnings").get<std::vector<std::string>>();
  return result;
}

}  // namespace

Status writeFusedView(const std::filesystem::path& path, const FusedView& view) {
  PackedFile file{
      {{"kind", kViewKind}, {"frame", view.map.frame}, {"camera", jsonOf(view.map.camera)}, {"off_px", numberOrNull(view.off_px)}, {"lighter", view.lighter}},
      {}};
  pack(file.body, view.map.depth.data), pack(file.body, view.map.normal.data);
  pack(file.body, view.map.cost.data), pack(file.body, view.map.sigma.data);
  pack(file.body, view.picture.data);
  return writePacked(path, std::move(file));
}

Result<FusedViewPtr> readFusedView(const std::filesystem::path& path) {
  const auto file = readPacked(path);
  if (!file.ok()) return file.error();
  try {
    if (file->head.at("kind") != kViewKind) return wrong(path);
    auto view = std::make_shared<FusedView>();
    DepthMap& map = view->map;
    map.frame = file->head.at("frame").get<int>(), map.camera = pinholeFrom(file->head.at("camera"));
    view->off_px = numberFrom(file->head.at("off_px"));
    view->lighter = file->head.at("lighter").get<std::vector<std::pair<int, double>>>();
    const auto [w, h] = std::pair(map.camera.width, map.camera.height);
    if (w < 1 || h < 1) return wrong(path);
    const auto count = static_cast<std::size_t>(w) * static_cast<std::size_t>(h);
    std::size_t at = 0;
    const auto take = [&](auto& plane) {
      plane.width = w, plane.height = h;
      return unpack(file->body, at, plane.data, count);
    };
    if (!take(map.depth) || !take(map.normal) || !take(map.cost) || !take(map.sigma) || !take(view->picture) || at != file->body.size()) return wrong(path);
    return FusedViewPtr(std::move(view));
  } catch (const std::exception&) {
    return wrong(path);
  }
}

Status writeDenseResult(const std::filesystem::path& path, const DenseResult& result) {
  PackedFile file{headOf(result), {}};
  constexpr std::size_t kRoomForHead = 1 << 16;
  file.body.reserve(result.cloud.points.size() * kBytesOfPoint + kRoomForHead);
  pack(file.body, numbersOf(result.cloud)), pack(file.body, bytesOf(result.cloud));
  return writePacked(path, std::move(file));
}

Result<DenseResultPtr> readDenseResult(const std::filesystem::path& path) {
  auto file = readPacked(path);
  if (!file.ok()) return file.error();
  try {
    std::size_t points = 0, at = 0;
    auto result = std::make_shared<DenseResult>(resultFrom(file->head, points));
    PointColumns columns;
    if (!unpack(file->body, at, columns.numbers, points) || !unpack(file->body, at, columns.bytes, points) || at != file->body.size()) return wrong(path);
    std::string().swap(file->body);
    result->cloud = cloudOf(columns);
    return DenseResultPtr(std::move(result));
  } catch (const std::exception&) {
    return wrong(path);
  }
}

Result<DenseResult> readDenseSummary(const std::filesystem::path& path, std::size_t& points) {
  const auto head = readPackedHead(path);
  if (!head.ok()) return head.error();
  try {
    return resultFrom(*head, points);
  } catch (const std::exception&) {
    return wrong(path);
  }
}

}  // namespace dusky
