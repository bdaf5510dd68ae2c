#include "core/lens/lens_curve.h"

#include <cmath>

#include "core/lens/bend.h"

namespace dusky {

std::vector<LensCurvePoint> lensCurve(const Lens& lens, const std::vector<int>& index, const Eigen::MatrixXd& covariance) {
  constexpr int kSteps = 24;
  if (lens.model == LensModel::None) return {};
  Lens plain = lens;
  plain.coefficients.fill(0);
  if (lens.model == LensModel::Anamorphic) plain.squeeze() = lens.squeeze();
  const Vec2 axis(lens.cx_px, lens.cy_px);
  const Vec2 corner(axis.x() < lens.width / 2.0 ? lens.width : 0, axis.y() < lens.height / 2.0 ? lens.height : 0);
  const Vec2 along = (corner - axis).normalized();
  std::vector<LensCurvePoint> curve;
  for (int i = 0; i <= kSteps; ++i) {
    LensCurvePoint point{.radius_px = (corner - axis).norm() * i / kSteps};
    const auto ray = lens.undistort(axis + point.radius_px * along);
    if (!ray) break;
    point.bend_px = along.dot(axis + point.radius_px * along - plain.distort(*ray));
    const LensSlopes slopes = lensSlopes(lens, *ray);
    Eigen::RowVectorXd by = Eigen::RowVectorXd::Zero(covariance.rows());
    bool free = false;
    for (int k = 0; k < by.cols(); ++k) {
      if (index[static_cast<std::size_t>(k)] < kFirstCoefficient) continue;
      by[k] = along.dot(slopes.by_lens.col(index[static_cast<std::size_t>(k)]));
      free = true;
    }
    if (free) point.sigma_px = std::sqrt(std::max(0.0, by.dot(by * covariance)));
    curve.push_back(point);
  }
  return curve;
}

}  // namespace dusky
