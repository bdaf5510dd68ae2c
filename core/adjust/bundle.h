#pragma once
#include <array>
#include <optional>
#include <vector>

#include "core/adjust/set_beliefs.h"
#include "core/base/progress.h"
#include "core/geometry/pose.h"
#include "core/lens/lens.h"

namespace dusky {

struct BundleObservation {
  int camera = 0, point = 0;  ///< Indices.
  Vec2 seen = Vec2::Zero();   ///< px
  double weight = 1;          ///< It counts as so many sightings, > 0.
};

/// Which lens parameters may move; order of Lens::parameters().
using LensFreedom = std::array<bool, kMostLensParameters>;

/// What is believed of a lens parameter before the footage speaks: a mean and how firmly.
struct LensPrior {
  LensParameters mean{};
  LensParameters weight{};  ///< Cost of a deviation d is weight * d^2, px^2; 0: nothing is believed.
};

/// A belief that two cameras stand in one place, or look with one focal length: the cost is weight times the square of the difference.
struct CameraTie {
  int a = 0, b = 0;   ///< Indices of cameras.
  double centre = 0;  ///< Weight for the distance of their centres, px^2 per unit^2.
  double focal = 0;   ///< Weight for the difference of the logarithms of their focal lengths, px^2; robust beyond `focal_leap`.
  double focal_leap = 0.03;
};

/// A belief that a camera stands on a plane: weight times the squared distance. Two of them make a line.
struct CameraPlane {
  int camera = 0;
  Vec3 normal = Vec3::UnitY();  ///< Of length 1.
  double offset = 0;            ///< normal . centre on the plane.
  double weight = 0;            ///< px^2 per unit^2.
};

/// Cameras, points and lenses, and what was seen.
struct Bundle {
  std::vector<Pose> cameras;
  std::vector<Vec3> points;
  std::vector<Lens> lenses = std::vector<Lens>(1);
  std::vector<int> lens_of;               ///< Of each camera; empty: all have the first.
  std::vector<double> focal_px;           ///< A zoom: of each camera, in place of its lens's; empty: there is none.
  std::vector<std::uint8_t> at_infinity;  ///< Of each point: it is a direction, at no distance; empty: none is.
  double readout = 0;                     ///< Of a rolling shutter: from the first row to the last, in frame intervals, -1 to 1.
  /// Of a camera that rotates about a point beside it, the world's origin (a tripod off its nodal point): where it is from there, in camera axes. Cameras then
  /// stand at world_from_camera * arm, and the arm is looked for; nothing: they stand on their own. Asks for fixed_centres.
  std::optional<Vec3> arm;
  std::vector<double> time;                     ///< Of each camera, in frame intervals; empty: 0, 1, 2 ... Read with a rolling shutter only.
  std::vector<BundleObservation> observations;  ///< Sorted by point.
  std::vector<CameraTie> ties;
  std::vector<CameraPlane> planes;
  SetBeliefs set;                  ///< Of points with sightings, none of them a direction; of cameras that have places of their own.
  std::vector<std::uint8_t> held;  ///< Of each camera: it stays as it is; empty: all may move.

  int lensOf(int camera) const { return lens_of.empty() ? 0 : lens_of[static_cast<std::size_t>(camera)]; }
  bool zooms() const { return !focal_px.empty(); }
  bool isAtInfinity(int point) const { return !at_infinity.empty() && at_infinity[static_cast<std::size_t>(point)] != 0; }
  bool isHeld(int camera) const { return !held.empty() && held[static_cast<std::size_t>(camera)] != 0; }
  double timeOf(int camera) const { return time.empty() ? camera : time[static_cast<std::size_t>(camera)]; }
  /// The lens as a camera looks through it.
  Lens lensAt(int camera) const;
};

/// How an error r counts: as r^2; as r^2 near and 2 s r - s^2 far; as s^2 log(1 + r^2 / s^2).
enum class Loss : std::uint8_t { Squared, Huber, Cauchy };

/// What moves of one lens, and what is believed of it; the prior is added to the cost for free parameters.
struct LensTerms {
  LensFreedom free{};
  LensPrior prior{};
};

/// What is believed of the focal length of each of a zoom's cameras: the cost is weight times the square of the logarithm's deviation.
struct FocalBelief {
  double mean_px = 1, weight = 0;  ///< px^2; 0: nothing is believed.
};

struct BundleOptions {
  LensFreedom free_lens{};              ///< Of every lens that has no terms of its own. All fixed by default.
  LensPrior prior{};                    ///< The same.
  std::vector<LensTerms> lens_terms{};  ///< Of each lens, in place of those two; empty: none has its own.
  bool fixed_centres = false;           ///< Cameras may only rotate (a tripod); with an arm their centres follow.
  bool free_focal = true;               ///< Of a zoom's cameras.
  FocalBelief zoom_belief{};
  bool free_readout = false;
  Loss loss = Loss::Cauchy;
  double loss_px = 1.0;   ///< Its scale: errors far above it barely pull, > 0.
  int max_steps = 30;     ///< Steps tried, kept or not.
  double damping = 1e-4;  ///< To begin with: less near the least cost, where full steps are good, > 0.
  double settled = 1e-6;  ///< Stop once a step lowers the cost by less than this share.

  const LensFreedom& freeOf(int lens) const { return lens_terms.empty() ? free_lens : lens_terms[static_cast<std::size_t>(lens)].free; }
  const LensPrior& priorOf(int lens) const { return lens_terms.empty() ? prior : lens_terms[static_cast<std::size_t>(lens)].prior; }
};

struct BundleSummary {
  Termination termination = Termination::NotRun;
  int steps = 0;
  double cost_before = kUnknown, cost_after = kUnknown;  ///< Sum of the weighted losses and of all beliefs, px^2.
};

/// Moves cameras, points and what is free of the lenses to the least sum of losses. Levenberg-Marquardt; the points are eliminated in groups
/// by products of dense tiles, the remaining camera system keeps to the envelope that the tracks' lives give it, in the better of two orders.
/// Position, rotation and scale of the world are left free and held by the damping only. Sums run in a fixed order, so the result does not
/// depend on the number of threads. Cancel and step limit are outcomes: the best state so far stays in `bundle`.
/// Sources: Triggs, McLauchlan, Hartley and Fitzgibbon, Bundle Adjustment - A Modern Synthesis, LNCS 1883, 2000;
/// damping: Nielsen, IMM-REP-1999-05; rolling shutter, the motion within a frame even: Hedborg et al., CVPR 2012.
BundleSummary adjust(Bundle& bundle, const BundleOptions& options, const Progress& progress);

/// By how much one full step would lower the cost if it were as quadratic as it looks from here, px^2: the gradient in the inverse of its normal equations.
/// What it gains with more unknowns free than without is the score test for them. Source: Rao, Mathematical Proceedings of the Cambridge Philosophical
/// Society 44(1), 1948. Unknown where the equations cannot be solved.
double expectedGain(const Bundle& bundle, const BundleOptions& options);

}  // namespace dusky
