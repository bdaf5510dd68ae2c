#pragma once
#include <array>
#include <functional>
#include <optional>

#include "core/adjust/observation_model.h"

namespace dusky {

/// Whose unknown it is: a camera's (turn, centre, a seventh for the logarithm of a zoom's focal length), one of a lens (the free ones, in the order of
/// ObservationModel::lensIndex), one of a shape of the set (set_beliefs.h), a point's.
enum class UnknownOf : std::uint8_t { Camera, Lens, Shape, Point };

/// One residual of what is believed, and its slopes. The root of its weight is in all of them.
struct FactorRow {
  struct Slope {
    UnknownOf of = UnknownOf::Camera;
    int index = 0;  ///< Of the camera, lens, shape or point.
    int at = 0;     ///< Which of its unknowns.
    double slope = 0;
  };
  static constexpr int kMostSlopes = 12;
  double residual = 0;
  double cost = 0;  ///< What it adds to the cost, px^2: the square of the residual, less where it is robust.
  std::array<Slope, kMostSlopes> slopes{};
  int count = 0;

  FactorRow() = default;
  explicit FactorRow(double r) : residual(r), cost(r * r) {}
  /// The point it speaks of; nothing: none.
  std::optional<int> point() const;
  /// All slopes by that point.
  Vec3 byPoint() const;
  void add(UnknownOf of, int index, int at, double slope) { slopes[static_cast<std::size_t>(count++)] = {of, index, at, slope}; }
};

/// Visits all that a bundle believes besides its sightings, as it stands: priors of the lenses, ties between cameras, planes that they stand on, what is
/// known of the set. The one place that says what a belief costs and how it pulls; always in the same order.
void forEachFactor(const Bundle& bundle, const BundleOptions& options, const ObservationModel& model, const std::function<void(const FactorRow&)>& visit);

/// How a deviation counts in a belief about a zoom, as a share of its weight, and its weight in the normal equations: beyond a leap (a snap zoom, a zoom that
/// sets in) it barely pulls. Source: Geman and McClure, Bulletin of the International Statistical Institute 52(4), 1987.
double leapLoss(double deviation, double leap);
double leapWeight(double deviation, double leap);

}  // namespace dusky
