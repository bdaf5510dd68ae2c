#include "core/dense/picture_offset.h"

#include <Eigen/LU>
#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <optional>
#include <vector>

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/base/progress.h"
#include "core/image/pyramid.h"

namespace dusky {
namespace {

constexpr int kReach = 3;  // px, of a patch
constexpr int kSide = 2 * kReach + 1;
constexpr int kAcross = 4, kDown = 3;  // parts of the picture
constexpr int kSamplesAcross = 80;
constexpr std::size_t kLeastSamples = 12, kLeastParts = 3;
constexpr float kMostCost = 0.35F;  // 1 - correlation
constexpr double kMostSigma_px = 0.3, kMostShift_px = 1.5;

using Mat2 = Eigen::Matrix2d;
using PatchValues = std::array<double, static_cast<std::size_t>(kSide) * kSide>;

/// What the depth map has at a pixel as a small plane: where it and what lies around it is in another picture.
struct Placed {
  Vec2 at;
  Mat2 by_pixel;  ///< How that moves with the pixel here.
  Vec2 along;     ///< The way in which it moves with depth, unit.
};

std::optional<Placed> placedIn(const Pinhole& there, const DepthMap& map, int x, int y) {
  const auto& n = map.normal.at(x, y);
  const Vec3 normal(static_cast<double>(n[0]), static_cast<double>(n[1]), static_cast<double>(n[2]));
  const Vec2 pixel(x + 0.5, y + 0.5);
  const double depth = static_cast<double>(map.depth.at(x, y)), of_plane = depth * normal.dot(map.camera.ray(pixel));
  const auto seenFrom = [&](const Vec2& from) { return there.seen(map.camera.place(from, of_plane / normal.dot(map.camera.ray(from)))); };
  const auto middle = seenFrom(pixel), right = seenFrom(pixel + Vec2(kReach, 0)), down = seenFrom(pixel + Vec2(0, kReach)),
             deeper = there.seen(map.camera.place(pixel, 1.01 * depth));
  if (!middle || !right || !down || !deeper) return std::nullopt;
  Placed placed;
  placed.at = middle->head<2>();
  placed.by_pixel.col(0) = (right->head<2>() - placed.at) / kReach, placed.by_pixel.col(1) = (down->head<2>() - placed.at) / kReach;
  placed.along = deeper->head<2>() - placed.at;
  const double moved = placed.along.norm();
  if (!(moved > 1e-3) || !placed.by_pixel.allFinite()) return std::nullopt;
  placed.along /= moved;
  return placed;
}

/// A patch here, its slopes, and what a shift costs.
struct Patch {
  PatchValues values, across, down;  ///< Less their means.
  Mat2 inverse;                      ///< Of the products of the slopes.
  double contrast = 0;               ///< Sum of squares.
};

std::optional<Patch> patchAt(const FloatPlane& grey, int x, int y) {
  Patch patch;
  std::size_t k = 0;
  for (int j = y - kReach; j <= y + kReach; ++j) {
    for (int i = x - kReach; i <= x + kReach; ++i, ++k) {
      patch.values[k] = static_cast<double>(grey.at(i, j));
      patch.across[k] = 0.5 * static_cast<double>(grey.at(i + 1, j) - grey.at(i - 1, j));
      patch.down[k] = 0.5 * static_cast<double>(grey.at(i, j + 1) - grey.at(i, j - 1));
    }
  }
  for (PatchValues* each : {&patch.values, &patch.across, &patch.down}) {
    double mean = 0;
    for (const double v : *each) mean += v / static_cast<double>(each->size());
    for (double& v : *each) v -= mean;
  }
  Mat2 products = Mat2::Zero();
  for (k = 0; k < patch.values.size(); ++k) {
    const Vec2 slope(patch.across[k], patch.down[k]);
    products += slope * slope.transpose(), patch.contrast += patch.values[k] * patch.values[k];
  }
  if (!(products.determinant() > 1e-6)) return std::nullopt;
  patch.inverse = products.inverse();
  return patch;
}

/// How far what the other picture shows lies from where it should, px here; nothing where it is not found near by.
std::optional<Vec2> shiftOf(const Patch& patch, const FloatPlane& there, const Placed& placed) {
  Vec2 shift = Vec2::Zero();
  for (int round = 0; round < 3; ++round) {
    PatchValues values;
    std::size_t k = 0;
    double mean = 0;
    for (int j = -kReach; j <= kReach; ++j) {
      for (int i = -kReach; i <= kReach; ++i, ++k) {
        const Vec2 at = placed.at + placed.by_pixel * (Vec2(i, j) + shift);
        if (!(at.x() > 1 && at.y() > 1 && at.x() < there.width - 1 && at.y() < there.height - 1)) return std::nullopt;
        values[k] = static_cast<double>(sampleLinear(there, static_cast<float>(at.x()), static_cast<float>(at.y()))),
        mean += values[k] / static_cast<double>(values.size());
      }
    }
    double squares = 0, products = 0;
    for (k = 0; k < values.size(); ++k) values[k] -= mean, squares += values[k] * values[k], products += values[k] * patch.values[k];
    if (!(squares > 0) || products < 0.7 * std::sqrt(squares * patch.contrast)) return std::nullopt;
    const double gain = std::sqrt(patch.contrast / squares);
    Vec2 sum = Vec2::Zero();
    for (k = 0; k < values.size(); ++k) sum += (patch.values[k] - gain * values[k]) * Vec2(patch.across[k], patch.down[k]);
    shift += patch.inverse * sum;
    if (!(shift.norm() < kMostShift_px)) return std::nullopt;
  }
  return shift;
}

struct Sample {
  std::size_t part;
  double off_px;
};

/// Of a row of samples across a picture.
std::vector<Sample> samplesIn(const MatchPicture& reference, const MatchPicture& there, const DepthMap& map, float noise, int y, int step) {
  std::vector<Sample> samples;
  const int width = map.depth.width, height = map.depth.height;
  for (int x = kReach + 1 + step / 2; x < width - kReach - 1; x += step) {
    const float depth = map.depth.at(x, y);
    if (!(depth > 0) || !(map.cost.at(x, y) < kMostCost) || !(map.sigma.at(x, y) < 0.01F * depth)) continue;
    const auto placed = placedIn(there.camera, map, x, y);
    if (!placed || !(placed->at.x() > 1 && placed->at.y() > 1 && placed->at.x() < there.grey.width - 1 && placed->at.y() < there.grey.height - 1) ||
        !there.uses(static_cast<int>(placed->at.x()), static_cast<int>(placed->at.y())))
      continue;
    const auto patch = patchAt(reference.grey, x, y);
    if (!patch) continue;
    const Vec2 across = placed->by_pixel.transpose() * Vec2(-placed->along.y(), placed->along.x());
    const double variance = 2 * static_cast<double>(noise * noise) * across.dot(patch->inverse * across);
    if (variance > kMostSigma_px * kMostSigma_px) continue;
    const auto shift = shiftOf(*patch, there.grey, *placed);
    if (!shift) continue;
    samples.push_back({static_cast<std::size_t>(kAcross * (kDown * y / height) + kAcross * x / width), across.dot(*shift)});
  }
  return samples;
}

/// Of what the parts are off the middle one, less what the samples' spread makes of it; unknown where too few tell.
double middlePart(const std::vector<std::vector<double>>& parts) {
  std::vector<double> off;
  for (const std::vector<double>& part : parts) {
    if (part.size() < kLeastSamples) continue;
    const double middle = median(part);
    std::vector<double> apart;
    for (const double each : part) apart.push_back(std::abs(each - middle));
    const double spread = 1.4826 * median(std::move(apart));
    off.push_back(std::sqrt(std::max(0.0, middle * middle - std::numbers::pi / 2 * spread * spread / static_cast<double>(part.size()))));
  }
  return off.size() < kLeastParts ? kUnknown : median(std::move(off));
}

}  // namespace

double pictureOffset_px(const MatchPicture& reference, std::span<const MatchPicture* const> neighbours, const DepthMap& map, float noise) {
  const int step = std::max(3, map.depth.width / kSamplesAcross), rows = (map.depth.height - 2 * kReach - 2) / step;
  std::vector<double> offsets;
  for (const MatchPicture* there : neighbours) {
    std::vector<std::vector<Sample>> found(static_cast<std::size_t>(std::max(0, rows)));
    parallelFor(static_cast<int>(found.size()),
                [&](int k) { found[static_cast<std::size_t>(k)] = samplesIn(reference, *there, map, noise, kReach + 1 + k * step, step); });
    std::vector<std::vector<double>> parts(static_cast<std::size_t>(kAcross * kDown));
    for (const auto& row : found) {
      for (const Sample& sample : row) parts[sample.part].push_back(sample.off_px);
    }
    if (const double off = middlePart(parts); !std::isnan(off)) offsets.push_back(off);
  }
  return offsets.empty() ? kUnknown : median(std::move(offsets));
}

}  // namespace dusky
