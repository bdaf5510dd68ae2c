#include "core/adjust/uncertainty.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"
#include "core/base/random.h"
#include "core/geometry/essential.h"
#include "core/adjust/bundle_state.h"
#include "core/adjust/insert_slip.h"

namespace dusky {
namespace {

double noiseVariance(const ReducedSystem& system, const Bundle& bundle, double unknowns) {
  double squares = 0;
  for (const Linearised& row : system.rows()) squares += row.residual.squaredNorm();
  double points = 0;
  for (std::size_t j = 0; j < bundle.points.size(); ++j) points += bundle.isAtInfinity(static_cast<int>(j)) ? 2 : 3;
  const double freedom = 2.0 * static_cast<double>(bundle.observations.size()) - points - unknowns + 7 + residualsOf(bundle.set);
  return freedom > 1 ? squares / freedom : kUnknown;
}

/// How many times fewer independent sightings there are than sightings: errors along a track go together (its patch is a little off in
/// all frames), so (1 + rho) / (1 - rho) for the correlation rho of one frame's residual with the next one's; never under 1.
double sightingsPerIndependentOne(const ReducedSystem& system, const Bundle& bundle) {
  double together = 0, alone = 0;
  for (std::size_t i = 1; i < bundle.observations.size(); ++i) {
    const BundleObservation &a = bundle.observations[i - 1], &b = bundle.observations[i];
    if (a.point != b.point || b.camera != a.camera + 1) continue;
    const Vec2 &ra = system.rows()[i - 1].residual, &rb = system.rows()[i].residual;
    together += ra.dot(rb);
    alone += 0.5 * (ra.squaredNorm() + rb.squaredNorm());
  }
  const double rho = alone > 0 ? std::clamp(together / alone, 0.0, 0.98) : 0.0;
  return (1 + rho) / (1 - rho);
}

/// The covariance, worked out from the reduced system and its border.
class Covariance {
 public:
  Covariance(const Bundle& bundle, const BundleOptions& options, const Progress& progress)
      : bundle_(bundle), options_(options), progress_(progress), system_(bundle, options) {}

  bool make() {
    system_.linearise();
    system_.build(1e-12);
    system_.holdWorld();
    EnvelopeMatrix& matrix = system_.matrix();
    if (options_.fixed_centres) holdCentres();
    if (progress_.stopRequested() || !matrix.factorise()) return false;
    border_ = system_.border();
    matrix.solveLower(border_);
    corner_ = Eigen::MatrixXd::Zero(system_.shared(), system_.shared());
    if (system_.shared() > 0) {
      const Eigen::LLT<Eigen::MatrixXd> factor(Eigen::MatrixXd(system_.corner() - border_.transpose() * border_));
      if (factor.info() != Eigen::Success) return false;
      corner_ = factor.solve(Eigen::MatrixXd::Identity(system_.shared(), system_.shared()));
    }
    matrix.solveUpper(border_);
    makeGauge();
    if (progress_.stopRequested()) return false;
    variance_ = noiseVariance(system_, bundle_, system_.block() * static_cast<double>(bundle_.cameras.size()) + system_.shared()) *
                sightingsPerIndependentOne(system_, bundle_);
    slip_px_ = slipOfAll();
    matrix.invert();
    return std::isfinite(variance_);
  }

  CameraUncertainty result() {
    CameraUncertainty out;
    for (int c = 0; c < static_cast<int>(bundle_.cameras.size()); ++c) {
      const int at = system_.rowOf(c);
      out.rotation_rad.push_back(spread(at));
      const double arm = bundle_.arm ? bundle_.arm->norm() : 0;
      out.centre.push_back(options_.fixed_centres ? arm * out.rotation_rad.back() : spread(at + 3));
      if (bundle_.zooms()) out.focal_px.push_back(options_.free_focal ? bundle_.focal_px[c] * std::sqrt(scaled(varianceOf(at + 6))) : kUnknown);
    }
    fillLenses(out);
    out.slip_px = slip_px_;
    if (options_.free_readout) out.readout = std::sqrt(scaled(corner_(system_.readoutAt(), system_.readoutAt())));
    out.points.resize(bundle_.points.size(), Mat3::Constant(kUnknown));
    parallelFor(
        static_cast<int>(bundle_.points.size()),
        [&](int j) {
          if (!progress_.stopRequested()) out.points[j] = pointCovariance(j);
        },
        8);
    for (int k = 0; k < static_cast<int>(bundle_.set.shapes.size()); ++k) out.shapes.push_back(shapeCovariance(k));
    return out;
  }

 private:
  double scaled(double v) const { return std::max(0.0, variance_ * v); }
  /// Root of the mean variance of three unknowns; unknown where rounding ate it up.
  double spread(int at) const {
    const double v = (varianceOf(at) + varianceOf(at + 1) + varianceOf(at + 2)) / 3;
    return v > 0 ? std::sqrt(variance_ * v) : kUnknown;
  }

  /// Nothing holds the centres of a camera that only rotates.
  void holdCentres() {
    for (int c = 0; c < static_cast<int>(bundle_.cameras.size()); ++c) {
      const int place = system_.rowOf(c) / system_.block();
      system_.matrix().block(place, place).diagonal().segment<3>(3).array() += 1;
    }
  }

  /// Cameras as the noise might have made them as well, under the same lenses and readout.
  Bundle drawnCameras(Random& random) const {
    Eigen::MatrixXd step(system_.matrix().rows(), 1);
    for (double& x : step.reshaped()) x = random.normal();
    system_.matrix().solveUpper(step);
    return movedBundle(std::sqrt(scaled(1)) * step.col(0), Eigen::VectorXd::Zero(system_.shared()));
  }

  /// One of the independent parts that the shared unknowns' deviations are made of, and the cameras that go with it.
  Bundle movedShared(const Eigen::VectorXd& part) const { return movedBundle(-std::sqrt(scaled(1)) * (border_ * part), std::sqrt(scaled(1)) * part); }

  Bundle movedBundle(const Eigen::VectorXd& step, const Eigen::VectorXd& shared) const {
    constexpr double kMostZoom = 2, kLeastFocal = 0.05;
    BundleState state(bundle_);
    state.moveCameras(system_, options_, step, shared, kMostZoom);
    for (std::size_t l = 0; l < state.lenses.size(); ++l)
      state.lenses[l].focal_px = std::max(state.lenses[l].focal_px, kLeastFocal * bundle_.lenses[l].focal_px);
    Bundle moved = bundle_;
    state.swapWith(moved);
    return moved;
  }

  /// RMS insert slip: of a few draws of the cameras, and of each part of the shared unknowns.
  double slipOfAll() const {
    constexpr int kDraws = 10, kSightings = 2000;
    Random random(1);
    std::vector<Bundle> moved;
    for (int i = 0; i < kDraws; ++i) moved.push_back(drawnCameras(random));
    const Eigen::MatrixXd parts = system_.shared() > 0 ? Eigen::MatrixXd(Eigen::LLT<Eigen::MatrixXd>(corner_).matrixL()) : Eigen::MatrixXd();
    for (int k = 0; k < parts.cols(); ++k) moved.push_back(movedShared(parts.col(k)));
    std::vector<double> slips(moved.size());
    parallelFor(static_cast<int>(moved.size()),
                [&](int i) { slips[static_cast<std::size_t>(i)] = insertSlip(bundle_, moved[static_cast<std::size_t>(i)], kSightings); });
    double squares = 0;
    for (std::size_t i = 0; i < slips.size(); ++i) squares += slips[i] * slips[i] / (i < kDraws ? kDraws : 1);
    return std::sqrt(squares);
  }

  /// Orthonormal directions in camera unknowns that move, turn or scale the whole world, and the covariance along them.
  void makeGauge() {
    const Eigen::MatrixXd directions = system_.worldMotions();
    const int count = static_cast<int>(directions.cols());
    const Eigen::HouseholderQR<Eigen::MatrixXd> qr(directions);
    gauge_ = qr.householderQ() * Eigen::MatrixXd::Identity(directions.rows(), count);
    triangle_inverse_ = Eigen::MatrixXd(qr.matrixQR().topRows(count).triangularView<Eigen::Upper>()).inverse();
    along_gauge_ = gauge_;
    system_.matrix().solveLower(along_gauge_);
    system_.matrix().solveUpper(along_gauge_);
    shared_gauge_ = -corner_ * (border_.transpose() * gauge_);
    along_gauge_ -= border_ * shared_gauge_;
    gauge_covariance_ = gauge_.transpose() * along_gauge_;
  }

  /// Variance of one camera unknown, in units of the noise, the gauge taken out.
  double varianceOf(int row) const {
    const Eigen::RowVectorXd g = gauge_.row(row);
    double v = system_.matrix().entry(row, row);
    if (system_.shared() > 0) v += border_.row(row).dot(border_.row(row) * corner_);
    return v - 2 * g.dot(along_gauge_.row(row)) + g.dot(g * gauge_covariance_);
  }

  Mat3 pointCovariance(int j) const {
    const int begin = system_.firstObservation(j), end = system_.firstObservation(j + 1);
    if (bundle_.isAtInfinity(j) || end - begin < 2) return Mat3::Constant(kUnknown);
    const Mat3 inverse = system_.pointInverse(j);
    const int block = system_.block(), shared = system_.shared();
    std::vector<ReducedSystem::Cross> cross;
    Eigen::Matrix<double, Eigen::Dynamic, 3> with_shared = -system_.sharedCross(j);
    Eigen::Matrix<double, Eigen::Dynamic, 3> with_gauge = Eigen::Matrix<double, Eigen::Dynamic, 3>::Zero(gauge_.cols(), 3);
    for (int i = begin; i < end; ++i) {
      const int at = system_.rowOf(bundle_.observations[i].camera);
      cross.push_back(system_.crossOf(i));
      if (shared > 0) with_shared += border_.middleRows(at, block).transpose() * cross.back();
      with_gauge += along_gauge_.middleRows(at, block).transpose() * cross.back();
    }
    if (shared > 0) with_gauge += shared_gauge_.transpose() * system_.sharedCross(j);
    Mat3 sum = shared > 0 ? Mat3(with_shared.transpose() * corner_ * with_shared) : Mat3::Zero();
    // Neighbouring frames share their uncertainty: of a long track every n-th stands for n.
    constexpr int kSightings = 20;
    const int every = (end - begin + kSightings - 1) / kSightings;
    for (int a = begin; a < end; a += every) {
      for (int b = begin; b <= a; b += every) {
        const auto between =
            system_.matrix().between(system_.rowOf(bundle_.observations[a].camera) / block, system_.rowOf(bundle_.observations[b].camera) / block);
        const Mat3 part = every * every * (cross[a - begin].transpose() * between * cross[b - begin]);
        sum += a == b ? part : Mat3(part + part.transpose());
      }
    }
    const Mat3 own = inverse + inverse * sum * inverse;
    // The point moves along when the world does.
    Eigen::Matrix<double, 3, Eigen::Dynamic> moves(3, gauge_.cols());
    moves.leftCols<3>() = options_.fixed_centres && !bundle_.arm ? Mat3::Zero() : Mat3(-crossMatrix(bundle_.points[j]));
    if (!options_.fixed_centres) moves.middleCols<3>(3).setIdentity(), moves.col(6) = bundle_.points[j];
    const Eigen::Matrix<double, 3, Eigen::Dynamic> carried = moves * triangle_inverse_;
    const Mat3 mixed = -inverse * with_gauge.transpose() * carried.transpose();
    const Mat3 all = own - mixed - mixed.transpose() + carried * gauge_covariance_ * carried.transpose();
    return variance_ * all;
  }

  /// What moves, turns and scales the world as a whole, which a shape goes along with, is taken out as it is of points.
  Eigen::MatrixXd shapeCovariance(int k) const {
    const SetShape& shape = bundle_.set.shapes[k];
    const int at = system_.shapeAt(k), count = unknownsOf(shape);
    const Eigen::MatrixXd carried = motionsOf(shape).leftCols(gauge_.cols()) * triangle_inverse_;
    const Eigen::MatrixXd mixed = shared_gauge_.middleRows(at, count) * carried.transpose();
    return variance_ * (corner_.block(at, at, count, count) - mixed - mixed.transpose() + carried * gauge_covariance_ * carried.transpose());
  }

  void fillLenses(CameraUncertainty& out) const {
    for (std::size_t l = 0; l < bundle_.lenses.size(); ++l) {
      const auto& index = system_.lensIndex(static_cast<int>(l));
      LensParameters sigma;
      sigma.fill(kUnknown);
      const int at = system_.sharedAt(static_cast<int>(l)), count = static_cast<int>(index.size());
      for (int k = 0; k < count; ++k) sigma[index[k]] = std::sqrt(scaled(corner_(at + k, at + k)));
      out.lens.push_back(sigma);
      out.lens_curve.push_back(lensCurve(bundle_.lenses[l], index, variance_ * corner_.block(at, at, count, count)));
      out.lens_px.push_back(count > 0 ? curveSpread(bundle_.lenses[l], index, corner_.block(at, at, count, count)) : kUnknown);
    }
  }

  /// Root of the mean squared deviation of where fixed rays land, over a grid of the picture.
  double curveSpread(const Lens& lens, const std::vector<int>& index, const Eigen::MatrixXd& covariance) const {
    constexpr int kGrid = 9;
    double sum = 0;
    int count = 0;
    for (int j = 0; j < kGrid; ++j) {
      for (int i = 0; i < kGrid; ++i) {
        const auto ray = lens.undistort(Vec2(lens.width * (i + 0.5) / kGrid, lens.height * (j + 0.5) / kGrid));
        if (!ray) continue;
        const LensSlopes slopes = lensSlopes(lens, *ray);
        Eigen::Matrix<double, 2, Eigen::Dynamic> by(2, covariance.rows());
        for (int k = 0; k < by.cols(); ++k) by.col(k) = slopes.by_lens.col(index[static_cast<std::size_t>(k)]);
        sum += (by * covariance * by.transpose()).trace();
        ++count;
      }
    }
    return count > 0 ? std::sqrt(scaled(sum / count)) : kUnknown;
  }

  const Bundle& bundle_;
  const BundleOptions& options_;
  const Progress& progress_;
  ReducedSystem system_;
  Eigen::MatrixXd border_;  ///< The camera system's inverse times what it shares with the shared unknowns.
  Eigen::MatrixXd corner_;  ///< Covariance of the shared unknowns, in units of the noise.
  Eigen::MatrixXd gauge_, along_gauge_, gauge_covariance_, triangle_inverse_;
  Eigen::MatrixXd shared_gauge_;  ///< Covariance of the shared unknowns with the gauge.
  double variance_ = kUnknown, slip_px_ = kUnknown;
};
}  // namespace

double correlatedVariance(const Bundle& bundle, const BundleOptions& options) {
  ReducedSystem system(bundle, options);
  system.linearise();
  return noiseVariance(system, bundle, system.block() * static_cast<double>(bundle.cameras.size()) + system.shared()) *
         sightingsPerIndependentOne(system, bundle);
}

double meanDeviation(const Mat3& covariance) {
  const double variance = covariance.trace() / 3;
  return variance < 0 ? 0 : std::sqrt(variance);
}

double sightingsPerIndependentOne(const Bundle& bundle, const BundleOptions& options) {
  ReducedSystem system(bundle, options);
  system.linearise();
  return sightingsPerIndependentOne(system, bundle);
}

CameraUncertainty cameraUncertainty(const Bundle& bundle, const BundleOptions& options, const Progress& progress) {
  if (bundle.cameras.size() >= 2 && !bundle.observations.empty()) {
    Covariance covariance(bundle, options, progress);
    if (covariance.make()) return covariance.result();
  }
  LensParameters unknown;
  unknown.fill(kUnknown);
  CameraUncertainty result{.centre = std::vector<double>(bundle.cameras.size(), kUnknown),
                           .rotation_rad = std::vector<double>(bundle.cameras.size(), kUnknown),
                           .focal_px = std::vector<double>(bundle.focal_px.size(), kUnknown),
                           .points = std::vector<Mat3>(bundle.points.size(), Mat3::Constant(kUnknown)),
                           .lens = std::vector<LensParameters>(bundle.lenses.size(), unknown),
                           .lens_px = std::vector<double>(bundle.lenses.size(), kUnknown)};
  for (const Lens& lens : bundle.lenses) result.lens_curve.push_back(lensCurve(lens, {}, {}));
  return result;
}
}  // namespace dusky
