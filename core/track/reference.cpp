#include "core/track/reference.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "core/track/sampling.h"

namespace dusky {
namespace {

constexpr float kKeptAround = 1.5f;    // of the compared radius
constexpr float kWarpAnew_px = 0.35f;  // rest of the shape at the window's side above which the piece is warped anew
constexpr int kRounds = 14, kWarps = 2;
constexpr float kCorrelated = 4;  // neighbouring residuals are alike: one in so many counts

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
  const int wide = 2 * radius_ + 3, side = wide - 2, stride = strideOf(side), count = side * stride;
  shape_ = shape;
  thread_local std::vector<float> block;
  block.resize(static_cast<std::size_t>(wide) * wide);
  weights_ = windowOf(radius_);
  const auto middle = static_cast<float>(reach_) + 0.5f;
  if (shape.isIdentity(0)) {
    const int margin = reach_ - radius_ - 1;
    for (int y = 0; y < wide; ++y) std::copy_n(piece_.row(y + margin) + margin, wide, &block[y * wide]);
  } else {
    const Eigen::Matrix2f back = shape.inverse();
    for (int y = 0; y < wide; ++y) {
      Eigen::Vector2f at = back * Eigen::Vector2f(static_cast<float>(-radius_ - 1), static_cast<float>(y - radius_ - 1)) + Eigen::Vector2f(middle, middle);
      for (int x = 0; x < wide; ++x, at += back.col(0)) {
        const bool there = canSample(piece_, at.x(), at.y());
        block[y * wide + x] = there ? sampleCubic(piece_, at.x(), at.y()) : 0;
        if (there) continue;
        // Nothing is known here, and no slope of a neighbour can be trusted.
        for (int j = std::max(0, y - 2); j <= std::min(side - 1, y); ++j) {
          for (int i = std::max(0, x - 2); i <= std::min(side - 1, x); ++i) weights_[j * stride + i] = 0;
        }
      }
    }
  }
  values_.resize(static_cast<std::size_t>(count));
  slopes_.resize(6 * static_cast<std::size_t>(count));
  for (int y = 0; y < side; ++y) {
    const float *p = &block[(y + 1) * wide + 1], dy = static_cast<float>(y - radius_);
    float *value = &values_[y * stride], *s = &slopes_[y * stride];
    for (int x = 0; x < side; ++x) {
      const float gx = 0.5f * (p[x + 1] - p[x - 1]), gy = 0.5f * (p[x + wide] - p[x - wide]), dx = static_cast<float>(x - radius_);
      value[x] = p[x];
      s[x] = gx, s[x + count] = gy;
      s[x + 2 * count] = gx * dx, s[x + 3 * count] = gy * dx;
      s[x + 4 * count] = gx * dy, s[x + 5 * count] = gy * dy;
    }
    for (int x = side; x < stride; ++x) {
      value[x] = 0;
      for (int k = 0; k < 6; ++k) s[x + k * count] = 0;
    }
  }
  if (prepare()) return true;
  values_.clear();
  return false;
}

/// Sum over all samples of weight * one * other.
float Reference::weighed(const float* one, const float* other) const {
  Eight sum = Eight::Zero();
  for (std::size_t k = 0; k < values_.size(); k += 8) sum += eightAt(&weights_[k]) * eightAt(one + k) * eightAt(other + k);
  return sum.sum();
}

bool Reference::prepare() {
  const std::size_t count = values_.size();
  Eight total = Eight::Zero(), sum = Eight::Zero();
  for (std::size_t k = 0; k < count; k += 8) total += eightAt(&weights_[k]), sum += eightAt(&weights_[k]) * eightAt(&values_[k]);
  const float weight = total.sum();
  if (weight < 0.6f) return false;
  if (weight < 0.999f) {
    for (float& w : weights_) w /= weight;
  }
  const float mean = sum.sum() / weight;
  for (float& v : values_) v -= mean;
  const float contrast = std::sqrt(weighed(values_.data(), values_.data()));
  if (!(contrast > 0.5f)) return false;
  for (float& v : values_) v /= contrast;
  // Slopes without what a gain or a bias would explain.
  for (std::size_t s = 0; s < 6; ++s) {
    float* slope = slopes_.data() + s * count;
    Eight in_slope = Eight::Zero(), in_product = Eight::Zero();
    for (std::size_t k = 0; k < count; k += 8) {
      const Eight here = eightAt(&weights_[k]) * eightAt(slope + k);
      in_slope += here;
      in_product += here * eightAt(&values_[k]);
    }
    const float bias = in_slope.sum(), gain = in_product.sum();
    for (std::size_t k = 0; k < count; k += 8) Eigen::Map<Eight>{slope + k} = (eightAt(slope + k) - bias - gain * eightAt(&values_[k])) / contrast;
  }
  Eigen::Matrix<float, 6, 6> normal;
  for (int a = 0; a < 6; ++a) {
    for (int b = a; b < 6; ++b) normal(a, b) = normal(b, a) = weighed(slopes_.data() + a * count, slopes_.data() + b * count);
  }
  const Eigen::Matrix2f shift = normal.topLeftCorner<2, 2>();
  if (alongAnEdge(shift)) return false;
  inverse_shift_ = shift.inverse();
  Eight squares = Eight::Zero();
  for (std::size_t k = 0; k < count; k += 8) squares += eightAt(&weights_[k]).square();
  spread_ = squares.sum() / eigenvaluesOf(shift)[0];
  // Shape changes are small from frame to frame: hold them where the texture says little.
  normal.diagonal().tail<4>().array() += 1e-3f * normal.diagonal().tail<4>().maxCoeff();
  const Eigen::LDLT<Eigen::Matrix<float, 6, 6>> solver(normal);
  if (solver.info() != Eigen::Success || !(solver.rcond() > 1e-9f)) return false;
  inverse_ = solver.solve(Eigen::Matrix<float, 6, 6>::Identity());
  for (std::size_t s = 0; s < 6; ++s) {
    float* slope = slopes_.data() + s * count;
    for (std::size_t k = 0; k < count; k += 8) Eigen::Map<Eight>{slope + k} = eightAt(&weights_[k]) * eightAt(slope + k);
  }
  return true;
}

Reference::Step Reference::stepFrom(const float* seen) const {
  const auto count = static_cast<Eigen::Index>(values_.size());
  // One pass, about a grey near the mean so that nothing is lost to rounding. Values and slopes are free of a bias.
  const float base = seen[count / 2];
  Eight sum = Eight::Zero(), sum_squares = Eight::Zero(), sum_product = Eight::Zero(), sums[6];
  for (Eight& s : sums) s.setZero();
  for (Eigen::Index k = 0; k < count; k += 8) {
    const Eight sample = eightAt(seen + k) - base, weighted = eightAt(&weights_[k]) * sample;
    sum += weighted;
    sum_squares += weighted * sample;
    sum_product += weighted * eightAt(&values_[k]);
    for (int s = 0; s < 6; ++s) sums[s] += sample * eightAt(slopes_.data() + s * count + k);
  }
  Step step;
  const float off = sum.sum(), squares = std::max(0.0f, sum_squares.sum() - off * off), product = sum_product.sum(), length = std::sqrt(squares);
  step.mean = base + off;
  step.gain = product / std::max(squares, 1e-6f);
  step.likeness = squares > 1e-6f ? product / length : 0.0f;
  // Never let a reversed piece push.
  const float gain = step.likeness > 0.1f ? product / squares : 1 / std::max(length, 1e-3f);
  Eigen::Matrix<float, 6, 1> slope;
  for (int k = 0; k < 6; ++k) slope[k] = gain * sums[k].sum();
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
  constexpr int kParts = 3;
  const int side = 2 * radius_ + 1, stride = strideOf(side);
  float worst = 0;
  for (int j = 0; j < kParts; ++j) {
    for (int i = 0; i < kParts; ++i) {
      float sum = 0, weight = 0;
      for (int y = j * side / kParts; y < (j + 1) * side / kParts; ++y) {
        for (int k = y * stride + i * side / kParts; k < y * stride + (i + 1) * side / kParts; ++k) {
          sum += weights_[k] * (step.gain * (seen[k] - step.mean) - values_[k]);
          weight += weights_[k];
        }
      }
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
