#include "core/geometry/fundamental.h"

#include <Eigen/Dense>
#include <cmath>

#include "core/geometry/essential.h"
#include "core/geometry/homography.h"

namespace dusky {
namespace {

/// One row b (x) a of each pair.
Eigen::Matrix<double, Eigen::Dynamic, 9> rowsOf(const std::vector<Vec2>& a, const std::vector<Vec2>& b, const Mat3& to_a, const Mat3& to_b) {
  Eigen::Matrix<double, Eigen::Dynamic, 9> rows(static_cast<Eigen::Index>(a.size()), 9);
  for (std::size_t i = 0; i < a.size(); ++i) {
    const Vec3 p = to_a * a[i].homogeneous(), q = to_b * b[i].homogeneous();
    for (int r = 0; r < 3; ++r) rows.block<1, 3>(static_cast<Eigen::Index>(i), 3 * r) = q[r] * p.transpose();
  }
  return rows;
}

Mat3 matrixOf(const Eigen::Matrix<double, 9, 1>& v) {
  Mat3 m;
  m << v[0], v[1], v[2], v[3], v[4], v[5], v[6], v[7], v[8];
  return m;
}

/// Real roots of c3 x^3 + c2 x^2 + c1 x + c0.
std::vector<double> cubicRoots(double c3, double c2, double c1, double c0) {
  if (std::abs(c3) < 1e-14 * (std::abs(c2) + std::abs(c1) + std::abs(c0))) return {};
  Mat3 companion;
  companion << -c2 / c3, -c1 / c3, -c0 / c3, 1, 0, 0, 0, 1, 0;
  const Eigen::EigenSolver<Mat3> solver(companion, false);
  std::vector<double> roots;
  for (int k = 0; k < 3; ++k) {
    const auto root = solver.eigenvalues()[k];
    if (std::abs(root.imag()) < 1e-9 * (1 + std::abs(root.real()))) roots.push_back(root.real());
  }
  return roots;
}

template <class T>
std::vector<T> pick(const std::vector<T>& all, const std::vector<int>& which) {
  std::vector<T> some;
  for (const int i : which) some.push_back(all[static_cast<std::size_t>(i)]);
  return some;
}

struct EpipolarEstimator {
  static constexpr int kSample = 7;
  const std::vector<Vec2>&a, &b;

  std::vector<Mat3> minimal(const std::vector<int>& sample) const { return fundamentalFromSeven(pick(a, sample), pick(b, sample)); }
  double residual(const Mat3& f, int i) const { return sampsonError(f, a[static_cast<std::size_t>(i)], b[static_cast<std::size_t>(i)]); }
  std::vector<Mat3> refine(const Mat3&, const std::vector<int>& inliers) const {
    if (inliers.size() < 8) return {};
    return {fundamentalFromPairs(pick(a, inliers), pick(b, inliers))};
  }
};

struct HomographyEstimator {
  static constexpr int kSample = 4;
  const std::vector<Vec2>&a, &b;

  std::vector<Mat3> minimal(const std::vector<int>& sample) const { return {homographyFromPairs(pick(a, sample), pick(b, sample))}; }
  double residual(const Mat3& h, int i) const {
    const Vec3 p = h * a[static_cast<std::size_t>(i)].homogeneous();
    return std::abs(p.z()) > 1e-12 ? (p.hnormalized() - b[static_cast<std::size_t>(i)]).norm() : 1e9;
  }
  std::vector<Mat3> refine(const Mat3&, const std::vector<int>& inliers) const {
    if (inliers.size() < 4) return {};
    return {homographyFromPairs(pick(a, inliers), pick(b, inliers))};
  }
};

}  // namespace

std::vector<Mat3> fundamentalFromSeven(const std::vector<Vec2>& a, const std::vector<Vec2>& b) {
  const Mat3 to_a = normaliserOf(a), to_b = normaliserOf(b);
  const Eigen::Matrix<double, 7, 9> rows = rowsOf(a, b, to_a, to_b);
  const Eigen::JacobiSVD<Eigen::Matrix<double, 7, 9>> svd(rows, Eigen::ComputeFullV);
  const Mat3 f1 = matrixOf(svd.matrixV().col(7)), f2 = matrixOf(svd.matrixV().col(8));
  // det(x f1 + (1 - x) f2) is a cubic: read it off at four places.
  const auto det = [&](double x) { return (x * f1 + (1 - x) * f2).determinant(); };
  const double at0 = det(0), at1 = det(1), at_1 = det(-1), at2 = det(2);
  const double c0 = at0, c2 = 0.5 * (at1 + at_1) - at0, odd = 0.5 * (at1 - at_1), c3 = (at2 - c0 - 4 * c2 - 2 * odd) / 6, c1 = odd - c3;
  std::vector<Mat3> all;
  for (const double x : cubicRoots(c3, c2, c1, c0)) all.push_back((to_b.transpose() * (x * f1 + (1 - x) * f2) * to_a).normalized());
  return all;
}

Mat3 fundamentalFromPairs(const std::vector<Vec2>& a, const std::vector<Vec2>& b) {
  if (a.size() < 8) return Mat3::Zero();
  const Mat3 to_a = normaliserOf(a), to_b = normaliserOf(b);
  const auto rows = rowsOf(a, b, to_a, to_b);
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix<double, 9, 9>> solver(rows.transpose() * rows);
  const Eigen::JacobiSVD<Mat3> svd(matrixOf(solver.eigenvectors().col(0)), Eigen::ComputeFullU | Eigen::ComputeFullV);
  Vec3 singular = svd.singularValues();
  singular.z() = 0;
  return (to_b.transpose() * (svd.matrixU() * singular.asDiagonal() * svd.matrixV().transpose()) * to_a).normalized();
}

EpipolarFit fitEpipolar(const std::vector<Vec2>& a, const std::vector<Vec2>& b, const RobustOptions& options) {
  EpipolarFit fit;
  fit.confidence = options.confidence;
  if (a.size() < 8) return fit;
  const EpipolarEstimator estimator{a, b};
  const auto best = robustFit<Mat3>(estimator, static_cast<int>(a.size()), options);
  fit.samples = best.samples;
  if (!best.found() || best.inliers.size() < 8) return fit;
  fit.fundamental = best.model;
  fit.inliers = best.inliers;
  for (std::size_t i = 0; i < a.size(); ++i) fit.residuals_px.push_back(std::abs(estimator.residual(best.model, static_cast<int>(i))));
  const double clean = std::pow(static_cast<double>(fit.inliers.size()) / static_cast<double>(a.size()), EpipolarEstimator::kSample);
  fit.needed = clean > 1 - 1e-12 ? 1 : static_cast<int>(std::ceil(std::log(1 - options.confidence) / std::log(1 - clean)));
  return fit;
}

Vec3 epipolarLine(const Mat3& fundamental, const Vec2& a) {
  const Vec3 line = fundamental * a.homogeneous();
  const double length = line.head<2>().norm();
  return length > 1e-15 ? Vec3(line / length) : Vec3::Zero();
}

HomographyFit fitHomography(const std::vector<Vec2>& a, const std::vector<Vec2>& b, const RobustOptions& options) {
  const HomographyEstimator estimator{a, b};
  const auto best = robustFit<Mat3>(estimator, static_cast<int>(a.size()), options);
  if (!best.found()) return {};
  return {best.model, best.inliers};
}

double sampsonError(const Mat3& fundamental, const Vec2& a, const Vec2& b) {
  const Vec3 fa = fundamental * a.homogeneous(), fb = fundamental.transpose() * b.homogeneous();
  const double scale = fa.head<2>().squaredNorm() + fb.head<2>().squaredNorm();
  return scale > 0 ? b.homogeneous().dot(fa) / std::sqrt(scale) : 1e9;
}

}  // namespace dusky
