#include "core/track/patch.h"

#include <Eigen/Dense>
#include <cmath>

#include "core/track/sampling.h"

namespace dusky {

Patch::Patch(const FloatPlane& plane, const Eigen::Vector2f& centre, int radius) : radius_(radius) {
  if (canSampleSquare(plane, centre, static_cast<float>(radius + 1))) cut(plane, centre);
}

void Patch::cut(const FloatPlane& plane, const Eigen::Vector2f& centre) {
  const int side = 2 * radius_ + 1, stride = strideOf(side), count = side * stride, wide = strideOf(side + 2);
  const float reach = static_cast<float>(radius_ + 1);
  thread_local std::vector<float> block;
  block.assign(static_cast<std::size_t>(side + 2) * wide + 8, 0.0f);
  sampleSquare(plane, centre.x() - reach, centre.y() - reach, side + 2, block.data());
  weights_ = &windowOf(radius_);
  values_.resize(count);
  slopes_.resize(2 * static_cast<std::size_t>(count));
  const float base = block[static_cast<std::size_t>(radius_ + 1) * wide + radius_ + 1];
  const Eight none = Eight::Zero();
  Eight value = none, value_value = none, x_ = none, y_ = none, xv = none, yv = none, xx = none, xy = none, yy = none;
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < stride; x += 8) {
      const float* p = &block[(y + 1) * wide + x + 1];
      const int k = y * stride + x;
      const Eight w = eightAt(weights_->data() + k), v = eightAt(p) - base, wv = w * v;
      const Eight gx = 0.5f * (eightAt(p + 1) - eightAt(p - 1)), gy = 0.5f * (eightAt(p + wide) - eightAt(p - wide)), wx = w * gx, wy = w * gy;
      Eigen::Map<Eight>{&values_[k]} = v;
      Eigen::Map<Eight>{&slopes_[k]} = wx, Eigen::Map<Eight>{&slopes_[k + count]} = wy;
      value += wv, value_value += wv * v;
      x_ += wx, y_ += wy, xv += wx * v, yv += wy * v;
      xx += wx * gx, xy += wx * gy, yy += wy * gy;
    }
  }
  const float mean = value.sum(), variance = value_value.sum() - mean * mean;
  if (!(variance > 0.25f)) return values_.clear();
  const float scale = 1 / std::sqrt(variance);
  for (int k = 0; k < count; k += 8) Eigen::Map<Eight>{&values_[k]} = (eightAt(&values_[k]) - mean) * scale;
  for (int k = 0; k < 2 * count; k += 8) Eigen::Map<Eight>{&slopes_[k]} = eightAt(&slopes_[k]) * scale;
  bias_ = scale * Eigen::Vector2f(x_.sum(), y_.sum());
  gain_ = scale * scale * Eigen::Vector2f(xv.sum(), yv.sum()) - mean * scale * bias_;
  Eigen::Matrix2f normal;
  normal << xx.sum(), xy.sum(), xy.sum(), yy.sum();
  // Without what a gain or a bias would explain.
  normal = scale * scale * normal - bias_ * bias_.transpose() - gain_ * gain_.transpose();
  if (alongAnEdge(normal)) return values_.clear();
  inverse_ = normal.inverse();
}

PatchMatch Patch::align(const FloatPlane& plane, const Eigen::Vector2f& start, int steps) const {
  PatchMatch match{start};
  const auto count = static_cast<Eigen::Index>(values_.size());
  const float reach = static_cast<float>(radius_), limit = 0.5f * reach;
  thread_local std::vector<float> seen;
  seen.resize(values_.size());
  for (int round = 0;; ++round) {
    if (!canSampleSquare(plane, match.centre, reach)) return {match.centre, -1, false};
    sampleSquare(plane, match.centre.x() - reach, match.centre.y() - reach, 2 * radius_ + 1, seen.data());
    // One pass, about a grey near the mean so that nothing is lost to rounding.
    const float base = seen[static_cast<std::size_t>(count / 2)];
    Eight sum = Eight::Zero(), sum_squares = Eight::Zero(), sum_product = Eight::Zero(), sum_x = Eight::Zero(), sum_y = Eight::Zero();
    for (Eigen::Index k = 0; k < count; k += 8) {
      const Eight sample = eightAt(&seen[k]) - base, weighted = eightAt(weights_->data() + k) * sample;
      sum += weighted;
      sum_squares += weighted * sample;
      sum_product += weighted * eightAt(&values_[k]);
      sum_x += sample * eightAt(&slopes_[k]);
      sum_y += sample * eightAt(&slopes_[count + k]);
    }
    const float mean = sum.sum(), squares = std::max(0.0f, sum_squares.sum() - mean * mean), product = sum_product.sum();
    match.likeness = squares > 1e-6f ? product / std::sqrt(squares) : 0.0f;
    if (match.settled || round >= steps) return match;
    // The gain that brings the picture's piece to the patch; never let a reversed patch push.
    const float gain = product > 0.1f * std::sqrt(squares) ? product / squares : 1 / std::max(std::sqrt(squares), 1e-3f);
    const Eigen::Vector2f slope = Eigen::Vector2f(sum_x.sum(), sum_y.sum()) - mean * bias_ - product * gain_;
    Eigen::Vector2f step = gain * (inverse_ * slope);
    const float length = step.norm();
    if (length > limit) step *= limit / length;
    match.centre -= step;
    match.settled = length < 0.005f;
  }
}

}  // namespace dusky
