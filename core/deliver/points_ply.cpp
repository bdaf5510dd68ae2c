#include <fmt/format.h>

#include <bit>
#include <cstring>
#include <limits>
#include <span>

#include "core/deliver/delivery_view.h"
#include "core/deliver/writers.h"

namespace dusky {
namespace {

static_assert(std::endian::native == std::endian::little, "PLY is written as the machine has it");

template <class T>
void append(std::string& bytes, T value) {
  char raw[sizeof(T)];
  std::memcpy(raw, &value, sizeof(T));
  bytes.append(raw, sizeof(T));
}
}  // namespace

std::string plyOfPoints(const DeliveryView& view, const Similarity& turned, const DenseCloud* dense) {
  std::string body;
  for (const DeliveryView::Point& point : view.points) {
    for (double c : Vec3(turned * point.at)) append(body, static_cast<float>(c));
    append(body, point.color.r);
    append(body, point.color.g);
    append(body, point.color.b);
    append(body, static_cast<std::int32_t>(point.track));
    append(body, static_cast<float>(point.error_px));
    append(body, static_cast<float>(turned.scale * point.sigma));
  }
  const Similarity from_solve = turned * view.world_from_solve;
  const auto more = dense ? std::span<const DensePoint>(dense->points) : std::span<const DensePoint>();
  for (const DensePoint& point : more) {
    for (double c : Vec3(from_solve * point.at.cast<double>())) append(body, static_cast<float>(c));
    append(body, point.color.r);
    append(body, point.color.g);
    append(body, point.color.b);
    append(body, std::int32_t{-1});
    append(body, std::numeric_limits<float>::quiet_NaN());
    append(body, static_cast<float>(from_solve.scale) * point.sigma);
  }
  return fmt::format(
             "ply\nformat binary_little_endian 1.0\ncomment Dusky Moth points, right-handed, {} up, {}\nelement vertex {}\n"
             "property float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\n"
             "property int track\nproperty float error_px\nproperty float sigma\nend_header\n",
             view.up == UpAxis::Z ? 'Z' : 'Y',
             turned.scale != 1  ? "scaled"
             : view.unit == "m" ? "metres"
                                : view.unit,
             view.points.size() + more.size()) +
         body;
}

std::string pointsPly(const DeliveryInput&, const DeliveryView& view) { return plyOfPoints(view, view.turnedUp()); }
}  // namespace dusky
