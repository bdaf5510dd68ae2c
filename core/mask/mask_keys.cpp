#include "core/mask/mask_keys.h"

#include <algorithm>
#include <cmath>

namespace dusky {
namespace {

using Vec = Eigen::Vector2d;

auto keyIn(auto& keys, int frame) {
  return std::lower_bound(keys.begin(), keys.end(), frame, [](const MaskKey& key, int f) { return key.frame < f; });
}

}  // namespace

void putKey(Mask& mask, MaskKey key) {
  const auto place = keyIn(mask.keys, key.frame);
  if (place != mask.keys.end() && place->frame == key.frame)
    *place = std::move(key);
  else
    mask.keys.insert(place, std::move(key));
}

bool removeKey(Mask& mask, int frame) {
  const auto place = keyIn(mask.keys, frame);
  if (mask.keys.size() < 2 || place == mask.keys.end() || place->frame != frame) return false;
  mask.keys.erase(place);
  return true;
}

bool moveKey(Mask& mask, int from, int to) {
  const auto place = keyIn(mask.keys, from);
  if (place == mask.keys.end() || place->frame != from) return false;
  MaskKey key = std::move(*place);
  mask.keys.erase(place);
  key.frame = to;
  putKey(mask, std::move(key));
  return true;
}

std::optional<int> neighbourKey(const Mask& mask, int frame, int direction) {
  std::optional<int> nearest;
  for (const MaskKey& key : mask.keys) {
    const bool ahead = direction > 0 ? key.frame > frame : key.frame < frame;
    if (ahead && (!nearest || std::abs(key.frame - frame) < std::abs(*nearest - frame))) nearest = key.frame;
  }
  return nearest;
}

Vec toPicture(const MaskKey& key, const Vec& own) {
  const double c = key.scale * std::cos(key.rotation_rad), s = key.scale * std::sin(key.rotation_rad);
  return key.position + Vec(c * own.x() - s * own.y(), s * own.x() + c * own.y());
}

Vec toOwn(const MaskKey& key, const Vec& picture) {
  const Vec away = (picture - key.position) / std::max(key.scale, 1e-9);
  const double c = std::cos(key.rotation_rad), s = std::sin(key.rotation_rad);
  return {c * away.x() + s * away.y(), -s * away.x() + c * away.y()};
}

void insertPoint(Mask& mask, int after) {
  for (MaskKey& key : mask.keys) {
    const auto count = static_cast<int>(key.points.size());
    if (after < 0 || after >= count) continue;
    const auto at = [&](int i) { return key.points[static_cast<std::size_t>((after + i + count) % count)]; };
    const Vec middle = (9 * (at(0) + at(1)) - at(-1) - at(2)) / 16;  // half way along the curve itself
    key.points.insert(key.points.begin() + after + 1, middle);
  }
}

bool removePoint(Mask& mask, int index) {
  const auto fewest =
      std::min_element(mask.keys.begin(), mask.keys.end(), [](const MaskKey& a, const MaskKey& b) { return a.points.size() < b.points.size(); });
  if (fewest == mask.keys.end() || fewest->points.size() <= 3 || index < 0) return false;
  for (MaskKey& key : mask.keys) {
    if (index < static_cast<int>(key.points.size())) key.points.erase(key.points.begin() + index);
  }
  return true;
}

bool insideLine(const std::vector<Vec>& line, const Vec& place) {
  bool inside = false;
  for (std::size_t i = 0, j = line.size() - 1; i < line.size(); j = i++) {
    const Vec &a = line[i], &b = line[j];
    if ((a.y() > place.y()) != (b.y() > place.y()) && place.x() < (b.x() - a.x()) * (place.y() - a.y()) / (b.y() - a.y()) + a.x()) inside = !inside;
  }
  return inside;
}

bool covers(const Mask& mask, int frame, const Vec& place) { return insideLine(outlineOf(mask, frame), place); }

}  // namespace dusky
