#include "core/track/reference.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>

#include "core/track/sampling.h"

namespace dusky {
namespace {

constexpr float kKeptAround = 1.5f;    // of the compared radius
constexpr float kWarpAnew_px = 0.35f;  // rest of the shape at the window's side above which the piece is warped anew
constexpr int kRounds = 14, kWarps = 2;
constexpr float kCorrelated = 4;  // neighbouring residuals are alike: one in so many counts

const Eight kSteps = (Eight() << 0, 1, 2, 3, 4, 5, 6, 7).finished();

/// Sums over a window, row by row, of a quantity times 1, dx and dy, or times 1, dx, dy, dx^2, dx dy and dy^2.
template <int Count>
class Moments {
 public:
  Moments() {
    for (Eight& a : all_) a.setZero();
  }
  void beginRow() {
    for (Eight& r : row_) r.setZero();
  }
  void add(const Eight& value, const Eight& dx) {
    const Eight by_x = value * dx;
    row_[0] += value, row_[1] += by_x;
    if constexpr (Count == 6) row_[2] += by_x * dx;
  }
  void endRow(float dy) {
    all_[0] += row_[0], all_[1] += row_[1], all_[2] += dy * row_[0];
    if constexpr (Count == 6) all_[3] += row_[2], all_[4] += dy * row_[1], all_[5] += dy * dy * row_[0];
  }
  Eigen::Matrix<float, Count, 1> sums() const {
    Eigen::Matrix<float, Count, 1> sums;
    for (int i = 0; i < Count; ++i) sums[i] = all_[i].sum();
    return sums;
  }

 private:
  Eight row_[Count == 6 ? 3 : 2], all_[Count];
};

/// Both slopes: x y, then both times dx, then both times dy, as the shape's columns follow the shift.
Eigen::Matrix<float, 6, 1> interleaved(const Eigen::Vector3f& x, const Eigen::Vector3f& y) {
  Eigen::Matrix<float, 6, 1> both;
  both << x[0], y[0], x[1], y[1], x[2], y[2];
  return both;
}

/// The normal matrix of shift and shape from the moments of the slopes' products.
Eigen::Matrix<float, 6, 6> normalOf(const Eigen::Matrix<float, 6, 1>& xx, const Eigen::Matrix<float, 6, 1>& xy, const Eigen::Matrix<float, 6, 1>& yy) {
  constexpr int kMoment[3][3] = {{0, 1, 2}, {1, 3, 4}, {2, 4, 5}};
  Eigen::Matrix<float, 6, 6> normal;
  for (int a = 0; a < 3; ++a) {
    for (int b = 0; b < 3; ++b) {
      const int m = kMoment[a][b];
      normal.block<2, 2>(2 * a, 2 * b) << xx[m], xy[m], xy[m], yy[m];
    }
  }
  return normal;
}

}  // namespace

/// What one comparison says.
struct Reference::Step {
  float likeness = 0;
  float mean = 0, gain = 0;  ///< What brings the picture's piece to the reference: gain * (sample - mean).
  Eigen::Vector2f shift_alone;
  Eigen::Matrix<float, 6, 1> whole;  ///< Shift x y, then the shape's columns.
};

Reference::Reference(const FloatPlane& plane, const Eigen::Vector2f& centre, int radius)
    : radius_(radius), reach_(static_cast<int>(std::ceil(kKeptAround * static_cast<float>(radius))) + 2) {
  if (!canSampleSquare(plane, centre, static_cast<float>(radius + 1))) return;
  // Near the picture's edge less is kept around.
  const float room =
      std::min({centre.x() - 2, centre.y() - 2, static_cast<float>(plane.width) - 2.5f - centre.x(), static_cast<float>(plane.height) - 2.5f - centre.y()});
  reach_ = std::min(reach_, static_cast<int>(room));
  piece_ = FloatPlane(2 * reach_ + 1, 2 * reach_ + 1);
  thread_local std::vector<float> block;
  const int kept = 2 * reach_ + 1, stride = strideOf(kept);
  block.resize(static_cast<std::size_t>(kept) * stride);
  sampleSquare(plane, centre.x() - static_cast<float>(reach_), centre.y() - static_cast<float>(reach_), kept, block.data());
  for (int y = 0; y < kept; ++y) std::copy_n(&block[y * stride], kept, piece_.row(y));
  warpTo(Eigen::Matrix2f::Identity());
}

bool Reference::warpTo(const Eigen::Matrix2f& shape) {
  const int wide = 2 * radius_ + 3, stride = strideOf(wide);
  shape_ = shape;
  weights_.clear();
  thread_local std::vector<float> block;
  block.resize(static_cast<std::size_t>(wide) * stride + 8);
  const auto middle = static_cast<float>(reach_) + 0.5f;
  if (shape.isIdentity(0)) {
    const int margin = reach_ - radius_ - 1;
    for (int y = 0; y < wide; ++y) std::copy_n(piece_.row(y + margin) + margin, wide, &block[y * stride]);
  } else {
    const Eigen::Matrix2f back = shape.inverse();
    const Eigen::Vector2f corner = back * Eigen::Vector2f::Constant(static_cast<float>(-radius_ - 1)) + Eigen::Vector2f::Constant(middle);
    if (!sampleSheared(piece_, corner, back, wide, block.data())) leaveOutUnknown(corner, back);
  }
  // What lies past the side is read, with no weight.
  for (int y = 0; y < wide; ++y) std::fill_n(&block[y * stride + wide], stride - wide, 0.0f);
  std::fill_n(&block[wide * stride], 8, 0.0f);
  if (prepare(block.data(), stride)) return true;
  values_.clear();
  return false;
}

const float* Reference::weightsInUse() const { return weights_.empty() ? windowOf(radius_).data() : weights_.data(); }

/// Where nothing is known of the warped piece no weight is given, nor to its neighbours, whose slopes cannot be trusted.
void Reference::leaveOutUnknown(const Eigen::Vector2f& corner, const Eigen::Matrix2f& back) {
  const int wide = 2 * radius_ + 3, side = wide - 2, stride = strideOf(side);
  weights_ = windowOf(radius_);
  for (int y = 0; y < wide; ++y) {
    for (int x = 0; x < wide; ++x) {
      const Eigen::Vector2f at = corner + back * Eigen::Vector2f(static_cast<float>(x), static_cast<float>(y));
      if (canSample(piece_, at.x(), at.y())) continue;
      for (int j = std::max(0, y - 2); j <= std::min(side - 1, y); ++j) {
        for (int i = std::max(0, x - 2); i <= std::min(side - 1, x); ++i) weights_[j * stride + i] = 0;
      }
    }
  }
}

/// Takes values and slopes from a block of one pixel more on each side, and works out what a step needs of them.
bool Reference::prepare(const float* block, int block_stride) {
  const int side = 2 * radius_ + 1, stride = strideOf(side);
  const auto count = static_cast<std::size_t>(side) * stride;
  values_.resize(count);
  slopes_.resize(2 * count);
  const float* weights = weightsInUse();
  const float base = block[(radius_ + 1) * block_stride + radius_ + 1];
  // Sums under the weights of value, slopes and their products, and of those times the place in the window.
  Eight weight = Eight::Zero(), value = Eight::Zero(), value_value = Eight::Zero();
  Moments<3> in_x, in_y, in_xv, in_yv;
  Moments<6> in_xx, in_xy, in_yy;
  for (int y = 0; y < side; ++y) {
    const float dy = static_cast<float>(y - radius_);
    in_x.beginRow(), in_y.beginRow(), in_xv.beginRow(), in_yv.beginRow(), in_xx.beginRow(), in_xy.beginRow(), in_yy.beginRow();
    for (int x = 0; x < stride; x += 8) {
      const float* p = block + (y + 1) * block_stride + x + 1;
      const std::size_t k = static_cast<std::size_t>(y) * stride + x;
      const Eight w = eightAt(weights + k), dx = kSteps + static_cast<float>(x - radius_), v = eightAt(p) - base;
      const Eight gx = 0.5f * (eightAt(p + 1) - eightAt(p - 1)), gy = 0.5f * (eightAt(p + block_stride) - eightAt(p - block_stride));
      const Eight wx = w * gx, wy = w * gy, wv = w * v;
      Eigen::Map<Eight>{&values_[k]} = v;
      Eigen::Map<Eight>{&slopes_[k]} = wx, Eigen::Map<Eight>{&slopes_[k + count]} = wy;
      weight += w, value += wv, value_value += wv * v;
      in_x.add(wx, dx), in_y.add(wy, dx), in_xv.add(wx * v, dx), in_yv.add(wy * v, dx);
      in_xx.add(wx * gx, dx), in_xy.add(wx * gy, dx), in_yy.add(wy * gy, dx);
    }
    in_x.endRow(dy), in_y.endRow(dy), in_xv.endRow(dy), in_yv.endRow(dy), in_xx.endRow(dy), in_xy.endRow(dy), in_yy.endRow(dy);
  }
  const float total = weight.sum();
  if (total < 0.6f) return false;
  const float mean = value.sum() / total, variance = value_value.sum() / total - mean * mean;
  if (!(variance > 0.25f)) return false;
  const float contrast = std::sqrt(variance), scale = 1 / contrast;
  for (std::size_t k = 0; k < count; k += 8) Eigen::Map<Eight>{&values_[k]} = (eightAt(&values_[k]) - mean) * scale;
  // Partly known windows count as if their weights summed to one.
  const float slope_scale = scale / total;
  for (std::size_t k = 0; k < 2 * count; k += 8) Eigen::Map<Eight>{&slopes_[k]} = eightAt(&slopes_[k]) * slope_scale;
  if (total < 0.999f) {
    for (float& w : weights_) w /= total;
  }
  const Eigen::Matrix<float, 6, 1> with_value = interleaved(in_xv.sums(), in_yv.sums());
  bias_ = slope_scale * interleaved(in_x.sums(), in_y.sums());
  gain_ = slope_scale * scale * with_value - mean * scale * bias_;
  Eigen::Matrix<float, 6, 6> normal = normalOf(in_xx.sums(), in_xy.sums(), in_yy.sums()) * (slope_scale * scale);
  // Without what a gain or a bias would explain.
  normal -= bias_ * bias_.transpose() + gain_ * gain_.transpose();
  return invert(normal);
}

/// What a step needs of the normal matrix of shift and shape.
bool Reference::invert(Eigen::Matrix<float, 6, 6> normal) {
  const Eigen::Matrix2f shift = normal.topLeftCorner<2, 2>();
  if (alongAnEdge(shift)) return false;
  inverse_shift_ = shift.inverse();
  const float* weights = weightsInUse();
  Eight squares = Eight::Zero();
  for (std::size_t k = 0; k < values_.size(); k += 8) squares += eightAt(weights + k).square();
  spread_ = squares.sum() / eigenvaluesOf(shift)[0];
  // Shape changes are small from frame to frame: hold them where the texture says little.
  normal.diagonal().tail<4>().array() += 1e-3f * normal.diagonal().tail<4>().maxCoeff();
  const Eigen::LDLT<Eigen::Matrix<float, 6, 6>> solver(normal);
  if (solver.info() != Eigen::Success || !(solver.rcond() > 1e-9f)) return false;
  inverse_ = solver.solve(Eigen::Matrix<float, 6, 6>::Identity());
  return true;
}

Reference::Step Reference::stepFrom(const float* seen) const {
  const int side = 2 * radius_ + 1, stride = strideOf(side);
  const auto count = values_.size();
  const float* weights = weightsInUse();
  // One pass, about a grey near the mean so that nothing is lost to rounding.
  const float base = seen[count / 2];
  Eight sum = Eight::Zero(), sum_squares = Eight::Zero(), sum_product = Eight::Zero();
  Moments<3> in_x, in_y;
  for (int y = 0; y < side; ++y) {
    in_x.beginRow(), in_y.beginRow();
    for (int x = 0; x < stride; x += 8) {
      const std::size_t k = static_cast<std::size_t>(y) * stride + x;
      const Eight sample = eightAt(seen + k) - base, weighted = eightAt(weights + k) * sample, dx = kSteps + static_cast<float>(x - radius_);
      sum += weighted;
      sum_squares += weighted * sample;
      sum_product += weighted * eightAt(&values_[k]);
      in_x.add(sample * eightAt(&slopes_[k]), dx), in_y.add(sample * eightAt(&slopes_[k + count]), dx);
    }
    const float dy = static_cast<float>(y - radius_);
    in_x.endRow(dy), in_y.endRow(dy);
  }
  Step step;
  const float off = sum.sum(), squares = std::max(0.0f, sum_squares.sum() - off * off), product = sum_product.sum(), length = std::sqrt(squares);
  step.mean = base + off;
  step.gain = product / std::max(squares, 1e-6f);
  step.likeness = squares > 1e-6f ? product / length : 0.0f;
  // Never let a reversed piece push.
  const float gain = step.likeness > 0.1f ? product / squares : 1 / std::max(length, 1e-3f);
  const Eigen::Matrix<float, 6, 1> slope = gain * (interleaved(in_x.sums(), in_y.sums()) - off * bias_ - product * gain_);
  step.shift_alone = -(inverse_shift_ * slope.head<2>());
  step.whole = -(inverse_ * slope);
  return step;
}

float Reference::sigmaOf(float likeness) const {
  const float share = std::max(likeness, 0.1f);
  return std::sqrt(kCorrelated * (1 / (share * share) - 1) * spread_);
}

/// Noise averages out over a ninth of the window; a piece of something else in front or behind does not.
float Reference::occludedShare(const float* seen, const Step& step) const {
  constexpr int kParts = 3, kMostBlocks = 8;
  const int side = 2 * radius_ + 1, stride = strideOf(side);
  const float* weights = weightsInUse();
  float worst = 0;
  for (int j = 0; j < kParts; ++j) {
    std::array<Eight, kMostBlocks> sums, shares;
    sums.fill(Eight::Zero()), shares.fill(Eight::Zero());
    for (int y = j * side / kParts; y < (j + 1) * side / kParts; ++y) {
      for (int x = 0; x < stride; x += 8) {
        const std::size_t k = static_cast<std::size_t>(y) * stride + x;
        const Eight w = eightAt(weights + k);
        sums[x / 8] += w * (step.gain * (eightAt(seen + k) - step.mean) - eightAt(&values_[k]));
        shares[x / 8] += w;
      }
    }
    for (int i = 0; i < kParts; ++i) {
      float sum = 0, weight = 0;
      for (int x = i * side / kParts; x < (i + 1) * side / kParts; ++x) sum += sums[x / 8][x % 8], weight += shares[x / 8][x % 8];
      if (weight > 0.3f / (kParts * kParts)) worst = std::max(worst, std::abs(sum) / weight);
    }
  }
  return worst;
}

ReferenceMatch Reference::align(const FloatPlane& plane, const Eigen::Vector2f& start, const Eigen::Matrix2f& shape) {
  const auto reach = static_cast<float>(radius_);
  ReferenceMatch match{start, shape};
  if (!usable()) return match;
  if (reach * (shape * shape_.inverse() - Eigen::Matrix2f::Identity()).cwiseAbs().maxCoeff() > kWarpAnew_px && !warpTo(shape)) return match;
  thread_local std::vector<float> seen;
  seen.resize(values_.size());
  bool near = false;
  int warps = 0;
  Step step;
  for (int round = 0; round < kRounds; ++round) {
    if (!canSampleSquare(plane, match.centre, reach)) return match.likeness = -1, match;
    sampleSquare(plane, match.centre.x() - reach, match.centre.y() - reach, 2 * radius_ + 1, seen.data());
    step = stepFrom(seen.data());
    match.likeness = step.likeness;
    if (!near) {
      // Far off, the shape would only follow the error of the place.
      Eigen::Vector2f shift = step.shift_alone;
      const float length = shift.norm(), limit = 0.5f * reach;
      near = length < 0.4f;
      if (!near) {
        match.centre += shift * std::min(1.0f, limit / length);
        continue;
      }
    }
    const Eigen::Vector2f shift = step.whole.head<2>();
    if (!(shift.norm() < 0.5f * reach)) return match.likeness = 0, match;
    match.centre += shift;
    Eigen::Matrix2f rest;
    rest << step.whole[2], step.whole[4], step.whole[3], step.whole[5];
    if (rest.cwiseAbs().maxCoeff() > 0.4f) return match.likeness = 0, match;
    match.shape = shape_ + rest * shape_;
    match.settled = shift.norm() < 0.03f;
    if (!match.settled) continue;
    if (reach * rest.cwiseAbs().maxCoeff() < kWarpAnew_px || warps == kWarps) break;
    ++warps;
    if (!warpTo(match.shape)) return match.likeness = 0, match;
    match.settled = false;
  }
  match.sigma_px = sigmaOf(match.likeness);
  match.occluded = occludedShare(seen.data(), step);
  return match;
}

}  // namespace dusky
