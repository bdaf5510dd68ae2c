#pragma once
#include <Eigen/Cholesky>
#include <Eigen/Core>
#include <algorithm>
#include <array>
#include <span>
#include <vector>

#include "core/adjust/camera_order.h"
#include "core/adjust/envelope_matrix.h"
#include "core/adjust/factors.h"
#include "core/adjust/observation_model.h"

namespace dusky {

/// The normal equations of a bundle with the points taken out. Unknowns: six of each camera (turn in camera axes, centre), a seventh for the
/// logarithm of a zoom's focal length; then what all frames share: the free parameters of each lens, and the readout.
/// Source: Triggs et al. 2000, section 6 (Schur complement); the shared unknowns are a border of the camera system.
class ReducedSystem {
 public:
  ReducedSystem(const Bundle& bundle, const BundleOptions& options);

  /// Linearises at the bundle's present state.
  void linearise();
  /// Builds and solves with the given damping; false where the matrix is not positive.
  bool solve(double damping);
  /// Solves once more with the matrix of the last solve() and the gradient of the latest linearise(): nearly as good a step where little has
  /// moved since, at a fraction of the cost. What of it moves, turns or scales the world as a whole, which an older matrix hardly holds, is
  /// taken out. Source: the chord method, Ortega and Rheinboldt 1970, section 7.1.
  bool solveAgain();
  /// Puts every point of the bundle, which moved, where its own sightings want it, the cameras standing. Where little parallax says how deep points lie, depths
  /// are far from linear in a step, and cameras and lens that wait for them creep. Source: embedded point iterations, Jeong, Nister, Steedly, Szeliski and
  /// Kweon, PAMI 34(8), 2012.
  void refitPoints(std::vector<Vec3>& points);
  /// Predicted decrease of half the squared error for the last step.
  double predictedGain() const;

  // The last step.
  Eigen::VectorXd::ConstSegmentReturnType cameraStep(int camera) const { return camera_step_.segment(rowOf(camera), block_); }
  const Eigen::VectorXd& cameraSteps() const { return camera_step_; }
  const std::vector<Vec3>& pointSteps() const { return point_steps_; }
  /// A point after a step. Along the ray from the first camera that saw it what goes evenly is the inverse of its distance, as in the pictures: a step that
  /// overshoots neither ends behind the camera nor creeps. Source: Civera, Davison and Montiel, IEEE Transactions on Robotics 24(5), 2008.
  Vec3 movedPoint(int point, const Vec3& place, const Vec3& step) const;
  const Eigen::VectorXd& sharedStep() const { return shared_step_; }

  // How the unknowns lie.
  int block() const { return block_; }
  int rowOf(int camera) const { return block_ * order_.place[static_cast<std::size_t>(camera)]; }
  int shared() const { return shared_; }
  int shapeAt(int shape) const { return shape_at_[static_cast<std::size_t>(shape)]; }  ///< First unknown of a shape of the set.
  int sharedAt(int lens) const { return shared_at_[static_cast<std::size_t>(lens)]; }  ///< First unknown of a lens.
  int commonAt() const { return shared_ - model_.commonColumns(); }                    ///< First of those that no lens has: the arm's three, the readout.
  int readoutAt() const { return shared_ - 1; }                                        ///< Where the readout is free.
  const std::vector<int>& lensIndex(int lens) const { return model_.lensIndex(lens); }

  // For covariances: the parts after build() with nearly no damping.
  void build(double damping);
  /// Whether nothing but the damping holds position, rotation and scale of the world.
  bool worldIsFree() const;
  /// Camera unknowns, row by row, when the world rotates about its axes, moves along them, and grows; the first three alone where centres are fixed.
  Eigen::MatrixXd worldMotions() const;
  /// After build(): holds the world by the camera with most sightings and the distance of the farthest one from it.
  void holdWorld();
  EnvelopeMatrix& matrix() { return matrix_; }
  const EnvelopeMatrix& matrix() const { return matrix_; }
  const Eigen::MatrixXd& border() const { return border_; }      ///< Camera rows times shared columns.
  const Eigen::MatrixXd& corner() const { return corner_; }      ///< Of the shared unknowns.
  const std::vector<Linearised>& rows() const { return rows_; }  ///< In the bundle's order.
  int firstObservation(int point) const { return point_begin_[static_cast<std::size_t>(point)]; }
  /// The inverse of a point's own three equations, and what they share with a camera that saw it (one observation).
  Mat3 pointInverse(int point) const;
  using Cross = Eigen::Matrix<double, Eigen::Dynamic, 3, 0, 7, 3>;
  Cross crossOf(int observation) const;
  /// What a point's equations share with the shared unknowns.
  Eigen::Matrix<double, Eigen::Dynamic, 3> sharedCross(int point) const;
  std::size_t bytes() const;

 private:
  static constexpr double kFloor = 1e-12;  ///< Of the damping, so that what nothing holds stays where it is.

  /// Points that are eliminated together, and what cameras and shared unknowns have in common with them, divided by the points' factors:
  /// three columns a point.
  struct Group {
    int first = 0, count = 0;     ///< Within point_order_.
    std::vector<int> tiles;       ///< Touched, ascending.
    std::vector<double> cameras;  ///< Tile by tile.
    std::vector<int> reaches;     ///< Shared unknowns that its points have anything in common with, ascending: the rows of `shared`.
    Eigen::MatrixXd shared;
    Eigen::VectorXd right;

    int columns() const { return 3 * count; }
    /// Of a shared unknown that it reaches, the row in `shared`.
    int rowOf(int unknown) const { return static_cast<int>(std::lower_bound(reaches.begin(), reaches.end(), unknown) - reaches.begin()); }
    double* tile(std::size_t at, int size) { return cameras.data() + at * static_cast<std::size_t>(size * columns()); }
    Eigen::Map<const Eigen::MatrixXd> tileOf(std::size_t at, int size) const {
      return {cameras.data() + at * static_cast<std::size_t>(size * columns()), size, columns()};
    }
  };

  void makeGroups();
  void findReaches();
  /// Shared unknowns before the shapes of the set: those of lenses.
  int lensUnknowns() const { return shape_at_.empty() ? commonAt() : shape_at_.front(); }
  void eliminate(Group& group, double damping);
  void eliminatePoint(Group& group, int index, double damping);
  void addCameras(double damping);
  void dampShapes(double damping);
  int shapeUnknowns() const { return commonAt() - shape_at_.front(); }
  void gradientsAlone();
  void addMotionGradient();
  bool solveReduced();
  void keepWorld();
  bool refitPoint(int point, Vec3& place, std::span<const FactorRow> believed) const;
  /// All of a camera's own products: its unknowns, what is shared, and the residual as the last column; the upper triangle, row by row.
  struct OwnProducts {
    static constexpr int kMostFours = 7;  // 7 of a camera, 19 shared, 1 residual
    int fours = 0;
    std::array<double, 16 * kMostFours * kMostFours> sum{};

    using Rows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
    Eigen::Map<const Rows> all() const { return {sum.data(), 4 * fours, 4 * fours}; }
  };
  OwnProducts ownProducts(int camera) const;
  /// All that is believed, as the bundle stands.
  std::vector<FactorRow> factorsNow() const;
  /// What of it is said of points, by point; empty: nothing of any.
  std::vector<std::vector<FactorRow>> byPoint(const std::vector<FactorRow>& factors) const;
  std::span<const FactorRow> factorsOf(int point) const {
    return point_factors_.empty() ? std::span<const FactorRow>() : point_factors_[static_cast<std::size_t>(point)];
  }
  int sharedOf(const FactorRow::Slope& slope) const;
  void addFactor(const FactorRow& row, bool with_matrix);
  void takeOutGroups();
  void takeRightOut();
  void takeOutOfRow(int row);
  void backSubstitute();
  Eigen::Map<const Eigen::Matrix<double, 2, Eigen::Dynamic>> sharedOf(int observation) const;
  using Mat27 = Eigen::Matrix<double, 2, 7>;
  Mat27 byCamera(int observation) const;

  const Bundle& bundle_;
  const BundleOptions& options_;
  ObservationModel model_;
  const CameraOrder order_;
  const int block_;
  double damping_ = 0;  ///< Of the last solve().
  std::vector<int> shared_at_, shape_at_;
  int shared_ = 0;
  std::vector<std::vector<int>> of_camera_;  ///< Observation indices by camera.
  std::vector<int> point_begin_, point_order_;
  std::vector<FactorRow> factors_;
  std::vector<std::vector<FactorRow>> point_factors_;  ///< By point; empty: no point has any.
  std::vector<Linearised> rows_;
  std::vector<double> shared_rows_;
  std::vector<Group> groups_;
  std::vector<std::vector<std::pair<int, int>>> groups_of_tile_;  ///< By tile row: group and its place among the group's tiles.
  std::vector<Mat3> point_factor_;
  std::vector<Vec3> point_gradient_, point_diagonal_, point_steps_;
  EnvelopeMatrix matrix_;
  Eigen::MatrixXd border_, corner_;
  Eigen::MatrixXd solved_border_;              ///< L^-1 times the border, of the last solve().
  Eigen::LLT<Eigen::MatrixXd> corner_factor_;  ///< Of the shared unknowns with the cameras taken out.
  Eigen::VectorXd right_, shared_right_, gradient_, shared_gradient_, diagonal_, shared_diagonal_, camera_step_, shared_step_;
};
}  // namespace dusky
