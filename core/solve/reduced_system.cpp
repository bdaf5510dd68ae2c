#include "core/solve/reduced_system.h"

#include <Eigen/Cholesky>
#include <cmath>

#include "core/base/parallel.h"
#include "core/geometry/essential.h"

namespace dusky {
namespace {

constexpr double kNearest = 1e-6;     // depth below which a point counts as behind the camera
constexpr double kBehindPx = 1000.0;  // and the error it is charged then

double robustCost(double squared, double loss_px) { return loss_px * loss_px * std::log1p(squared / (loss_px * loss_px)); }

Linearised lineariseOne(const Bundle& bundle, const BundleObservation& o, const BundleOptions& options, const std::vector<int>& lens_index) {
  Linearised row;
  const Pose& pose = bundle.cameras[o.camera];
  const Mat3 camera_from_world = pose.world_from_camera.conjugate().toRotationMatrix();
  const Vec3 p = camera_from_world * (bundle.points[o.point] - pose.centre);
  if (p.z() < kNearest) {
    row.by_camera.setZero();
    row.by_point.setZero();
    row.by_lens.setZero();
    return row;
  }
  const Vec2 n = p.hnormalized();
  const LensSlopes slopes = lensSlopes(bundle.lens, n);
  Mat23 project;
  project << 1 / p.z(), 0, -n.x() / p.z(), 0, 1 / p.z(), -n.y() / p.z();
  const Mat23 by_camera_point = slopes.by_point * project;
  row.residual = bundle.lens.distort(n) - o.seen;
  row.by_point = by_camera_point * camera_from_world;
  row.by_camera.leftCols<3>() = by_camera_point * crossMatrix(p);
  if (options.fixed_centres)
    row.by_camera.rightCols<3>().setZero();
  else
    row.by_camera.rightCols<3>() = -row.by_point;
  for (std::size_t k = 0; k < lens_index.size(); ++k) row.by_lens.col(static_cast<int>(k)) = slopes.by_lens.col(lens_index[k]);
  const double weight = std::sqrt(1 / (1 + row.residual.squaredNorm() / (options.loss_px * options.loss_px)));
  row.residual *= weight;
  row.by_camera *= weight;
  row.by_point *= weight;
  row.by_lens.leftCols(static_cast<int>(lens_index.size())) *= weight;
  return row;
}

/// target (6x6, columns `stride` apart) -= a b^T. Written out with the six rows as a vector of four and one of two: this is where a solve
/// spends its time.
void subtractOuter(double* __restrict target, std::ptrdiff_t stride, const Mat63& a, const Mat63& b) {
  using Four = Eigen::Array4d;
  using Two = Eigen::Array2d;
  const double* p = a.data();
  const Four a0 = Eigen::Map<const Four>(p), a1 = Eigen::Map<const Four>(p + 6), a2 = Eigen::Map<const Four>(p + 12);
  const Two b0 = Eigen::Map<const Two>(p + 4), b1 = Eigen::Map<const Two>(p + 10), b2 = Eigen::Map<const Two>(p + 16);
  for (int c = 0; c < 6; ++c, target += stride) {
    const double w0 = b(c, 0), w1 = b(c, 1), w2 = b(c, 2);
    Eigen::Map<Four> upper(target);
    Eigen::Map<Two> lower(target + 4);
    upper -= a0 * w0 + a1 * w1 + a2 * w2;
    lower -= b0 * w0 + b1 * w1 + b2 * w2;
  }
}

}  // namespace

double bundleCost(const Bundle& bundle, const BundleOptions& options) {
  const double loss_px = options.loss_px;
  // Blocks of fixed size: the order of summation does not depend on the threads.
  constexpr int kBlock = 2048;
  const int count = static_cast<int>(bundle.observations.size());
  std::vector<double> partial(count / kBlock + 1, 0.0);
  parallelFor(static_cast<int>(partial.size()), [&](int block) {
    for (int i = block * kBlock; i < std::min(count, (block + 1) * kBlock); ++i) {
      const BundleObservation& o = bundle.observations[i];
      const Vec3 p = bundle.cameras[o.camera].toCamera(bundle.points[o.point]);
      const double squared = p.z() < kNearest ? kBehindPx * kBehindPx : (bundle.lens.distort(p.hnormalized()) - o.seen).squaredNorm();
      partial[block] += robustCost(squared, loss_px);
    }
  });
  double total = 0;
  for (double p : partial) total += p;
  for (int k = 0; k < 8; ++k) {
    const double away = bundle.lens.parameters()[k] - options.prior.mean[k];
    if (options.free_lens[k]) total += options.prior.weight[k] * away * away;
  }
  return total;
}

ReducedSystem::ReducedSystem(const Bundle& bundle, const BundleOptions& options) : bundle_(bundle), options_(options) {
  for (int k = 0; k < 8; ++k) {
    if (options.free_lens[k]) lens_index_.push_back(k);
  }
  const int count = static_cast<int>(bundle.observations.size());
  of_camera_.resize(bundle.cameras.size());
  point_begin_.assign(bundle.points.size() + 1, 0);
  for (int i = 0; i < count; ++i) {
    of_camera_[bundle.observations[i].camera].push_back(i);
    ++point_begin_[bundle.observations[i].point + 1];
  }
  for (std::size_t j = 0; j < bundle.points.size(); ++j) point_begin_[j + 1] += point_begin_[j];
  rows_.resize(count);
  cross_.resize(count);
  point_inverse_.resize(bundle.points.size());
  point_gradient_.resize(bundle.points.size());
  point_diagonal_.resize(bundle.points.size());
  point_steps_.resize(bundle.points.size());
  lens_point_.resize(bundle.points.size());
  const auto size = static_cast<Eigen::Index>(6 * bundle.cameras.size() + lens_index_.size());
  matrix_.resize(size, size);
  right_.resize(size);
  diagonal_.resize(size);
}

void ReducedSystem::linearise() {
  parallelFor(
      static_cast<int>(rows_.size()),
      [&](int i) {
        rows_[i] = lineariseOne(bundle_, bundle_.observations[i], options_, lens_index_);
        cross_[i] = rows_[i].by_camera.transpose() * rows_[i].by_point;
      },
      256);
}

void ReducedSystem::invertPoints(double damping) {
  const int k = freeLens();
  parallelFor(
      static_cast<int>(point_inverse_.size()),
      [&](int j) {
        Mat3 normal = Mat3::Zero();
        Vec3 gradient = Vec3::Zero();
        lens_point_[j].setZero();
        for (int i = point_begin_[j]; i < point_begin_[j + 1]; ++i) {
          const Linearised& row = rows_[i];
          normal += row.by_point.transpose() * row.by_point;
          gradient -= row.by_point.transpose() * row.residual;
          lens_point_[j].topRows(k) += row.by_lens.leftCols(k).transpose() * row.by_point;
        }
        point_diagonal_[j] = normal.diagonal();
        normal.diagonal() += damping * normal.diagonal() + Vec3::Constant(1e-12 * (1 + normal.trace()));
        point_inverse_[j] = normal.inverse();
        point_gradient_[j] = gradient;
      },
      64);
}

/// The lower triangle's six columns of a camera: they lie together in memory, while its rows would lie a whole column apart.
void ReducedSystem::fillCameraColumns(int camera, double damping) {
  const int k = freeLens(), lens_at = 6 * static_cast<int>(bundle_.cameras.size());
  auto columns = matrix_.middleCols<6>(6 * camera);
  columns.setZero();
  Eigen::Matrix<double, 6, 6> own = Eigen::Matrix<double, 6, 6>::Zero();
  Eigen::Matrix<double, 6, 1> right = Eigen::Matrix<double, 6, 1>::Zero();
  for (int i : of_camera_[camera]) {
    const Linearised& row = rows_[i];
    const int j = bundle_.observations[i].point;
    own += row.by_camera.transpose() * row.by_camera;
    const Mat63 reduced = cross_[i] * point_inverse_[j];
    right -= row.by_camera.transpose() * row.residual + reduced * point_gradient_[j];
    for (int other = point_begin_[j]; other < point_begin_[j + 1]; ++other) {
      const int b = bundle_.observations[other].camera;
      if (b < camera) continue;
      subtractOuter(&columns.coeffRef(6 * b, 0), columns.outerStride(), cross_[other], reduced);
    }
    if (k > 0) {
      columns.middleRows(lens_at, k) += row.by_lens.leftCols(k).transpose() * row.by_camera - lens_point_[j].topRows(k) * reduced.transpose();
    }
  }
  diagonal_.segment<6>(6 * camera) = own.diagonal();
  own.diagonal() += damping * own.diagonal() + Eigen::Matrix<double, 6, 1>::Constant(1e-12 * (1 + own.trace()));
  columns.middleRows<6>(6 * camera) += own;
  right_.segment<6>(6 * camera) = right;
}

void ReducedSystem::fillLens(double damping) {
  const int k = freeLens();
  if (k == 0) return;
  const int at = 6 * static_cast<int>(bundle_.cameras.size());
  Eigen::Matrix<double, 8, 8> own = Eigen::Matrix<double, 8, 8>::Zero();
  Eigen::Matrix<double, 8, 1> right = Eigen::Matrix<double, 8, 1>::Zero();
  for (const Linearised& row : rows_) {
    own.topLeftCorner(k, k) += row.by_lens.leftCols(k).transpose() * row.by_lens.leftCols(k);
    right.head(k) -= row.by_lens.leftCols(k).transpose() * row.residual;
  }
  for (int i = 0; i < k; ++i) {
    const int parameter = lens_index_[i];
    own(i, i) += options_.prior.weight[parameter];
    right[i] -= options_.prior.weight[parameter] * (bundle_.lens.parameters()[parameter] - options_.prior.mean[parameter]);
  }
  diagonal_.tail(k) = own.diagonal().head(k);
  own.diagonal().head(k) *= 1 + damping;
  for (std::size_t j = 0; j < lens_point_.size(); ++j) {
    const Eigen::Matrix<double, 8, 3> reduced = lens_point_[j] * point_inverse_[j];
    own.topLeftCorner(k, k) -= reduced.topRows(k) * lens_point_[j].topRows(k).transpose();
    right.head(k) -= reduced.topRows(k) * point_gradient_[j];
  }
  matrix_.block(at, at, k, k) = own.topLeftCorner(k, k);
  right_.tail(k) = right.head(k);
}

const Eigen::MatrixXd& ReducedSystem::assemble(double damping) {
  invertPoints(damping);
  parallelFor(static_cast<int>(bundle_.cameras.size()), [&](int camera) { fillCameraColumns(camera, damping); });
  fillLens(damping);
  return matrix_;
}

bool ReducedSystem::solve(double damping) {
  assemble(damping);
  const Eigen::LLT<Eigen::Ref<Eigen::MatrixXd>, Eigen::Lower> factor(matrix_);  // in place
  if (factor.info() != Eigen::Success) return false;
  camera_step_ = factor.solve(right_);
  if (!camera_step_.allFinite()) return false;
  backSubstitute();
  return true;
}

void ReducedSystem::backSubstitute() {
  const int k = freeLens();
  parallelFor(
      static_cast<int>(point_steps_.size()),
      [&](int j) {
        Vec3 right = point_gradient_[j];
        for (int i = point_begin_[j]; i < point_begin_[j + 1]; ++i) {
          const Linearised& row = rows_[i];
          right -= row.by_point.transpose() * (row.by_camera * camera_step_.segment<6>(6 * bundle_.observations[i].camera));
        }
        if (k > 0) right -= lens_point_[j].topRows(k).transpose() * camera_step_.tail(k);
        point_steps_[j] = point_inverse_[j] * right;
      },
      64);
}

double ReducedSystem::predictedGain(double damping) const {
  // Half of (gradient . step + damping * step D step).
  double gain = camera_step_.cwiseAbs2().dot(diagonal_) * damping;
  for (std::size_t j = 0; j < point_steps_.size(); ++j)
    gain += damping * point_steps_[j].cwiseAbs2().dot(point_diagonal_[j]) + point_steps_[j].dot(point_gradient_[j]);
  // The cameras' own gradient is what right_ was before the points were taken out.
  Eigen::VectorXd gradient = Eigen::VectorXd::Zero(camera_step_.size());
  const int k = freeLens();
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    gradient.segment<6>(6 * bundle_.observations[i].camera) -= rows_[i].by_camera.transpose() * rows_[i].residual;
    if (k > 0) gradient.tail(k) -= rows_[i].by_lens.leftCols(k).transpose() * rows_[i].residual;
  }
  for (int i = 0; i < k; ++i) {
    const int parameter = lens_index_[i];
    gradient[gradient.size() - k + i] -= options_.prior.weight[parameter] * (bundle_.lens.parameters()[parameter] - options_.prior.mean[parameter]);
  }
  return 0.5 * (gain + camera_step_.dot(gradient));
}

}  // namespace dusky
