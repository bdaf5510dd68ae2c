#include "core/mesh/mesh_fit.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <array>
#include <cmath>

#include "core/base/numbers.h"

namespace dusky {
namespace {

using Vec7 = Eigen::Matrix<double, 7, 1>;
using Mat7 = Eigen::Matrix<double, 7, 7>;

constexpr std::size_t kFewest = 10;

struct Match {
  std::size_t point;
  Vec3 from;
  MeshPoint to;
};

std::vector<Match> matchesOf(const std::vector<Vec3>& points, const Similarity& move, const MeshSurface& surface, double reach) {
  std::vector<Match> all;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const Vec3 from = move * points[i];
    if (const auto to = surface.nearest(from, reach)) all.push_back({i, from, *to});
  }
  return all;
}

/// One standard deviation of the distances, in spite of outliers.
double spreadOf(const std::vector<Match>& matches) {
  constexpr double kFromMedian = 1.4826;
  std::vector<double> off;
  for (const Match& m : matches) off.push_back(m.to.away);
  return kFromMedian * median(std::move(off));
}

/// A step of Gauss and Newton about the middle of the points: turn, shift, growth.
struct Normal {
  Mat7 matrix = Mat7::Zero();
  Vec7 gradient = Vec7::Zero();
  Vec3 middle = Vec3::Zero();
  double size = 1;  ///< Of the points about their middle: turns and growth are counted by it, so that all unknowns are lengths.

  /// A point that shall move by `by` along a direction. What it is off counts as a share of the points' own size: else they would shrink to be less off.
  void add(const Vec3& from, const Vec3& by, const Vec3& direction, double weight) {
    const Vec3 arm = (from - middle) / size;
    Vec7 row;
    row << arm.cross(direction), direction, arm.dot(direction) + direction.dot(by) / size;
    matrix += weight * row * row.transpose();
    gradient += weight * direction.dot(by) * row;
  }
};

Normal normalOf(const std::vector<Match>& matches, double sigma) {
  constexpr double kHuber = 1.345;
  Normal normal;
  for (const Match& m : matches) normal.middle += m.from / static_cast<double>(matches.size());
  double squares = 0;
  for (const Match& m : matches) squares += (m.from - normal.middle).squaredNorm();
  normal.size = std::sqrt(squares / static_cast<double>(matches.size()));
  for (const Match& m : matches) {
    const double weight = 1 / std::max(1.0, m.to.away / (kHuber * sigma));
    if (m.to.normal.isZero()) {
      for (int k = 0; k < 3; ++k) normal.add(m.from, m.to.at - m.from, Vec3::Unit(k), weight);
    } else {
      normal.add(m.from, m.to.at - m.from, m.to.normal, weight);
    }
  }
  return normal;
}

/// Points that were picked, each with how surely: as was said, or as they themselves show where the fit begins, when that is worse.
struct Anchors {
  const std::vector<MeshAnchor>& all;
  const std::vector<Vec3>& points;
  double spread = 0;  ///< One standard deviation of an axis, where the fit began.

  Anchors(const std::vector<MeshAnchor>& anchors, const std::vector<Vec3>& of) : all(anchors), points(of) { spread = off(Similarity()); }
  Vec3 from(const MeshAnchor& anchor, const Similarity& move) const { return move * points[anchor.point]; }
  /// How far they are off in the median, as one standard deviation of an axis.
  double off(const Similarity& move) const {
    constexpr double kFromMedian = 0.65;
    std::vector<double> away;
    for (const MeshAnchor& anchor : all) away.push_back((anchor.at - from(anchor, move)).norm());
    return away.empty() ? 0 : kFromMedian * median(std::move(away));
  }
  void add(const Similarity& move, double sigma, Normal& normal) const {
    for (const MeshAnchor& anchor : all) {
      const Vec3 at = from(anchor, move), by = anchor.at - at;
      const double own = std::max(anchor.sigma, spread), weight = std::pow(sigma / own, 2) / std::max(1.0, by.norm() / (3 * own));
      for (int k = 0; k < 3; ++k) normal.add(at, by, Vec3::Unit(k), weight);
    }
  }
  /// Whether a fit leaves them farther off than they are unsure, and by more than a share of the points' size: few picks show little of how wrong they are.
  bool leftBy(const Similarity& move, double sigma, double size) const {
    constexpr double kFar = 4, kShare = 0.03;
    double said = 0;
    for (const MeshAnchor& anchor : all) said = std::max(said, anchor.sigma);
    return !all.empty() && off(move) > std::max(kFar * std::max({spread, said, sigma}), kShare * size);
  }
};

Similarity stepOf(const Normal& normal, bool free_scale) {
  const int unknowns = free_scale ? 7 : 6;
  const Eigen::MatrixXd matrix = normal.matrix.topLeftCorner(unknowns, unknowns);
  // What nothing holds stays where it is.
  constexpr double kHeld = 1e-6;
  const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> eigen(matrix);
  const Eigen::VectorXd along = eigen.eigenvectors().transpose() * normal.gradient.head(unknowns);
  Vec7 step = Vec7::Zero();
  for (int k = 0; k < unknowns; ++k) {
    const double held = eigen.eigenvalues()[k];
    if (held > kHeld * eigen.eigenvalues()[unknowns - 1]) step.head(unknowns) += along[k] / held * eigen.eigenvectors().col(k);
  }
  const double scale = std::exp(std::clamp(step[6] / normal.size, -0.2, 0.2));
  const Eigen::Quaterniond turn = rotationFromVector(step.head<3>() / normal.size);
  return {scale, turn, normal.middle + step.segment<3>(3) - scale * (turn * normal.middle)};
}

/// How surely the mesh holds the points: the eigenvector of what it holds least.
void tellLoosest(const Normal& normal, double sigma, bool free_scale, MeshFit& fit) {
  const int unknowns = free_scale ? 7 : 6;
  const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> eigen(normal.matrix.topLeftCorner(unknowns, unknowns));
  const Eigen::VectorXd least = eigen.eigenvectors().col(0);
  fit.loosest = least.segment<3>(3).norm() > 0.1 ? Vec3(least.segment<3>(3).normalized()) : Vec3(Vec3::Zero());
  fit.loosest_sigma = sigma / std::sqrt(std::max(1e-300, eigen.eigenvalues()[0]));
}

/// Points on their way onto a mesh.
class Laying {
 public:
  Laying(const std::vector<Vec3>& points, const std::vector<MeshAnchor>& anchors, const MeshSurface& surface, double reach)
      : points_(points), anchors_(anchors, points), surface_(surface), size_((surface.mesh().high() - surface.mesh().low()).norm()), reach_(reach) {}

  /// Steps until it lies still.
  Status settle(bool free_scale, const Progress& progress) {
    constexpr int kSteps = 40;
    constexpr double kStill = 1e-7;
    for (int step = 0; step < kSteps; ++step) {
      if (progress.stopRequested()) return cancelled();
      progress.report(static_cast<double>(step) / kSteps, "laying the points on the mesh");
      if (const Status near = look(); !near.ok()) return near;
      const Similarity by = stepOf(normal_, free_scale);
      move_ = by * move_;
      // What stood far off at first has its part only until the others lie well.
      const double next = std::clamp(6 * sigma_, 1e-6 * size_, reach_), turned = Eigen::AngleAxisd(by.rotation).angle() + std::abs(by.scale - 1);
      const bool still = (by * normal_.middle - normal_.middle).norm() + normal_.size * turned < kStill * size_;
      if (still && next > 0.99 * reach_) break;
      reach_ = next;
    }
    return look();
  }

  /// What the points are off, each at most so much, in squares of that: the less the better they lie.
  double cost(double most) const {
    double sum = static_cast<double>(points_.size());
    for (const Match& m : matchesOf(points_, move_, surface_, most)) sum -= 1 - std::pow(m.to.away / most, 2);
    return sum;
  }

  Result<MeshFit> told(bool free_scale) const {
    constexpr double kOutlier = 3.5, kHeld = 0.05, kMostAlone = 1.25;
    MeshFit fit;
    fit.mesh_from_before = move_;
    double squares = 0;
    for (const Match& m : matches_) {
      if (m.to.away > kOutlier * sigma_) continue;
      fit.on.push_back({m.point, m.to.at, m.to.away});
      squares += m.to.away * m.to.away;
    }
    fit.off = points_.size() - fit.on.size();
    if (fit.on.size() < kFewest) return tooFew();
    fit.rms = std::sqrt(squares / static_cast<double>(fit.on.size()));
    tellLoosest(normal_, sigma_, free_scale, fit);
    if (fit.loosest_sigma > kHeld * size_)
      return invalidInput(
          "The mesh does not hold the points: what is near them is one plane, or a few turned alike. Pick three pairs or more, on more of the set.");
    const bool grown = anchors_.all.empty() && std::abs(std::log(move_.scale)) > std::log(kMostAlone);
    if (grown || anchors_.leftBy(move_, sigma_, normal_.size))
      return invalidInput("The mesh pulls the scene away from where it is: it lay too far off, or what was picked is wrong. Pick again, or more pairs.");
    return fit;
  }

 private:
  static Error tooFew() {
    return invalidInput(fmt::format("Fewer than {} points lie near the mesh. Pick pairs first, so that it lies nearly right.", kFewest));
  }

  Status look() {
    matches_ = matchesOf(points_, move_, surface_, reach_);
    if (matches_.size() < kFewest) return tooFew();
    sigma_ = std::max(spreadOf(matches_), 1e-9 * size_);
    normal_ = normalOf(matches_, sigma_);
    anchors_.add(move_, sigma_, normal_);
    return Done{};
  }

  const std::vector<Vec3>& points_;
  const Anchors anchors_;
  const MeshSurface& surface_;
  const double size_;
  double reach_, sigma_ = 0;
  Similarity move_;
  std::vector<Match> matches_;
  Normal normal_;
};

}  // namespace

Result<MeshFit> fitToMesh(const std::vector<Vec3>& points, const std::vector<MeshAnchor>& anchors, const MeshSurface& surface, const MeshFitOptions& options,
                          const Progress& progress) {
  constexpr std::array kReaches = {1.0, 0.4, 0.15};  // what stands farther off may pull it into a wrong place, or be what pulls it into the right one
  constexpr double kMost = 0.004;                    // of the mesh's size
  const double size = (surface.mesh().high() - surface.mesh().low()).norm(), reach = options.reach > 0 ? options.reach : size / 20;
  std::optional<Laying> best;
  Status problem = Done{};
  for (std::size_t k = 0; k < kReaches.size(); ++k) {
    const auto part = [&](double from, double to) {
      const auto whole = static_cast<double>(kReaches.size()), at = static_cast<double>(k);
      return progress.part((at + from) / whole, (at + to) / whole);
    };
    Laying laying(points, anchors, surface, kReaches[k] * reach);
    Status lies = laying.settle(false, part(0, 0.5));
    if (lies.ok() && options.free_scale) lies = laying.settle(true, part(0.5, 1));
    if (progress.stopRequested()) return cancelled();
    if (!lies.ok() && problem.ok()) problem = lies;
    if (lies.ok() && (!best || laying.cost(kMost * size) < best->cost(kMost * size))) best.emplace(std::move(laying));
  }
  return best ? best->told(options.free_scale) : Result<MeshFit>(problem.error());
}

}  // namespace dusky
