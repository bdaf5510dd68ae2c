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
  block.resize(static_cast<std::size_t>(side + 2) * wide);
  sampleSquare(plane, centre.x() - reach, centre.y() - reach, side + 2, block.data());
  weights_ = &windowOf(radius_);
  values_.assign(count, 0.0f);
  thread_local Eigen::Matrix<float, Eigen::Dynamic, 2> slopes;
  slopes.setZero(count, 2);
  for (int y = 0; y < side; ++y) {
    const float* p = &block[(y + 1) * wide + 1];
    float *gx = slopes.data() + y * stride, *gy = gx + count, *value = values_.data() + y * stride;
    for (int x = 0; x < side; ++x) {
      value[x] = p[x];
      gx[x] = 0.5f * (p[x + 1] - p[x - 1]);
      gy[x] = 0.5f * (p[x + wide] - p[x - wide]);
    }
  }
  const Eigen::Map<const Eigen::VectorXf> weights(weights_->data(), count);
  Eigen::Map<Eigen::VectorXf> values(values_.data(), count);
  values.array() -= weights.dot(values);
  const float contrast = std::sqrt(weights.dot(values.cwiseAbs2()));
  if (!(contrast > 0.5f)) return values_.clear();
  values /= contrast;
  slopes /= contrast;
  // Slopes without what a gain or a bias would explain.
  for (int k = 0; k < 2; ++k) {
    slopes.col(k).array() -= weights.dot(slopes.col(k));
    slopes.col(k) -= weights.dot(slopes.col(k).cwiseProduct(values)) * values;
  }
  Eigen::Matrix2f normal;
  normal(0, 0) = weights.dot(slopes.col(0).cwiseAbs2());
  normal(1, 1) = weights.dot(slopes.col(1).cwiseAbs2());
  normal(0, 1) = normal(1, 0) = weights.dot(slopes.col(0).cwiseProduct(slopes.col(1)));
  if (alongAnEdge(normal)) return values_.clear();
  const Eigen::Matrix2f inverse = normal.inverse();
  update_.resize(2 * values_.size());
  for (int k = 0; k < 2; ++k) {
    Eigen::Map<Eigen::ArrayXf> row(update_.data() + k * count, count);
    row = weights.array() * (inverse(0, k) * slopes.col(0).array() + inverse(1, k) * slopes.col(1).array());
  }
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
    // One pass, about a grey near the mean so that nothing is lost to rounding. Values and updates are free of a bias.
    const float base = seen[static_cast<std::size_t>(count / 2)];
    Eight sum = Eight::Zero(), sum_squares = Eight::Zero(), sum_product = Eight::Zero(), sum_x = Eight::Zero(), sum_y = Eight::Zero();
    for (Eigen::Index k = 0; k < count; k += 8) {
      const Eight sample = eightAt(&seen[k]) - base, weighted = eightAt(weights_->data() + k) * sample;
      sum += weighted;
      sum_squares += weighted * sample;
      sum_product += weighted * eightAt(&values_[k]);
      sum_x += sample * eightAt(&update_[k]);
      sum_y += sample * eightAt(update_.data() + count + k);
    }
    const float mean = sum.sum(), squares = std::max(0.0f, sum_squares.sum() - mean * mean), product = sum_product.sum();
    match.likeness = squares > 1e-6f ? product / std::sqrt(squares) : 0.0f;
    if (match.settled || round >= steps) return match;
    // The gain that brings the picture's piece to the patch; never let a reversed patch push.
    const float gain = product > 0.1f * std::sqrt(squares) ? product / squares : 1 / std::max(std::sqrt(squares), 1e-3f);
    Eigen::Vector2f step = gain * Eigen::Vector2f(sum_x.sum(), sum_y.sum());
    const float length = step.norm();
    if (length > limit) step *= limit / length;
    match.centre -= step;
    match.settled = length < 0.005f;
  }
}

}  // namespace dusky
