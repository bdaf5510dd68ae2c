#include "core/dense/patch_score.h"

#include <algorithm>

namespace dusky {
namespace {

constexpr int kMiddle = kPatchColumns / 2;
/// Grey levels by which a pixel may differ and still count half.
constexpr float kSoftness = 18;

constexpr std::array<int, kPatchRows> kRows = {-3, -1, 1, 3, -2, 0, 2};
constexpr std::size_t kHalf = 4;
constexpr std::size_t rowsOf(PatchPart part) { return part == PatchPart::All ? kPatchRows : kHalf; }
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

}  // namespace

PatchScorer::PatchScorer(const MatchPicture& reference, std::span<const MatchPicture* const> neighbours, int stride, float noise)
    : reference_(reference), stride_(stride), noise_variance_(noise * noise) {
  const Pinhole& from = reference.camera;
  for (const MatchPicture* picture : neighbours.first(std::min<std::size_t>(neighbours.size(), kMostNeighbours))) {
    const Pinhole& to = picture->camera;
    const Mat3 pixel_from_camera = (Mat3() << to.fx, 0, to.cx, 0, to.fy, to.cy, 0, 0, 1).finished();
    const Mat3 turn = (to.pose.world_from_camera.conjugate() * from.pose.world_from_camera).toRotationMatrix();
    neighbours_.push_back({picture, (pixel_from_camera * turn).cast<float>(), (pixel_from_camera * to.pose.toCamera(from.pose.centre)).cast<float>()});
  }
}

PatchScorer::Patch PatchScorer::patchAt(int x, int y) const {
  const FloatPlane& grey = reference_.grey;
  Patch patch;
  patch.u = static_cast<float>(x) + 0.5F, patch.v = static_cast<float>(y) + 0.5F;
  patch.ray = reference_.camera.ray({x + 0.5, y + 0.5}).cast<float>();
  for (std::size_t k = 0; k < neighbours_.size(); ++k) patch.seen[k] = neighbours_[k].pixel_from_ray * patch.ray;
  const float middle = grey.at(x, y);
  const int reach = kMiddle * stride_;
  const bool inner = stride_ == 1 && x >= reach && x + reach + 1 < grey.width && reference_.usable.empty();
  Lanes weights = {}, sum = {}, squares = {};
  for (std::size_t r = 0; r < kPatchRows; ++r) {
    const int row = std::clamp(y + kRows[r] * stride_, 0, grey.height - 1);
    Lanes usable = kInside, values;
    if (inner) {
      values = lanesAt(grey.row(row) + x - reach);
    } else {
      for (int c = 0; c < kLanes; ++c) {
        const int column = std::clamp(x + (c - kMiddle) * stride_, 0, grey.width - 1);
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

float PatchScorer::costWith(const Patch& patch, const Facet& facet, std::size_t neighbour, PatchPart part) const {
  const Neighbour& n = neighbours_[neighbour];
  const float inverse_depth = facet.dot(patch.ray);
  const Eigen::Vector3f at = patch.seen[neighbour] + inverse_depth * n.shift;
  if (!(at.z() > 1e-6F)) return kWorstCost;
  const float over = 1 / at.z(), u = at.x() * over, v = at.y() * over;
  const auto width = static_cast<float>(n.picture->grey.width), height = static_cast<float>(n.picture->grey.height);
  if (!(u > 0 && v > 0 && u < width && v < height)) return kWorstCost;
  if (!n.picture->usable.empty() && n.picture->usable.at(static_cast<int>(u), static_cast<int>(v)) == 0) return kWorstCost;
  // How places move over there as they move here; over a patch the homography is as good as straight.
  const auto step = static_cast<float>(stride_);
  const float per_x = step / static_cast<float>(reference_.camera.fx), per_y = step / static_cast<float>(reference_.camera.fy);
  const Eigen::Vector3f right = per_x * (n.pixel_from_ray.col(0) + facet.x() * n.shift), down = per_y * (n.pixel_from_ray.col(1) + facet.y() * n.shift);
  const float u_right = (right.x() - u * right.z()) * over, v_right = (right.y() - v * right.z()) * over;
  const float u_down = (down.x() - u * down.z()) * over, v_down = (down.y() - v * down.z()) * over;
  const bool inside = [&] {
    const float across = 4 * std::abs(u_right) + 3 * std::abs(u_down) + 1, along = 4 * std::abs(v_right) + 3 * std::abs(v_down) + 1;
    return u > across && v > along && u < width - across && v < height - along;
  }();
  const Row row{u + kColumns * u_right, v + kColumns * v_right, u_down, v_down};
  Sums compared;
  if (part == PatchPart::All) {
    compared = inside ? compare<kPatchRows, true>(*n.picture, patch, row) : compare<kPatchRows, false>(*n.picture, patch, row);
  } else {
    compared = inside ? compare<kHalf, true>(*n.picture, patch, row) : compare<kHalf, false>(*n.picture, patch, row);
  }
  const auto& [sum, squares, products] = compared;
  const Four sums = sumsOf(sum, squares, products, products);
  const auto& [per_weight, mean_here, variance_here] = patch.sums[part == PatchPart::All ? 1 : 0];
  const float mean = sums[0] * per_weight, variance = std::max(0.0F, sums[1] * per_weight - mean * mean);
  return 1 - (sums[2] * per_weight - mean_here * mean) / std::sqrt((variance_here + noise_variance_) * (variance + noise_variance_));
}

float PatchScorer::cost(const Patch& patch, const Facet& facet, Views views, PatchPart part) const {
  if (!(facet.dot(patch.ray) > 0)) return kWorstCost;
  float sum = 0;
  int count = 0;
  for (std::size_t k = 0; k < neighbours_.size(); ++k) {
    if (views >> k & 1) sum += costWith(patch, facet, k, part), ++count;
  }
  return count > 0 ? sum / static_cast<float>(count) : kWorstCost;
}

std::pair<PatchScorer::Views, float> PatchScorer::bestViews(const Patch& patch, const Facet& facet, PatchPart part) const {
  std::array<std::pair<float, int>, kMostNeighbours> costs;
  const int count = static_cast<int>(neighbours_.size()), good = (count + 1) / 2;
  for (int k = 0; k < count; ++k) costs[k] = {costWith(patch, facet, static_cast<std::size_t>(k), part), k};
  std::partial_sort(costs.begin(), costs.begin() + good, costs.begin() + count);
  Views views = 0;
  float sum = 0;
  for (int k = 0; k < good; ++k) views = static_cast<Views>(views | 1 << costs[k].second), sum += costs[k].first;
  return {views, sum / static_cast<float>(good)};
}

float PatchScorer::inverseDepthOfPixel(const Patch& patch, float inverse_depth) const {
  float fastest = 1e-12F;
  for (std::size_t k = 0; k < neighbours_.size(); ++k) {
    const Eigen::Vector3f& shift = neighbours_[k].shift;
    const Eigen::Vector3f at = patch.seen[k] + inverse_depth * shift;
    if (!(at.z() > 1e-6F)) continue;
    const float over = 1 / at.z();
    const float du = (shift.x() - at.x() * over * shift.z()) * over, dv = (shift.y() - at.y() * over * shift.z()) * over;
    fastest = std::max(fastest, std::sqrt(du * du + dv * dv));
  }
  return 1 / fastest;
}

}  // namespace dusky
