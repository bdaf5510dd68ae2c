#include "core/dense/patch_score.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace dusky {
namespace {

constexpr int kMiddle = kPatchColumns / 2;
/// Grey levels by which a pixel may differ and still count half.
constexpr float kSoftness = 18;

constexpr std::array<int, kPatchRows> kRows = {-3, -1, 1, 3, -2, 0, 2};
constexpr std::size_t kHalf = 4;
const Lanes kColumns = Lanes{0, 1, 2, 3, 4, 5, 6, 7} - static_cast<float>(kMiddle);
const Lanes kInside = {1, 1, 1, 1, 1, 1, 1, 0};

/// Where a patch's middle row lies in another picture, and how the rows lie apart there.
struct Row {
  Lanes u, v;
  float u_down, v_down;
};
struct Sums {
  Lanes values = {}, squares = {}, products = {};
};

template <std::size_t kCount, bool kInside>
Sums compare(const MatchPicture& picture, const PatchScorer::Patch& patch, const Row& row) {
  Sums sums;
#pragma GCC unroll 8
  for (std::size_t r = 0; r < kCount; ++r) {
    const auto off = static_cast<float>(kRows[r]);
    const Lanes value = picture.at<kInside>(row.u + off * row.u_down, row.v + off * row.v_down);
    const Lanes weighted = patch.weight[r] * value;
    sums.values += weighted, sums.squares += weighted * value, sums.products += patch.difference[r] * value;
  }
  return sums;
}

/// Sums of values, squares and products over a patch.
Four compared(const MatchPicture& picture, const PatchScorer::Patch& patch, const Row& row, PatchPart part, bool inside) {
  const Sums sums = part == PatchPart::All ? (inside ? compare<kPatchRows, true>(picture, patch, row) : compare<kPatchRows, false>(picture, patch, row))
                                           : (inside ? compare<kHalf, true>(picture, patch, row) : compare<kHalf, false>(picture, patch, row));
  return sumsOf(sums.values, sums.squares, sums.products, sums.products);
}

}  // namespace

PatchScorer::PatchScorer(const MatchPicture& reference, std::span<const MatchPicture* const> neighbours, float noise)
    : reference_(reference),
      count_(std::min(neighbours.size(), kMostNeighbours)),
      per_x_(static_cast<float>(1 / reference.camera.fx)),
      per_y_(static_cast<float>(1 / reference.camera.fy)),
      noise_variance_(noise * noise) {
  const Pinhole& from = reference.camera;
  for (std::size_t k = 0; k < kMostNeighbours; ++k) {
    Group& group = groups_[k / 4];
    const int lane = static_cast<int>(k % 4);
    Mat3 matrix = Mat3::Zero();
    Vec3 shift = Vec3::Zero(), moves_here = Vec3::Zero(), moves_there = Vec3::Zero(), time = Vec3::Zero();
    if (k < count_) {
      const MatchPicture* picture = neighbours[k];
      const Pinhole& to = picture->camera;
      const Mat3 pixel_from_camera = to.pixelFromCamera();
      matrix = pixel_from_camera * (to.pose.world_from_camera.conjugate() * from.pose.world_from_camera).toRotationMatrix();
      shift = pixel_from_camera * to.pose.toCamera(from.pose.centre);
      const Eigen::Quaterniond camera_from_world = to.pose.world_from_camera.conjugate();
      moves_here = pixel_from_camera * (camera_from_world * from.velocity), moves_there = pixel_from_camera * (camera_from_world * to.velocity);
      time = Vec3(to.time, to.time_x, to.time_y);
      rolls_ = rolls_ || from.rolls() || to.rolls();
      group.pictures[lane] = picture, group.width[lane] = static_cast<float>(picture->grey.width),
      group.height[lane] = static_cast<float>(picture->grey.height);
    }
    for (std::size_t r = 0; r < 3; ++r) {
      for (std::size_t c = 0; c < 3; ++c) group.pixel_from_ray[r][c][lane] = static_cast<float>(matrix(static_cast<int>(r), static_cast<int>(c)));
      group.shift[r][lane] = static_cast<float>(shift[static_cast<int>(r)]);
      group.moves_here[r][lane] = static_cast<float>(moves_here[static_cast<int>(r)]);
      group.moves_there[r][lane] = static_cast<float>(moves_there[static_cast<int>(r)]);
      group.time[r][lane] = static_cast<float>(time[static_cast<int>(r)]);
    }
  }
}

PatchScorer::Patch PatchScorer::patchAt(int x, int y) const {
  const FloatPlane& grey = reference_.grey;
  Patch patch;
  patch.ray = reference_.camera.ray({x + 0.5, y + 0.5}).cast<float>();
  patch.time = static_cast<float>(reference_.camera.timeOf({x + 0.5, y + 0.5}));
  for (std::size_t g = 0; 4 * g < count_; ++g) {
    for (std::size_t r = 0; r < 3; ++r) {
      const auto& row = groups_[g].pixel_from_ray[r];
      patch.seen[g][r] = row[0] * patch.ray.x() + row[1] * patch.ray.y() + row[2];
      patch.shift[g][r] = groups_[g].shift[r] + patch.time * (groups_[g].moves_here[r] - groups_[g].moves_there[r]);
    }
  }
  const float middle = grey.at(x, y);
  const int left = x - kMiddle;
  const bool inner = left >= 0 && left + kLanes <= grey.width, all_usable = reference_.usable.empty();
  Lanes weights = {}, sum = {}, squares = {};
  for (std::size_t r = 0; r < kPatchRows; ++r) {
    const int row = std::clamp(y + kRows[r], 0, grey.height - 1);
    Lanes usable = kInside, values;
    if (inner) {
      values = lanesAt(grey.row(row) + left);
      if (!all_usable) usable *= flagsAt(reference_.usable.row(row) + left);
    } else {
      for (int c = 0; c < kLanes; ++c) {
        const int column = std::clamp(left + c, 0, grey.width - 1);
        values[c] = grey.at(column, row);
        if (!reference_.uses(column, row)) usable[c] = 0;
      }
    }
    values -= middle;
    const Lanes off = values * (1 / kSoftness);
    patch.weight[r] = usable / (1 + off * off), patch.difference[r] = patch.weight[r] * values;
    weights += patch.weight[r], sum += patch.difference[r], squares += patch.difference[r] * values;
    if (r + 1 == kHalf || r + 1 == kPatchRows) {
      const Four all = sumsOf(weights, sum, squares, squares);
      const float per_weight = 1 / std::max(all[0], 1e-6F), mean = all[1] * per_weight;
      patch.sums[r + 1 == kHalf ? 0 : 1] = {per_weight, mean, std::max(0.0F, all[2] * per_weight - mean * mean)};
    }
  }
  return patch;
}

Four PatchScorer::costsOf(const Patch& patch, const Facet& facet, std::size_t group, Views views, PatchPart part) const {
  const Group& g = groups_[group];
  const std::array<Four, 3>& shift = patch.shift[group];
  const float inverse_depth = facet.dot(patch.ray);
  Four x = patch.seen[group][0] + inverse_depth * shift[0], y = patch.seen[group][1] + inverse_depth * shift[1],
       z = patch.seen[group][2] + inverse_depth * shift[2];
  Four over = 1 / z, u = x * over, v = y * over;
  if (rolls_) {
    const Four later = inverse_depth * (g.time[0] + u * g.time[1] + v * g.time[2] - patch.time);
    x -= later * g.moves_there[0], y -= later * g.moves_there[1], z -= later * g.moves_there[2];
    over = 1 / z, u = x * over, v = y * over;
  }
  // How places move over there as they move here; over a patch the homography is as good as straight.
  std::array<Four, 3> right, down;
  for (std::size_t r = 0; r < 3; ++r) {
    right[r] = per_x_ * (g.pixel_from_ray[r][0] + facet.x() * shift[r]);
    down[r] = per_y_ * (g.pixel_from_ray[r][1] + facet.y() * shift[r]);
  }
  const Four u_right = (right[0] - u * right[2]) * over, v_right = (right[1] - v * right[2]) * over;
  const Four u_down = (down[0] - u * down[2]) * over, v_down = (down[1] - v * down[2]) * over;
  const FourInts seen = (z > 1e-6F) & (u > 0) & (v > 0) & (u < g.width) & (v < g.height);
  const Four across = 4 * sizeOf(u_right) + 3 * sizeOf(u_down) + 1, along = 4 * sizeOf(v_right) + 3 * sizeOf(v_down) + 1;
  const FourInts inside = (u > across) & (v > along) & (u < g.width - across) & (v < g.height - along);
  Four values = {}, squares = {}, products = {};
  FourInts judged = {};
  for (int k = 0; k < 4; ++k) {
    if (!(views >> (4 * group + static_cast<std::size_t>(k)) & 1) || !seen[k]) continue;
    const MatchPicture& picture = *g.pictures[static_cast<std::size_t>(k)];
    if (!picture.uses(static_cast<int>(u[k]), static_cast<int>(v[k]))) continue;
    const Row row{u[k] + kColumns * u_right[k], v[k] + kColumns * v_right[k], u_down[k], v_down[k]};
    const Four sums = compared(picture, patch, row, part, inside[k] != 0);
    values[k] = sums[0], squares[k] = sums[1], products[k] = sums[2], judged[k] = -1;
  }
  const auto& [per_weight, mean_here, variance_here] = patch.sums[part == PatchPart::All ? 1 : 0];
  const Four mean = values * per_weight, spread = squares * per_weight - mean * mean, variance = spread > 0 ? spread : Four{};
  const Four cost = 1 - (products * per_weight - mean_here * mean) / rootOf((variance_here + noise_variance_) * (variance + noise_variance_));
  return judged ? cost : allFour(kWorstCost);
}

float PatchScorer::cost(const Patch& patch, const Facet& facet, Views views, PatchPart part) const {
  if (!(facet.dot(patch.ray) > 0)) return kWorstCost;
  float sum = 0;
  for (std::size_t g = 0; 4 * g < count_; ++g) {
    if (!(views >> (4 * g) & 15)) continue;
    const Four costs = costsOf(patch, facet, g, views, part);
    for (std::size_t k = 0; k < 4; ++k) sum += views >> (4 * g + k) & 1 ? costs[k] : 0;
  }
  const int count = std::popcount(views);
  return count > 0 ? sum / static_cast<float>(count) : kWorstCost;
}

std::pair<PatchScorer::Views, float> PatchScorer::bestViews(const Patch& patch, const Facet& facet, PatchPart part) const {
  std::array<std::pair<float, int>, kMostNeighbours> costs;
  const int count = static_cast<int>(count_), good = (count + 1) / 2;
  for (std::size_t g = 0; 4 * g < count_; ++g) {
    const Four here = costsOf(patch, facet, g, 255, part);
    for (int k = 0; k < 4; ++k) costs[4 * g + static_cast<std::size_t>(k)] = {here[k], static_cast<int>(4 * g) + k};
  }
  std::partial_sort(costs.begin(), costs.begin() + good, costs.begin() + count);
  Views views = 0;
  float sum = 0;
  for (int k = 0; k < good; ++k) views = static_cast<Views>(views | 1 << costs[k].second), sum += costs[k].first;
  return {views, sum / static_cast<float>(good)};
}

float PatchScorer::inverseDepthOfPixel(const Patch& patch, float inverse_depth) const {
  float fastest = 1e-24F;
  for (std::size_t g = 0; 4 * g < count_; ++g) {
    const auto& shift = patch.shift[g];
    const Four z = patch.seen[g][2] + inverse_depth * shift[2], over = 1 / z;
    const Four u = (patch.seen[g][0] + inverse_depth * shift[0]) * over, v = (patch.seen[g][1] + inverse_depth * shift[1]) * over;
    const Four du = (shift[0] - u * shift[2]) * over, dv = (shift[1] - v * shift[2]) * over;
    const Four square = z > 1e-6F ? du * du + dv * dv : Four{};
    for (int k = 0; k < 4; ++k) fastest = std::max(fastest, square[k]);
  }
  return 1 / std::sqrt(fastest);
}

}  // namespace dusky
