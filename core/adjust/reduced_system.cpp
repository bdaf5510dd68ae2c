#include "core/adjust/reduced_system.h"

#include <cassert>
#include <cmath>
#include <numeric>
#include <tuple>

#include "core/base/parallel.h"
#include "core/geometry/essential.h"
#include "core/adjust/dense_tiles.h"

namespace dusky {
namespace {

constexpr int kPointsPerGroup = 32;
[[maybe_unused]] bool sortedByPoint(const Bundle& bundle) {
  const auto earlier = [](const BundleObservation& a, const BundleObservation& b) { return a.point < b.point; };
  return std::is_sorted(bundle.observations.begin(), bundle.observations.end(), earlier);
}

}  // namespace

ReducedSystem::ReducedSystem(const Bundle& bundle, const BundleOptions& options)
    : bundle_(bundle), options_(options), model_(bundle, options), order_(orderCameras(bundle)), block_(bundle.zooms() ? 7 : 6), matrix_(order_.first, block_) {
  assert(sortedByPoint(bundle));
  for (int l = 0; l < static_cast<int>(bundle.lenses.size()); ++l) shared_at_.push_back(shared_), shared_ += model_.freeCount(l);
  for (const SetShape& shape : bundle.set.shapes) shape_at_.push_back(shared_), shared_ += unknownsOf(shape);
  shared_ += model_.commonColumns();
  const int count = static_cast<int>(bundle.observations.size());
  of_camera_.resize(bundle.cameras.size());
  point_begin_.assign(bundle.points.size() + 1, 0);
  for (int i = 0; i < count; ++i) {
    of_camera_[bundle.observations[i].camera].push_back(i);
    ++point_begin_[bundle.observations[i].point + 1];
  }
  for (std::size_t j = 0; j < bundle.points.size(); ++j) point_begin_[j + 1] += point_begin_[j];
  rows_.resize(count);
  shared_rows_.resize(static_cast<std::size_t>(2 * model_.sharedColumns()) * count);
  point_factor_.resize(bundle.points.size());
  point_gradient_.resize(bundle.points.size());
  point_diagonal_.resize(bundle.points.size());
  point_steps_.resize(bundle.points.size());
  makeGroups();
}

void ReducedSystem::makeGroups() {
  const auto tileOf = [&](int observation) { return order_.place[bundle_.observations[observation].camera] / EnvelopeMatrix::kBlocksPerTile; };
  std::vector<std::pair<int, int>> reach(bundle_.points.size(), {0, 0});
  for (std::size_t j = 0; j < bundle_.points.size(); ++j) {
    if (point_begin_[j] == point_begin_[j + 1]) continue;
    reach[j] = {tileOf(point_begin_[j]), tileOf(point_begin_[j])};
    for (int i = point_begin_[j]; i < point_begin_[j + 1]; ++i) reach[j] = {std::min(reach[j].first, tileOf(i)), std::max(reach[j].second, tileOf(i))};
  }
  point_order_.resize(bundle_.points.size());
  std::iota(point_order_.begin(), point_order_.end(), 0);
  // Points that reach over the same tiles go together: by where they begin, a few tiles at once, to and fro by where they end.
  constexpr int kStrip = 4;
  const auto rank = [&](int j) {
    const int strip = reach[j].first / kStrip;
    return std::tuple(strip, strip % 2 == 0 ? reach[j].second : -reach[j].second, reach[j].first);
  };
  std::stable_sort(point_order_.begin(), point_order_.end(), [&](int a, int b) { return rank(a) < rank(b); });
  groups_of_tile_.resize(static_cast<std::size_t>(matrix_.tileRows()));
  for (int first = 0; first < static_cast<int>(point_order_.size()); first += kPointsPerGroup) {
    Group group{.first = first, .count = std::min(kPointsPerGroup, static_cast<int>(point_order_.size()) - first)};
    for (int p = first; p < first + group.count; ++p) {
      for (int i = point_begin_[point_order_[p]]; i < point_begin_[point_order_[p] + 1]; ++i) group.tiles.push_back(tileOf(i));
    }
    std::sort(group.tiles.begin(), group.tiles.end());
    group.tiles.erase(std::unique(group.tiles.begin(), group.tiles.end()), group.tiles.end());
    group.cameras.resize(group.tiles.size() * static_cast<std::size_t>(matrix_.tileSize() * group.columns()));
    group.right.resize(group.columns());
    for (std::size_t k = 0; k < group.tiles.size(); ++k) groups_of_tile_[group.tiles[k]].emplace_back(static_cast<int>(groups_.size()), static_cast<int>(k));
    groups_.push_back(std::move(group));
  }
}

/// Of the set's shapes a group's points know a few, of hundreds: the others have no place in its products.
void ReducedSystem::findReaches() {
  for (Group& group : groups_) {
    group.reaches.resize(static_cast<std::size_t>(lensUnknowns()));
    std::iota(group.reaches.begin(), group.reaches.end(), 0);
    for (int p = group.first; p < group.first + group.count; ++p) {
      for (const FactorRow& row : factorsOf(point_order_[p])) {
        for (int k = 0; k < row.count; ++k) {
          if (row.slopes[k].of == UnknownOf::Shape) group.reaches.push_back(sharedOf(row.slopes[k]));
        }
      }
    }
    for (int k = commonAt(); k < shared_; ++k) group.reaches.push_back(k);
    std::sort(group.reaches.begin(), group.reaches.end());
    group.reaches.erase(std::unique(group.reaches.begin(), group.reaches.end()), group.reaches.end());
    group.shared.resize(static_cast<Eigen::Index>(group.reaches.size()), group.columns());
  }
}

std::size_t ReducedSystem::bytes() const {
  std::size_t bytes = matrix_.bytes() + rows_.size() * sizeof(Linearised) + shared_rows_.size() * sizeof(double);
  for (const Group& group : groups_) bytes += static_cast<std::size_t>(group.shared.size()) * sizeof(double) + group.cameras.size() * sizeof(double);
  return bytes;
}

Eigen::Map<const Eigen::Matrix<double, 2, Eigen::Dynamic>> ReducedSystem::sharedOf(int observation) const {
  const int columns = model_.sharedColumns();
  return {shared_rows_.data() + static_cast<std::size_t>(2 * columns) * observation, 2, columns};
}

/// Turn, centre, and the seventh of a zoom (else 0).
ReducedSystem::Mat27 ReducedSystem::byCamera(int observation) const {
  const Linearised& row = rows_[observation];
  Mat27 by = Mat27::Zero();
  if (bundle_.isHeld(bundle_.observations[observation].camera)) return by;
  by.leftCols<3>() = row.by_rotation;
  if (!options_.fixed_centres && !bundle_.isAtInfinity(bundle_.observations[observation].point)) by.middleCols<3>(3) = -row.by_point;
  if (block_ == 7 && options_.free_focal) by.col(6) = row.by_focal;
  return by;
}

void ReducedSystem::linearise() {
  model_.refresh();
  factors_ = factorsNow();
  point_factors_ = byPoint(factors_);
  findReaches();
  const int columns = model_.sharedColumns();
  parallelFor(
      static_cast<int>(rows_.size()),
      [&](int i) {
        SharedColumns shared;
        rows_[i] = model_.linearise(bundle_.observations[i], shared);
        std::copy_n(shared.data(), 2 * columns, shared_rows_.begin() + static_cast<std::ptrdiff_t>(2 * columns) * i);
      },
      256);
}

void ReducedSystem::eliminatePoint(Group& group, int index, double damping) {
  const int j = point_order_[group.first + index];
  Mat3 normal = Mat3::Zero();
  Vec3 gradient = Vec3::Zero();
  for (int i = point_begin_[j]; i < point_begin_[j + 1]; ++i) {
    normal += rows_[i].by_point.transpose() * rows_[i].by_point;
    gradient -= rows_[i].by_point.transpose() * rows_[i].residual;
  }
  // Beliefs are not damped: beside what holds a point to its plane it would not move in it.
  const Vec3 diagonal = normal.diagonal();
  for (const FactorRow& row : factorsOf(j)) {
    const Vec3 by_point = row.byPoint();
    normal += by_point * by_point.transpose();
    gradient -= row.residual * by_point;
  }
  point_diagonal_[j] = diagonal;
  point_gradient_[j] = gradient;
  // A direction has no length to be found.
  if (bundle_.isAtInfinity(j)) normal += 0.5 * normal.trace() * bundle_.points[j] * bundle_.points[j].transpose();
  normal.diagonal() += damping * diagonal + Vec3::Constant(kFloor * (1 + normal.trace()));
  const Mat3 factor = normal.llt().matrixL();
  point_factor_[j] = factor;
  const Mat3 back = factor.triangularView<Eigen::Lower>().solve(Mat3::Identity()).transpose();  // L^-T
  group.right.segment<3>(3 * index) = back.transpose() * gradient;
  for (const FactorRow& row : factorsOf(j)) {
    const Eigen::RowVector3d by_point = row.byPoint().transpose() * back;
    for (int k = 0; k < row.count; ++k) {
      if (row.slopes[k].of != UnknownOf::Point) group.shared.block<1, 3>(group.rowOf(sharedOf(row.slopes[k])), 3 * index) += row.slopes[k].slope * by_point;
    }
  }
  const int common = model_.commonColumns(), common_at = static_cast<int>(group.reaches.size()) - common;
  std::size_t tile = 0;
  for (int i = point_begin_[j]; i < point_begin_[j + 1]; ++i) {
    const Linearised& row = rows_[i];
    const int camera = bundle_.observations[i].camera, place = order_.place[camera];
    const int tile_row = place / EnvelopeMatrix::kBlocksPerTile;
    if (group.tiles[tile] != tile_row)
      tile = static_cast<std::size_t>(std::lower_bound(group.tiles.begin(), group.tiles.end(), tile_row) - group.tiles.begin());
    const Mat23 by_point = row.by_point * back;
    Eigen::Map<Eigen::MatrixXd> cameras(group.tile(tile, matrix_.tileSize()), matrix_.tileSize(), group.columns());
    const int at = block_ * (place % EnvelopeMatrix::kBlocksPerTile);
    const bool moves = !bundle_.isHeld(camera);
    if (moves) cameras.block<3, 3>(at, 3 * index) += row.by_rotation.transpose() * by_point;
    if (moves && !options_.fixed_centres && !bundle_.isAtInfinity(j)) cameras.block<3, 3>(at + 3, 3 * index) -= row.by_point.transpose() * by_point;
    if (moves && block_ == 7 && options_.free_focal) cameras.block<1, 3>(at + 6, 3 * index) += row.by_focal.transpose() * by_point;
    const auto shared = sharedOf(i);
    const int lens = bundle_.lensOf(camera), free = model_.freeCount(lens);
    if (free > 0) group.shared.block(sharedAt(lens), 3 * index, free, 3).noalias() += shared.leftCols(free).transpose() * by_point;
    if (common > 0) group.shared.block(common_at, 3 * index, common, 3).noalias() += shared.rightCols(common).transpose() * by_point;
  }
}

void ReducedSystem::eliminate(Group& group, double damping) {
  std::fill(group.cameras.begin(), group.cameras.end(), 0.0);
  group.shared.setZero();
  for (int k = 0; k < group.count; ++k) eliminatePoint(group, k, damping);
}

ReducedSystem::OwnProducts ReducedSystem::ownProducts(int camera) const {
  const int columns = model_.sharedColumns(), last = block_ + columns;
  OwnProducts own{.fours = (last + 4) / 4};
  alignas(32) double a[4 * OwnProducts::kMostFours] = {}, b[4 * OwnProducts::kMostFours] = {};
  const bool zooms = block_ == 7 && options_.free_focal;
  for (const int i : of_camera_[camera]) {
    const Linearised& row = rows_[i];
    const bool near = !options_.fixed_centres && !bundle_.isAtInfinity(bundle_.observations[i].point);
    for (int k = 0; k < 3; ++k) {
      a[k] = row.by_rotation(0, k), b[k] = row.by_rotation(1, k);
      a[3 + k] = near ? -row.by_point(0, k) : 0, b[3 + k] = near ? -row.by_point(1, k) : 0;
    }
    if (zooms) a[6] = row.by_focal[0], b[6] = row.by_focal[1];
    const auto shared = sharedOf(i);
    for (int k = 0; k < columns; ++k) a[block_ + k] = shared(0, k), b[block_ + k] = shared(1, k);
    a[last] = row.residual[0], b[last] = row.residual[1];
    if (bundle_.isHeld(camera)) std::fill_n(a, block_, 0.0), std::fill_n(b, block_, 0.0);
    addOuterProducts(own.sum.data(), a, b, own.fours);
  }
  return own;
}

/// What the cameras' own equations are before the points are taken out.
void ReducedSystem::addCameras(double damping) {
  const int cameras = static_cast<int>(bundle_.cameras.size()), common = model_.commonColumns(), own_lens = model_.lensColumns();
  const int columns = model_.sharedColumns(), last = block_ + columns;
  std::vector<Eigen::MatrixXd> corners(bundle_.cameras.size());
  std::vector<Eigen::VectorXd> rights(bundle_.cameras.size());
  parallelFor(cameras, [&](int c) {
    const OwnProducts products = ownProducts(c);
    const auto all = products.all();
    Eigen::MatrixXd own = all.topLeftCorner(block_, block_).selfadjointView<Eigen::Upper>();
    const auto with_shared = all.block(0, block_, block_, columns);
    corners[c] = all.block(block_, block_, columns, columns).selfadjointView<Eigen::Upper>();
    rights[c] = -all.col(last).segment(block_, columns);
    const int at = rowOf(c), place = order_.place[c];
    gradient_.segment(at, block_) = -all.col(last).head(block_);
    diagonal_.segment(at, block_) = own.diagonal();
    own.diagonal() += damping * own.diagonal() + Eigen::VectorXd::Constant(block_, kFloor * (1 + own.trace()));
    matrix_.block(place, place) += own;
    const int lens = bundle_.lensOf(c), free = model_.freeCount(lens);
    border_.block(at, sharedAt(lens), block_, free) = with_shared.leftCols(free);
    border_.block(at, commonAt(), block_, common) = with_shared.rightCols(common);
  });
  for (int c = 0; c < cameras; ++c) {
    const int lens = bundle_.lensOf(c), at = sharedAt(lens), free = model_.freeCount(lens);
    corner_.block(at, at, free, free) += corners[c].topLeftCorner(free, free);
    shared_gradient_.segment(at, free) += rights[c].head(free);
    corner_.block(commonAt(), at, common, free) += corners[c].block(own_lens, 0, common, free);
    corner_.block(at, commonAt(), free, common) += corners[c].block(0, own_lens, free, common);
    corner_.block(commonAt(), commonAt(), common, common) += corners[c].block(own_lens, own_lens, common, common);
    shared_gradient_.segment(commonAt(), common) += rights[c].segment(own_lens, common);
  }
}

/// Row by row: a group's tile of the row stays near at hand while it meets the group's other ones. No point of a group sees two tiles whose
/// place in the matrix lies outside of the envelope: their product is zero, and there is nothing to take it from.
void ReducedSystem::takeOutOfRow(int row) {
  const int size = matrix_.tileSize();
  for (const auto& [index, at] : groups_of_tile_[row]) {
    Group& group = groups_[index];
    const auto place = static_cast<std::size_t>(at);
    for (std::size_t other = 0; other <= place; ++other) {
      if (!matrix_.within(row, group.tiles[other])) continue;
      subtractProduct(matrix_.data(row, group.tiles[other]), group.tile(place, size), group.tile(other, size), size, group.columns(), other == place);
    }
  }
}

/// The points' share: each tile sums its groups in their order.
void ReducedSystem::takeOutGroups() {
  const int size = matrix_.tileSize();
  parallelFor(matrix_.tileRows(), [&](int row) { takeOutOfRow(row); });
  if (shared_ > 0) {
    parallelFor(matrix_.tileRows(), [&](int row) {
      for (const auto& [index, at] : groups_of_tile_[row]) {
        const Group& group = groups_[index];
        border_.middleRows(size * row, size)(Eigen::all, group.reaches) -= group.tileOf(at, size) * group.shared.transpose();
      }
    });
    for (const Group& group : groups_) corner_(group.reaches, group.reaches) -= group.shared * group.shared.transpose();
  }
  takeRightOut();
}

/// Takes the points' share out of the right sides.
void ReducedSystem::takeRightOut() {
  const int size = matrix_.tileSize();
  parallelFor(matrix_.tileRows(), [&](int row) {
    for (const auto& [group, at] : groups_of_tile_[row]) right_.segment(size * row, size).noalias() -= groups_[group].tileOf(at, size) * groups_[group].right;
  });
  for (const Group& group : groups_) shared_right_(group.reaches) -= group.shared * group.right;
}

void ReducedSystem::build(double damping) {
  parallelFor(static_cast<int>(groups_.size()), [&](int g) { eliminate(groups_[g], damping); });
  const int rows = matrix_.rows();
  matrix_.clear();
  border_.setZero(rows, shared_);
  corner_.setZero(shared_, shared_);
  gradient_.setZero(rows), diagonal_.setZero(rows), shared_gradient_.setZero(shared_);
  addCameras(damping);
  addMotionGradient();
  for (const FactorRow& row : factors_) addFactor(row, true);
  shared_diagonal_ = corner_.diagonal();
  if (!shape_at_.empty()) shared_diagonal_.segment(shape_at_.front(), shapeUnknowns()).setZero();
  corner_.diagonal() += damping * shared_diagonal_;
  right_ = gradient_, shared_right_ = shared_gradient_;
  takeOutGroups();
  dampShapes(damping);
}

bool ReducedSystem::worldIsFree() const {
  const auto held = [&](std::uint8_t h) { return h != 0; };
  return bundle_.planes.empty() && bundle_.set.empty() && std::none_of(bundle_.held.begin(), bundle_.held.end(), held);
}

void ReducedSystem::holdWorld() {
  const auto fewer = [](const auto& a, const auto& b) { return a.size() < b.size(); };
  const int anchor = static_cast<int>(std::max_element(of_camera_.begin(), of_camera_.end(), fewer) - of_camera_.begin());
  auto own = matrix_.block(order_.place[anchor], order_.place[anchor]);
  const Eigen::VectorXd diagonal = own.diagonal().head<6>();
  own.diagonal().head<6>() += diagonal;
  if (bundle_.arm) {
    auto arm = corner_.block<3, 3>(commonAt(), commonAt());
    const Vec3 along = bundle_.arm->normalized();
    const double weight = arm.trace() / 3;
    arm += weight * along * along.transpose();
  }
  if (options_.fixed_centres) return;
  int farthest = anchor;
  double distance = 0;
  for (int c = 0; c < static_cast<int>(bundle_.cameras.size()); ++c) {
    const double d = (bundle_.cameras[c].centre - bundle_.cameras[anchor].centre).norm();
    if (d > distance) distance = d, farthest = c;
  }
  if (farthest == anchor) return;
  const Vec3 along = (bundle_.cameras[farthest].centre - bundle_.cameras[anchor].centre) / distance;
  auto other = matrix_.block(order_.place[farthest], order_.place[farthest]).block<3, 3>(3, 3);
  const double weight = other.trace() / 3;
  other += weight * along * along.transpose();
}

bool ReducedSystem::solve(double damping) {
  damping_ = damping;
  build(damping);
  if (!matrix_.factorise()) return false;
  solved_border_ = border_;
  matrix_.solveLower(solved_border_);
  if (shared_ > 0) {
    corner_factor_.compute(corner_ - solved_border_.transpose() * solved_border_);
    if (corner_factor_.info() != Eigen::Success) return false;
  }
  return solveReduced();
}

bool ReducedSystem::solveAgain() {
  gradientsAlone();
  if (!solveReduced()) return false;
  keepWorld();
  return true;
}

Eigen::MatrixXd ReducedSystem::worldMotions() const {
  const int count = options_.fixed_centres ? 3 : 7;
  Eigen::MatrixXd motions = Eigen::MatrixXd::Zero(matrix_.rows(), count);
  for (std::size_t c = 0; c < bundle_.cameras.size(); ++c) {
    const int at = rowOf(static_cast<int>(c));
    const Pose& pose = bundle_.cameras[c];
    motions.block<3, 3>(at, 0) = pose.world_from_camera.conjugate().toRotationMatrix();
    if (options_.fixed_centres) continue;
    motions.block<3, 3>(at + 3, 0) = -crossMatrix(pose.centre);
    motions.block<3, 3>(at + 3, 3).setIdentity();
    motions.block<3, 1>(at + 3, 6) = pose.centre;
  }
  return motions;
}

/// Takes the motion of the whole world out of the step: least squares over the cameras; the points come along.
void ReducedSystem::keepWorld() {
  const Eigen::MatrixXd motions = worldMotions();
  Eigen::VectorXd along = Eigen::VectorXd::Zero(7);
  along.head(motions.cols()) = (motions.transpose() * motions).ldlt().solve(motions.transpose() * camera_step_);
  camera_step_.noalias() -= motions * along.head(motions.cols());
  for (std::size_t j = 0; j < point_steps_.size(); ++j) {
    const Vec3& p = bundle_.points[j];
    point_steps_[j] -= along.head<3>().cross(p);
    if (!bundle_.isAtInfinity(static_cast<int>(j))) point_steps_[j] -= along.segment<3>(3) + along[6] * p;
  }
}

/// With the factors as they are and the right sides as they are.
bool ReducedSystem::solveReduced() {
  Eigen::MatrixXd own = right_;
  matrix_.solveLower(own);
  shared_step_.resize(shared_);
  if (shared_ > 0) {
    shared_step_ = corner_factor_.solve(shared_right_ - solved_border_.transpose() * own);
    own -= solved_border_ * shared_step_;
  }
  matrix_.solveUpper(own);
  camera_step_ = own;
  if (!camera_step_.allFinite() || !shared_step_.allFinite()) return false;
  backSubstitute();
  return true;
}

/// The right sides at the present linearisation, the points taken out as the last build() did.
void ReducedSystem::gradientsAlone() {
  gradient_.setZero(), shared_gradient_.setZero();
  const int columns = model_.sharedColumns(), common = model_.commonColumns();
  const int cameras = static_cast<int>(bundle_.cameras.size());
  std::vector<Eigen::VectorXd> shared(bundle_.cameras.size());
  parallelFor(cameras, [&](int c) {
    Eigen::Matrix<double, 7, 1> own = Eigen::Matrix<double, 7, 1>::Zero();
    shared[c].setZero(columns);
    for (const int i : of_camera_[c]) {
      own.noalias() -= byCamera(i).transpose() * rows_[i].residual;
      shared[c].noalias() -= sharedOf(i).transpose() * rows_[i].residual;
    }
    gradient_.segment(rowOf(c), block_) = own.head(block_);
  });
  for (int c = 0; c < cameras; ++c) {
    const int lens = bundle_.lensOf(c), free = model_.freeCount(lens);
    shared_gradient_.segment(sharedAt(lens), free) += shared[c].head(free);
    shared_gradient_.segment(commonAt(), common) += shared[c].tail(common);
  }
  addMotionGradient();
  for (const FactorRow& row : factors_) addFactor(row, false);
  parallelFor(static_cast<int>(groups_.size()), [&](int g) {
    Group& group = groups_[g];
    for (int k = 0; k < group.count; ++k) {
      const int j = point_order_[group.first + k];
      Vec3 gradient = Vec3::Zero();
      for (int i = point_begin_[j]; i < point_begin_[j + 1]; ++i) gradient -= rows_[i].by_point.transpose() * rows_[i].residual;
      for (const FactorRow& row : factorsOf(j)) gradient -= row.residual * row.byPoint();
      point_gradient_[j] = gradient;
      group.right.segment<3>(3 * k) = point_factor_[j].triangularView<Eigen::Lower>().solve(gradient);
    }
  });
  right_ = gradient_, shared_right_ = shared_gradient_;
  takeRightOut();
}

void ReducedSystem::backSubstitute() {
  const int size = matrix_.tileSize();
  parallelFor(static_cast<int>(groups_.size()), [&](int g) {
    const Group& group = groups_[g];
    Eigen::VectorXd rest = group.right;
    for (std::size_t k = 0; k < group.tiles.size(); ++k)
      rest.noalias() -= group.tileOf(k, size).transpose() * camera_step_.segment(size * group.tiles[k], size);
    if (shared_ > 0) rest.noalias() -= group.shared.transpose() * shared_step_(group.reaches);
    for (int k = 0; k < group.count; ++k) {
      const int j = point_order_[group.first + k];
      point_steps_[j] = point_factor_[j].transpose().triangularView<Eigen::Upper>().solve(rest.segment<3>(3 * k));
    }
  });
}

double ReducedSystem::predictedGain() const {
  // Half of (gradient . step + damping * step D step).
  double gain = damping_ * (camera_step_.cwiseAbs2().dot(diagonal_) + shared_step_.cwiseAbs2().dot(shared_diagonal_));
  gain += camera_step_.dot(gradient_) + shared_step_.dot(shared_gradient_);
  for (std::size_t j = 0; j < point_steps_.size(); ++j)
    gain += damping_ * point_steps_[j].cwiseAbs2().dot(point_diagonal_[j]) + point_steps_[j].dot(point_gradient_[j]);
  return 0.5 * gain;
}

Mat3 ReducedSystem::pointInverse(int point) const {
  const Mat3 back = point_factor_[point].triangularView<Eigen::Lower>().solve(Mat3::Identity());
  return back.transpose() * back;
}

Eigen::Matrix<double, Eigen::Dynamic, 3> ReducedSystem::sharedCross(int point) const {
  Eigen::Matrix<double, Eigen::Dynamic, 3> cross = Eigen::Matrix<double, Eigen::Dynamic, 3>::Zero(shared_, 3);
  const int common = model_.commonColumns();
  for (int i = point_begin_[point]; i < point_begin_[point + 1]; ++i) {
    const auto shared = sharedOf(i);
    const int lens = bundle_.lensOf(bundle_.observations[i].camera), free = model_.freeCount(lens);
    cross.middleRows(sharedAt(lens), free) += shared.leftCols(free).transpose() * rows_[i].by_point;
    cross.middleRows(commonAt(), common) += shared.rightCols(common).transpose() * rows_[i].by_point;
  }
  for (const FactorRow& row : factorsOf(point)) {
    for (int k = 0; k < row.count; ++k) {
      if (row.slopes[k].of != UnknownOf::Point) cross.row(sharedOf(row.slopes[k])) += row.slopes[k].slope * row.byPoint().transpose();
    }
  }
  return cross;
}

ReducedSystem::Cross ReducedSystem::crossOf(int observation) const { return (byCamera(observation).transpose() * rows_[observation].by_point).topRows(block_); }
}  // namespace dusky
