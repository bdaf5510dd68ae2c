#include "core/adjust/observation_model.h"

#include <cmath>

#include "core/adjust/factors.h"
#include "core/base/parallel.h"
#include "core/geometry/essential.h"

namespace dusky {
namespace {

constexpr double kNearest = 1e-6;     // depth below which a point counts as behind the camera
constexpr double kBehindPx = 1000.0;  // and the error it is charged then

Vec3 turnBetween(const Eigen::Quaterniond& from, const Eigen::Quaterniond& to) {
  const Eigen::AngleAxisd turn(from.conjugate() * to);
  const double angle = turn.angle() > M_PI ? turn.angle() - 2 * M_PI : turn.angle();
  return angle * turn.axis();
}
}  // namespace

std::pair<int, int> motionNeighbours(const Bundle& bundle, int camera) {
  return {std::max(0, camera - 1), std::min(static_cast<int>(bundle.cameras.size()) - 1, camera + 1)};
}

std::vector<FrameMotion> frameMotions(const Bundle& bundle) {
  const int count = static_cast<int>(bundle.cameras.size());
  std::vector<FrameMotion> motions(bundle.cameras.size());
  for (int c = 0; c < count && count > 1; ++c) {
    const auto [a, b] = motionNeighbours(bundle, c);
    const double time = bundle.timeOf(b) - bundle.timeOf(a);
    if (time <= 0) continue;
    motions[c] = {turnBetween(bundle.cameras[a].world_from_camera, bundle.cameras[b].world_from_camera) / time,
                  (bundle.cameras[b].centre - bundle.cameras[a].centre) / time};
  }
  return motions;
}

Pose movedWithin(const Pose& pose, const FrameMotion& motion, double later) {
  return {pose.world_from_camera * rotationFromVector(later * motion.rotation), pose.centre + later * motion.velocity};
}

Lens Bundle::lensAt(int camera) const {
  Lens lens = lenses[static_cast<std::size_t>(lensOf(camera))];
  if (zooms()) lens.focal_px = focal_px[static_cast<std::size_t>(camera)];
  return lens;
}

ObservationModel::ObservationModel(const Bundle& bundle, const BundleOptions& options) : bundle_(bundle), options_(options) {
  for (int l = 0; l < static_cast<int>(bundle.lenses.size()); ++l) {
    std::vector<int>& index = lens_index_.emplace_back();
    for (int k = 0; k < kMostLensParameters; ++k) {
      if (options.freeOf(l)[k] && !(k == 0 && bundle.zooms())) index.push_back(k);
    }
    lens_columns_ = std::max(lens_columns_, static_cast<int>(index.size()));
  }
  refresh();
}

void ObservationModel::refresh() {
  lenses_ = bundle_.lenses;
  if (bundle_.zooms()) {
    lenses_.clear();
    for (std::size_t c = 0; c < bundle_.cameras.size(); ++c) lenses_.push_back(bundle_.lensAt(static_cast<int>(c)));
  }
  camera_from_world_.resize(bundle_.cameras.size());
  for (std::size_t c = 0; c < bundle_.cameras.size(); ++c) camera_from_world_[c] = bundle_.cameras[c].world_from_camera.conjugate().toRotationMatrix();
  if (bundle_.readout != 0 || options_.free_readout) motions_ = frameMotions(bundle_);
}

/// Where the camera was when the row was read.
Pose ObservationModel::poseFor(const BundleObservation& o) const {
  const Pose& pose = bundle_.cameras[o.camera];
  if (bundle_.readout == 0) return pose;
  return movedWithin(pose, motions_[o.camera], bundle_.readout * rowTime(o.seen.y(), bundle_.lenses.front().height));
}

Mat3 ObservationModel::cameraFromWorld(const BundleObservation& o) const {
  return bundle_.readout == 0 ? camera_from_world_[o.camera] : poseFor(o).world_from_camera.conjugate().toRotationMatrix();
}

/// A direction where the point is far.
Vec3 ObservationModel::inCamera(const BundleObservation& o, const Mat3& camera_from_world) const {
  const Vec3& point = bundle_.points[o.point];
  if (bundle_.isAtInfinity(o.point)) return camera_from_world * point;
  return camera_from_world * (point - (bundle_.readout == 0 ? bundle_.cameras[o.camera].centre : poseFor(o).centre));
}

double ObservationModel::weight(double squared) const {
  const double s2 = options_.loss_px * options_.loss_px;
  switch (options_.loss) {
    case Loss::Squared: return 1;
    case Loss::Huber: return squared <= s2 ? 1 : std::sqrt(s2 / squared);
    case Loss::Cauchy: return 1 / (1 + squared / s2);
  }
  return 1;
}

double ObservationModel::loss(double squared) const {
  const double s2 = options_.loss_px * options_.loss_px;
  switch (options_.loss) {
    case Loss::Squared: return squared;
    case Loss::Huber: return squared <= s2 ? squared : 2 * std::sqrt(s2 * squared) - s2;
    case Loss::Cauchy: return s2 * std::log1p(squared / s2);
  }
  return squared;
}

/// How the normalised place of a point follows the point, both in camera axes.
static Mat23 projection(const Vec3& p) {
  const Vec2 n = p.hnormalized();
  Mat23 by_point;
  by_point << 1 / p.z(), 0, -n.x() / p.z(), 0, 1 / p.z(), -n.y() / p.z();
  return by_point;
}

LinearisedPoint ObservationModel::linearisePoint(const BundleObservation& o) const {
  LinearisedPoint row;
  const Mat3 camera_from_world = cameraFromWorld(o);
  const Vec3 p = inCamera(o, camera_from_world);
  if (p.z() < kNearest) {
    row.loss = o.weight * loss(kBehindPx * kBehindPx);
    return row;
  }
  const LensSlopes slopes = lensSlopes(lensOf(o), p.hnormalized());
  const Vec2 residual = slopes.pixel - o.seen;
  const double squared = residual.squaredNorm(), w = std::sqrt(o.weight * weight(squared));
  row.loss = o.weight * loss(squared);
  row.residual = w * residual;
  row.by_point = w * slopes.by_point * projection(p) * camera_from_world;
  return row;
}

Linearised ObservationModel::linearise(const BundleObservation& o, SharedColumns& shared) const {
  Linearised row{Mat23::Zero(), Mat23::Zero()};
  shared.setZero();
  const bool far = bundle_.isAtInfinity(o.point);
  const Mat3 camera_from_world = cameraFromWorld(o);
  const Vec3 p = inCamera(o, camera_from_world);
  if (p.z() < kNearest) return row;
  const Vec2 n = p.hnormalized();
  const Lens& lens = lensOf(o);
  const LensSlopes slopes = lensSlopes(lens, n);
  const Mat23 by_camera_point = slopes.by_point * projection(p);
  row.residual = slopes.pixel - o.seen;
  row.by_point = by_camera_point * camera_from_world;
  // Rotated about its pivot, the point's place from there counts.
  row.by_rotation = by_camera_point * crossMatrix(bundle_.arm && !far ? Vec3(p + *bundle_.arm) : p);
  if (bundle_.arm && !far) shared.middleCols<3>(lens_columns_) = -by_camera_point;
  if (bundle_.zooms()) row.by_focal = lens.focal_px * slopes.by_lens.col(0);
  const std::vector<int>& index = lensIndex(bundle_.lensOf(o.camera));
  for (std::size_t k = 0; k < index.size(); ++k) shared.col(static_cast<int>(k)) = slopes.by_lens.col(index[k]);
  if (options_.free_readout) {
    const FrameMotion& motion = motions_[o.camera];
    const Vec2 moved = by_camera_point * (crossMatrix(p) * motion.rotation) - (far ? Vec2::Zero() : Vec2(row.by_point * motion.velocity));
    shared.col(sharedColumns() - 1) = rowTime(o.seen.y(), lens.height) * moved;
  }
  const double w = std::sqrt(o.weight * weight(row.residual.squaredNorm()));
  row.residual *= w, row.by_rotation *= w, row.by_point *= w, row.by_focal *= w, shared *= w;
  return row;
}

double ObservationModel::squaredError(const BundleObservation& o) const {
  const Vec3 p = inCamera(o, cameraFromWorld(o));
  if (p.z() < kNearest) return kBehindPx * kBehindPx;
  return (lensOf(o).distort(p.hnormalized()) - o.seen).squaredNorm();
}

double bundleCost(const Bundle& bundle, const BundleOptions& options) {
  const ObservationModel model(bundle, options);
  // Blocks of fixed size: the order of summation does not depend on the threads.
  constexpr int kBlock = 2048;
  const int count = static_cast<int>(bundle.observations.size());
  std::vector<double> partial(count / kBlock + 1, 0.0);
  parallelFor(static_cast<int>(partial.size()), [&](int block) {
    for (int i = block * kBlock; i < std::min(count, (block + 1) * kBlock); ++i) partial[block] += model.cost(bundle.observations[i]);
  });
  double total = 0;
  for (double p : partial) total += p;
  forEachFactor(bundle, options, model, [&total](const FactorRow& row) { total += row.cost; });
  return total;
}
}  // namespace dusky
