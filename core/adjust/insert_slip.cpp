#include "core/adjust/insert_slip.h"

#include <Eigen/Cholesky>
#include <cmath>

#include "core/adjust/observation_model.h"
#include "core/geometry/essential.h"

namespace dusky {
namespace {

using Vec7 = Eigen::Matrix<double, 7, 1>;
using Mat7 = Eigen::Matrix<double, 7, 7>;

/// What a camera that only rotates sees has no depth, but the set that an insert stands in has, and is put where it looks right: so its points stand about the
/// camera as near and far as those of a usual set.
void standAbout(Bundle& set) {
  constexpr double kFarthest = 5, kGolden = 0.6180339887;  // times the nearest; its multiples lie evenly, whichever points are taken
  if (set.cameras.empty() || set.at_infinity.empty() || std::find(set.at_infinity.begin(), set.at_infinity.end(), 0) != set.at_infinity.end()) return;
  for (std::size_t j = 0; j < set.points.size(); ++j) {
    const double share = std::fmod(kGolden * static_cast<double>(j), 1.0);
    set.points[j] = set.cameras.front().centre + std::pow(kFarthest, share) * set.points[j].normalized();
  }
  set.at_infinity.clear();
}

/// Every n-th point of a set with its sightings, each seen where the set's own cameras show it.
Bundle shownSet(const Bundle& set, int most) {
  Bundle shown = set;
  standAbout(shown);
  const int nth = std::max(1, static_cast<int>(set.observations.size()) / std::max(1, most));
  const BundleOptions plain{.loss = Loss::Squared};
  const ObservationModel model(shown, plain);
  shown.observations.clear();
  for (const BundleObservation& o : set.observations) {
    if (o.point % nth != 0) continue;
    const LinearisedPoint row = model.linearisePoint(o);
    if (!row.by_point.isZero(0)) shown.observations.push_back({o.camera, o.point, o.seen + row.residual});
  }
  return shown;
}

/// The other cameras, and the set carried to them.
class LinedUp {
 public:
  LinedUp(const Bundle& shown, const Bundle& other) : shown_(shown), carried_(other) {
    carried_.observations = shown.observations, carried_.points = shown.points, carried_.at_infinity = shown.at_infinity;
  }

  Result<Similarity> find() {
    const auto paths = alignPaths(shown_.cameras, carried_.cameras);
    if (shown_.observations.empty() || !paths.ok()) return paths;
    Similarity best = *paths;
    double least = squaresAt(best);
    for (const double by : {0.25, 0.5, 2.0, 4.0}) {
      const Similarity other = aboutPath(*paths, by);
      if (const double squares = squaresAt(other); squares < least) best = other, least = squares;
    }
    constexpr int kRounds = 60;
    double damping = 1e-9;
    for (int round = 0; round < kRounds && damping < 1e3; ++round) {
      carry(best);
      const Similarity next = stepped(best, damping);
      const double squares = squaresAt(next);
      if (!(squares < least)) {
        damping = std::max(1e-6, 100 * damping);
        continue;
      }
      const bool settled = least - squares < 1e-6 * least;
      best = next, least = squares, damping = std::max(1e-9, damping / 10);
      if (settled) break;
    }
    return best;
  }

  double slip() {
    const auto best = find();
    return best.ok() && !shown_.observations.empty() ? std::sqrt(squaresAt(*best) / static_cast<double>(shown_.observations.size())) : kUnknown;
  }

 private:
  /// Another scale, about the middle of the path.
  Similarity aboutPath(const Similarity& from, double by) const {
    Vec3 middle = Vec3::Zero();
    for (const Pose& pose : shown_.cameras) middle += from * pose.centre / static_cast<double>(shown_.cameras.size());
    Similarity scaled = from;
    scaled.scale *= by, scaled.shift = middle + by * (from.shift - middle);
    return scaled;
  }

  void carry(const Similarity& to) {
    for (std::size_t j = 0; j < shown_.points.size(); ++j) {
      carried_.points[j] = shown_.isAtInfinity(static_cast<int>(j)) ? Vec3(to.rotation * shown_.points[j]) : to * shown_.points[j];
    }
  }

  double squaresAt(const Similarity& to) {
    carry(to);
    const ObservationModel model(carried_, plain_);
    double sum = 0;
    for (const BundleObservation& o : carried_.observations) sum += model.squaredError(o);
    return sum;
  }

  /// A Gauss-Newton step from where the points stand.
  Similarity stepped(const Similarity& from, double damping) const {
    const ObservationModel model(carried_, plain_);
    const Vec3 pivot = middle();
    Mat7 normal = Mat7::Zero();
    Vec7 gradient = Vec7::Zero();
    for (const BundleObservation& o : carried_.observations) {
      const LinearisedPoint row = model.linearisePoint(o);
      const bool far = carried_.isAtInfinity(o.point);
      const Vec3 arm = carried_.points[static_cast<std::size_t>(o.point)] - (far ? Vec3::Zero() : pivot);
      Eigen::Matrix<double, 2, 7> by = Eigen::Matrix<double, 2, 7>::Zero();
      by.leftCols<3>() = -row.by_point * crossMatrix(arm);
      if (!far) by.middleCols<3>(3) = row.by_point, by.col(6) = row.by_point * arm;
      normal.noalias() += by.transpose() * by;
      gradient.noalias() -= by.transpose() * row.residual;
    }
    // A camera that only rotates fixes no scale: what nothing holds must not run away.
    normal.diagonal() += damping * normal.diagonal() + Vec7::Constant(1e-12 * normal.trace());
    const Vec7 step = normal.ldlt().solve(gradient);
    const Similarity about{std::exp(std::clamp(step[6], -1.0, 1.0)), rotationFromVector(step.head<3>()), Vec3::Zero()};
    Similarity moved = about * Similarity{1.0, Eigen::Quaterniond::Identity(), -pivot} * from;
    moved.shift += pivot + step.segment<3>(3);
    return moved;
  }

  /// Of the points that have a place: turn and scale about it hardly mix with the shift.
  Vec3 middle() const {
    Vec3 sum = Vec3::Zero();
    int count = 0;
    for (const BundleObservation& o : carried_.observations) {
      if (!carried_.isAtInfinity(o.point)) sum += carried_.points[static_cast<std::size_t>(o.point)], ++count;
    }
    return count > 0 ? Vec3(sum / count) : sum;
  }

  const Bundle& shown_;
  Bundle carried_;
  const BundleOptions plain_{.loss = Loss::Squared};
};

}  // namespace

double insertSlip(const Bundle& set, const Bundle& other, int most) { return LinedUp(shownSet(set, most), other).slip(); }

Result<Similarity> alignBySlip(const Bundle& set, const Bundle& other, int most) { return LinedUp(shownSet(set, most), other).find(); }

}  // namespace dusky
