#pragma once
#include "core/geometry/pose.h"

namespace dusky {

/// Least squares line through residuals over time: how a track creeps.
class Drift {
 public:
  void add(double when, const Vec2& residual) { n_ += 1, t_ += when, tt_ += when * when, sum_ += residual, moment_ += when * residual; }
  double count() const { return n_; }
  /// Whether there are residuals of two moments at least.
  bool isTold() const { return spread() > 0; }
  /// px a frame; isTold().
  Vec2 rate() const { return (n_ * moment_ - t_ * sum_) / spread(); }
  /// The residual on the line.
  Vec2 at(double when) const { return (sum_ - t_ * rate()) / n_ + when * rate(); }
  /// What the slope takes away of the squared residuals, px^2; isTold().
  double explained() const { return (n_ * moment_ - t_ * sum_).squaredNorm() / (n_ * spread()); }

 private:
  double spread() const { return n_ * tt_ - t_ * t_; }

  double n_ = 0, t_ = 0, tt_ = 0;
  Vec2 sum_ = Vec2::Zero(), moment_ = Vec2::Zero();
};

}  // namespace dusky
