#include "core/track/descriptor.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace dusky {
namespace {

constexpr int kDirections = 36;  // of the histogram that gives the main one
constexpr int kFields = 4, kBins = 8;
constexpr float kTurn = 6.2831853f;

struct Gradient {
  float strength, angle;
};

/// atan2 to 0.004 rad, a seventieth of a bin. Source: Rajan, Wang, Inkol and Joyal, IEEE Signal Processing Magazine 23(3), 2006.
float angleOf(float y, float x) {
  const float ax = std::abs(x), ay = std::abs(y), low = std::min(ax, ay), high = std::max(ax, ay);
  const float t = high > 0 ? low / high : 0;
  float angle = t * (0.7853982f + 0.273f * (1 - t));
  if (ay > ax) angle = 0.25f * kTurn - angle;
  if (x < 0) angle = 0.5f * kTurn - angle;
  return y < 0 ? -angle : angle;
}

Gradient gradientAt(const FloatPlane& plane, int x, int y) {
  const float gx = plane.at(x + 1, y) - plane.at(x - 1, y), gy = plane.at(x, y + 1) - plane.at(x, y - 1);
  return {std::sqrt(gx * gx + gy * gy), angleOf(gy, gx)};
}

int binOf(float angle, int bins) { return static_cast<int>(std::floor(angle / kTurn * static_cast<float>(bins) + static_cast<float>(bins))) % bins; }

/// Calls visit(dx, dy, weight, gradient) for the pixels within `radius` of a place; weight is exp(-(dx^2 + dy^2) / width^2).
template <class Visit>
void eachPixel(const FloatPlane& plane, const Eigen::Vector2f& place, float radius, float width, const Visit& visit) {
  const int x0 = static_cast<int>(place.x() - radius), x1 = static_cast<int>(place.x() + radius);
  const int y0 = static_cast<int>(place.y() - radius), y1 = static_cast<int>(place.y() + radius);
  const float scale = -1 / (width * width);
  thread_local std::vector<float> across;
  across.clear();
  for (int x = x0; x <= x1; ++x) {
    const float dx = static_cast<float>(x) + 0.5f - place.x();
    across.push_back(std::exp(scale * dx * dx));
  }
  for (int y = y0; y <= y1; ++y) {
    const float dy = static_cast<float>(y) + 0.5f - place.y(), down = std::exp(scale * dy * dy);
    for (int x = x0; x <= x1; ++x)
      visit(static_cast<float>(x) + 0.5f - place.x(), dy, down * across[static_cast<std::size_t>(x - x0)], gradientAt(plane, x, y));
  }
}

float mainDirection(const FloatPlane& plane, const Eigen::Vector2f& place, float radius) {
  std::array<float, kDirections> histogram{};
  eachPixel(plane, place, radius, radius * std::sqrt(0.5f),
            [&](float, float, float weight, const Gradient& g) { histogram[static_cast<std::size_t>(binOf(g.angle, kDirections))] += g.strength * weight; });
  // Neighbours of the histogram share, then the peak is set between bins by a parabola.
  std::array<float, kDirections> smooth{};
  for (int i = 0; i < kDirections; ++i) {
    const auto at = [&](int k) { return histogram[static_cast<std::size_t>((i + k + kDirections) % kDirections)]; };
    smooth[static_cast<std::size_t>(i)] = 0.4f * at(0) + 0.2f * (at(-1) + at(1)) + 0.1f * (at(-2) + at(2));
  }
  const int peak = static_cast<int>(std::max_element(smooth.begin(), smooth.end()) - smooth.begin());
  const float here = smooth[static_cast<std::size_t>(peak)], before = smooth[static_cast<std::size_t>((peak + kDirections - 1) % kDirections)];
  const float after = smooth[static_cast<std::size_t>((peak + 1) % kDirections)], bend = before - 2 * here + after;
  const float offset = bend < -1e-6f ? 0.5f * (before - after) / bend : 0;
  return (static_cast<float>(peak) + 0.5f + offset) / kDirections * kTurn;
}

/// Adds to the eight bins around a place of the histogram of fields and directions.
void spread(std::array<float, 128>& out, float u, float v, float angle, float amount) {
  const float x = u - 0.5f, y = v - 0.5f, d = angle / kTurn * kBins;
  const int ix = static_cast<int>(std::floor(x)), iy = static_cast<int>(std::floor(y)), id = static_cast<int>(std::floor(d));
  for (int k = 0; k < 8; ++k) {
    const int cx = ix + (k & 1), cy = iy + ((k >> 1) & 1), cd = id + (k >> 2);
    if (cx < 0 || cy < 0 || cx >= kFields || cy >= kFields) continue;
    const float share = (1 - std::abs(x - static_cast<float>(cx))) * (1 - std::abs(y - static_cast<float>(cy))) * (1 - std::abs(d - static_cast<float>(cd)));
    out[static_cast<std::size_t>((cy * kFields + cx) * kBins + (cd + 2 * kBins) % kBins)] += share * amount;
  }
}

bool toUnit(std::array<float, 128>& values, float most) {
  float length = 0;
  for (const float v : values) length += v * v;
  length = std::sqrt(length);
  if (length < 1e-3f) return false;
  for (float& v : values) v = std::min(v / length, most);
  return true;
}

}  // namespace

int Descriptor::distanceTo(const Descriptor& other) const {
  int sum = 0;
  for (std::size_t i = 0; i < values.size(); ++i) {
    const int d = static_cast<int>(values[i]) - static_cast<int>(other.values[i]);
    sum += d * d;
  }
  return sum;
}

int Descriptor::distanceWithin(const Descriptor& other, int limit) const {
  constexpr std::size_t kPiece = 32;
  int sum = 0;
  for (std::size_t begin = 0; begin < values.size() && sum < limit; begin += kPiece) {
    for (std::size_t i = begin; i < begin + kPiece; ++i) {
      const int d = static_cast<int>(values[i]) - static_cast<int>(other.values[i]);
      sum += d * d;
    }
  }
  return sum;
}

std::optional<Descriptor> describeAt(const FloatPlane& plane, const Eigen::Vector2f& place, float radius) {
  const float reach = 1.42f * radius + 2;  // the square of fields may stand on its corner
  if (place.x() < reach || place.y() < reach || place.x() > static_cast<float>(plane.width) - reach - 1 ||
      place.y() > static_cast<float>(plane.height) - reach - 1)
    return std::nullopt;
  Descriptor descriptor;
  descriptor.direction_rad = mainDirection(plane, place, radius);
  const float c = std::cos(descriptor.direction_rad), s = std::sin(descriptor.direction_rad), per_field = 2 * radius / kFields;
  std::array<float, 128> values{};
  eachPixel(plane, place, 1.42f * radius, radius * std::sqrt(2.0f), [&](float dx, float dy, float weight, const Gradient& g) {
    const float u = (c * dx + s * dy) / per_field + kFields / 2, v = (c * dy - s * dx) / per_field + kFields / 2;
    if (u < -0.5f || v < -0.5f || u > kFields + 0.5f || v > kFields + 0.5f) return;
    spread(values, u, v, g.angle - descriptor.direction_rad, weight * g.strength);
  });
  // Clipping keeps one strong edge from deciding alone.
  if (!toUnit(values, 0.2f) || !toUnit(values, 1.0f)) return std::nullopt;
  for (std::size_t i = 0; i < values.size(); ++i) descriptor.values[i] = static_cast<std::uint8_t>(std::min(255.0f, 512 * values[i]));
  return descriptor;
}

}  // namespace dusky
