#pragma once
#include <array>
#include <vector>

#include "core/base/progress.h"
#include "core/geometry/pose.h"
#include "core/lens/lens.h"

namespace dusky {

struct BundleObservation {
  int camera = 0, point = 0;  ///< Indices.
  Vec2 seen = Vec2::Zero();   ///< px
};

/// Which lens parameters may move; order of Lens::parameters().
using LensFreedom = std::array<bool, 8>;

/// Cameras, points and one lens, and what was seen.
struct Bundle {
  std::vector<Pose> cameras;
  std::vector<Vec3> points;
  Lens lens;
  std::vector<BundleObservation> observations;  ///< Sorted by point.
};

/// What is believed of a lens parameter before the footage speaks: a mean and how firmly.
struct LensPrior {
  std::array<double, 8> mean{};
  std::array<double, 8> weight{};  ///< Cost of a deviation d is weight * d^2, px^2; 0: nothing is believed.
};

struct BundleOptions {
  LensFreedom free_lens{};     ///< All fixed by default.
  LensPrior prior{};           ///< Added to the cost for free parameters.
  bool fixed_centres = false;  ///< Cameras may only turn (a tripod); depths then mean nothing.
  double loss_px = 1.0;        ///< Cauchy scale: errors far above it barely pull, > 0.
  int max_steps = 30;          ///< Steps tried, kept or not.
  double settled = 1e-6;       ///< Stop once a step lowers the cost by less than this share.
};

struct BundleSummary {
  Termination termination = Termination::NotRun;
  int steps = 0;
  double cost_before = kUnknown, cost_after = kUnknown;  ///< Sum of s^2 log(1 + r^2 / s^2), px^2.
};

/// Moves cameras, points and the free lens parameters to the least sum of robust squared reprojection errors.
/// Levenberg-Marquardt; the points are eliminated, the remaining camera system is solved densely. Position, rotation and
/// scale of the world are left free and held by the damping only. Sums run in a fixed order, so the result does not depend
/// on the number of threads. Cancel and step limit are outcomes: the best state so far stays in `bundle`.
/// Sources: Triggs, McLauchlan, Hartley and Fitzgibbon, Bundle Adjustment - A Modern Synthesis, LNCS 1883, 2000;
/// damping: Nielsen, IMM-REP-1999-05.
BundleSummary adjust(Bundle& bundle, const BundleOptions& options, const Progress& progress);

}  // namespace dusky
