#include "core/deliver/dense_ply.h"

#include <fmt/format.h>

#include <array>
#include <bit>
#include <cstring>

#include "core/base/atomic_file.h"

namespace dusky {
namespace {

static_assert(std::endian::native == std::endian::little, "PLY is written as the machine has it");

constexpr std::size_t kFloats = 8, kPointBytes = 4 * kFloats + 4;

void put(const DensePoint& point, const Similarity& world, const Eigen::Matrix3f& turn, char* to) {
  const Eigen::Vector3f at = (world * point.at.cast<double>()).cast<float>(), normal = turn * point.normal;
  const std::array<float, 6> place = {at.x(), at.y(), at.z(), normal.x(), normal.y(), normal.z()};
  const std::array<std::uint8_t, 3> color = {point.color.r, point.color.g, point.color.b};
  const std::array<float, 2> sure = {point.confidence, static_cast<float>(world.scale) * point.sigma};
  std::memcpy(to, place.data(), 24), std::memcpy(to + 24, color.data(), 3), std::memcpy(to + 27, sure.data(), 8);
  to[35] = static_cast<char>(point.views);
}

}  // namespace

FileWorld fileWorldOf(const SceneFrame& scene) { return {scene.worldFromSolve(), scene.up, scene.metric ? "metres" : "units", scene.metric ? 1.0 : 0.0}; }

FileWorld fileWorldOf(const DeliveryView& view) {
  return {view.turnedUp() * view.world_from_solve, view.up, view.unit == "m" ? "metres" : view.unit, view.metres};
}

Status writeDensePly(const std::filesystem::path& path, const DenseCloud& cloud, const FileWorld& told, const Progress& progress) {
  const Similarity& world = told.world_from_solve;
  const Eigen::Matrix3f turn = world.rotation.toRotationMatrix().cast<float>();
  std::string bytes = fmt::format(
      "ply\nformat binary_little_endian 1.0\ncomment Dusky Moth dense points, right-handed, {} up, {}\nelement vertex {}\n"
      "property float x\nproperty float y\nproperty float z\nproperty float nx\nproperty float ny\nproperty float nz\n"
      "property uchar red\nproperty uchar green\nproperty uchar blue\nproperty float confidence\nproperty float sigma\nproperty uchar views\nend_header\n",
      told.up == UpAxis::Z ? 'Z' : 'Y', told.unit, cloud.points.size());
  std::size_t at = bytes.size();
  bytes.resize(at + cloud.points.size() * kPointBytes);
  for (const DensePoint& point : cloud.points) {
    put(point, world, turn, bytes.data() + at);
    at += kPointBytes;
  }
  if (progress.stopRequested()) return cancelled();
  return writeFileAtomically(path, bytes);
}

}  // namespace dusky
