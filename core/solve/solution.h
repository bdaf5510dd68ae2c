#pragma once
#include <algorithm>
#include <cmath>
#include <memory>
#include <string>
#include <vector>

#include "core/adjust/set_beliefs.h"
#include "core/base/progress.h"
#include "core/geometry/pose.h"
#include "core/image/plane.h"
#include "core/knowledge/knowledge.h"
#include "core/lens/lens.h"
#include "core/lens/lens_curve.h"

namespace dusky {

enum class TrackState : std::uint8_t { Kept, SetAside, Unplaced };

/// Why a track was set aside or stayed without a place.
enum class AsideReason : std::uint8_t { None, ByArtist, HighError, FewGoodFrames, NoParallax, Slides };
std::string_view describe(AsideReason reason);

/// One observation as the solve sees it.
struct TrackError {
  int frame = 0;
  Vec2 reprojected = Vec2::Zero();  ///< px; meaningless where error_px is unknown.
  double error_px = kUnknown;       ///< Measured to reprojected; unknown where frame or track has no place.
  bool used = false;                ///< Took part (or, for holdout, would have).
};

struct SolvedTrack {
  int id = 0;
  TrackState state = TrackState::Unplaced;
  AsideReason reason = AsideReason::None;
  bool holdout = false;
  Vec3 point = Vec3::Zero();  ///< In the solve's own world; meaningless when unplaced.
  Rgb color;
  int life = 0;              ///< Frames.
  bool at_infinity = false;  ///< No parallax says how deep it lies: its point is a direction, put on a sphere about the camera or at a guessed depth.
  double typical_error_px = kUnknown, worst_error_px = kUnknown;  ///< RMS and largest over its used frames (over all where none is used).
  int worst_frame = 0;
  double parallax_rad = kUnknown;
  double sigma_point = kUnknown;               ///< One standard deviation, root of the mean over the axes, solve's units.
  Mat3 covariance = Mat3::Constant(kUnknown);  ///< Of the point, solve's units squared; unknown for directions and in projects of earlier versions.
  std::vector<TrackError> errors;              ///< One for each observation, in order.

  /// Whether `point` means something: a track may be set aside before it ever had a place.
  bool hasPlace() const { return state != TrackState::Unplaced && point != Vec3::Zero(); }
};

struct SolvedFrame {
  int frame = 0;
  bool placed = false;
  std::string why_not;                                            ///< Why it has no camera; empty when it has one.
  int camera = 0;                                                 ///< Which of the solution's cameras took it.
  double focal_px = kUnknown, sigma_focal_px = kUnknown;          ///< Its own, of a zoom; unknown where the camera's holds.
  Pose pose;                                                      ///< In the solve's own world.
  double sigma_centre = kUnknown, sigma_rotation_rad = kUnknown;  ///< One standard deviation, solve's units; radians.
  double rms_px = kUnknown, holdout_rms_px = kUnknown;
  int tracks = 0;  ///< Kept tracks used here.
};

/// One rung: what was released, what it changed, whether it stayed and why.
struct StaircaseStep {
  std::string released;                                 ///< "focal length", "k1", "principal point" ...
  double rms_px = kUnknown, holdout_rms_px = kUnknown;  ///< With it.
  bool kept = false;
  double rms_before_px = kUnknown, holdout_before_px = kUnknown;  ///< Without it; unknown on the first rung.
  std::string why;
};

/// One of the lenses that a shot was taken with.
struct SolvedCamera {
  std::string name = "A";
  Lens lens;                          ///< Of a zoom: with the focal length of the middle frame.
  LensParameters sigma{};             ///< One standard deviation, in the order of Lens::parameters(); unknown where a parameter was not free.
  double lens_sigma_px = kUnknown;    ///< Of where the lens puts a fixed ray, RMS over the picture; unknown where nothing was free.
  std::vector<LensCurvePoint> curve;  ///< From the axis on, evenly; empty for a lens without distortion.
};

/// How a solved camera moves: freely; it only rotates; along a straight line; in a plane; it rotates about a point beside it.
enum class MotionKind : std::uint8_t { Free, Nodal, Rail, Flat, Arc };
/// The word for it in reports and on screen: "free", "nodal", "rail", "flat", "arc".
std::string_view describe(MotionKind motion);

/// A stretch of frames in which the camera only rotates, held in its place.
struct Stretch {
  int first = 0, last = 0;  ///< Frame numbers, both included.
};

/// The explanation that came nearest to the one chosen.
struct Rival {
  std::string name;           ///< "a camera that only rotates, with a zoom"; empty: none was near.
  double share = kUnknown;    ///< By how much more it costs, of the description length (description_length.h).
  double gain = kUnknown;     ///< By how much more it lowers the squared errors, in noise, than its further unknowns would by chance, in standard deviations.
  double unknowns = 0;        ///< How many more it has, may be negative.
  double slip_px = kUnknown;  ///< What an insert slips under the solve's camera if this other one is the true one.
  bool stays = false;         ///< Its camera stays in its place, or beside it.
};

/// Tracks that move together on their own: one rigid motion explains them, and it is not the set's.
struct Mover {
  std::string name;              ///< "Mover A" ...
  int first = 0, last = 0;       ///< Frames in which several of its tracks are seen, both included.
  std::vector<int> tracks;       ///< Ids, ascending.
  double rms_px = kUnknown;      ///< Of its tracks under its own motion.
  double kept_share = kUnknown;  ///< Its tracks beside the kept tracks that live in these frames.
};

/// What errors that are no noise follow, and so where they come from: the lens, rows and speed, a focal length that changes, a path that is held.
enum class PatternKind : std::uint8_t { Lens, Shutter, Zoom, Path };

/// How much of a solve's errors follows one pattern.
struct ResidualPattern {
  PatternKind kind = PatternKind::Lens;
  double sigmas = 0;        ///< How far what it would gain stands out over chance, in standard deviations.
  double amplitude_px = 0;  ///< RMS of the errors that it would take away.
};

/// What the errors of a solve are held against.
struct Evidence {
  double noise_floor_px = kUnknown;      ///< Standard deviation of one coordinate of the sightings, from the tracks alone (noiseFloor()).
  double noise_over_time_px = kUnknown;  ///< The same between frames farther apart, with what the tracks drift (noiseOverTime()).
  double explained_share = kUnknown;     ///< Of the sightings of tracks that live long enough to tell: those that the solve explains.
  double focal_sigma_share = kUnknown;  ///< Standard deviation of the focal length as a share of it, as a profile shows it: how far it can be forced off before
                                        ///< the tracks object. Never trusts the curvature at the solution alone.
  bool focal_assumed = false;           ///< The camera neither moves nor turns, and nothing else says what its focal length is.
  Rival rival;
  double slip_sigma_px = kUnknown;      ///< Standard deviation of an insert's slip, by the covariance of all that the cameras found.
  double focal_slip_px = kUnknown;      ///< The same by the focal length alone, as its profile shows it.
  double stability_px = kUnknown;       ///< The same as two halves of the tracks show it, each solved alone from here.
  double beyond_infinity_share = 0;     ///< Of the kept tracks: those whose errors want them beyond infinity (beyond_infinity.h).
  double scale_sigma_share = kUnknown;  ///< Standard deviation of one part's scale beside the other's, where the path hangs together least (scale_link.h).
  int scale_frame = 0;                  ///< The last frame before that place.
  double path_share = kUnknown;     ///< Of a free path under an unknown focal length: how far the cameras go, beside how far the set is (pathOverDistance()).
  double flatness = kUnknown;       ///< Of a set under an unknown focal length: how far it is from a plane, beside how far it reaches (flat_set.h).
  double freed_slip_px = kUnknown;  ///< Of a flat set: how far an insert goes when focal length and path are left free in every frame.
  std::vector<ResidualPattern> patterns;  ///< Those that can be told, strongest first.

  /// How far an insert is likely to slip, by all of these; unknown where none is known.
  double likelySlip_px() const;
};

/// What an insert may slip before it counts as wrong: a pixel, or what the noise of the sightings hides.
inline double slipTolerance(double noise_px) { return std::isnan(noise_px) ? 1.0 : std::max(1.0, 4 * noise_px); }

/// A plane or line of the set that shaped the solve, as it came out; in the solve's own world.
struct SolvedSet {
  std::string name;
  SetKind kind = SetKind::Plane;
  SetFacing facing = SetFacing::Free;
  bool exact = true;
  int shape = 0;                ///< Which of the beliefs' shapes it is.
  Vec3 axis = Vec3::UnitY();    ///< Of length 1: a plane's normal, normal . p = offset; a line's direction.
  double offset = 0;            ///< Of a plane.
  Vec3 through = Vec3::Zero();  ///< In the middle of its points.
  std::vector<int> tracks;      ///< That lie on it; of those that were said to, without some that stand far off what the others lie on (`disagree`).
  double sigma_axis_rad = kUnknown;
  double sigma_offset = kUnknown;                            ///< Where its points are: of a plane along its normal, of a line across it.
  double rms = kUnknown;                                     ///< Of how far its points stand off it.
  double rms_px_with = kUnknown, rms_px_without = kUnknown;  ///< Errors of its tracks, with all that is known and without any of it.
  struct Disagreement {
    int track = 0;
    double sigmas = 0;  ///< How far its point, without what is known, stood off it, in its own standard deviations.
  };
  std::vector<Disagreement> disagree;  ///< The farthest first.
  std::string undetermined;            ///< Why the footage does not tell how it lies; empty: it does.

  SetShape asShape() const;
  /// Its axis is what is up (a floor's normal, a mast), or lies across it.
  bool alongUp() const { return facing == (kind == SetKind::Plane ? SetFacing::Level : SetFacing::Upright); }
  bool acrossUp() const { return facing == (kind == SetKind::Plane ? SetFacing::Upright : SetFacing::Level); }
};

enum class StatementKind : std::uint8_t { Orientation, Angle, Same, Apart, Distance, Survey, Camera, Offset, PlaneDistance, Equal, Mirror };
/// "orientation", "angle", "same", "apart", "length", "survey", "camera", "offset", "plane length", "equal", "mirrored".
std::string_view describe(StatementKind kind);

/// What was said beside the planes and lines themselves, and what came of it.
struct SolvedStatement {
  StatementKind kind = StatementKind::Angle;
  std::string name;  ///< As an artist reads it: its sets, its tracks, its survey point.
  std::string a, b;  ///< Names of sets, where it speaks of them.
  std::vector<int> tracks;
  bool exact = true;
  bool turns = false;             ///< Its figures are angles, radians; else they are lengths in units of the world, which are scene units.
  double asked = 0;               ///< What was said; 0 where it is said that nothing is off.
  double found = kUnknown;        ///< As it came out.
  double without = kUnknown;      ///< As it is without what is known.
  double cost_sigmas = kUnknown;  ///< How much worse the sightings agree with it than without it, everything else being known: standard deviations.
  double rms_px = kUnknown;       ///< Of a survey point: between where it was seen and where the camera sees the survey's place.
  std::string undetermined;       ///< Why it says nothing of the solve; empty: it does.
};

/// What a statement that is loose or off would do to the solve if it were made exact, as far as a straight line from where the solve stands tells.
struct IfExact {
  std::string key;                ///< Of the statement, keyOf() (statements.h).
  double cost_sigmas = kUnknown;  ///< How much worse the sightings would agree than if it were true, all else being known as it is: standard deviations.
};

/// What was known of the set and shaped the solve.
struct SolvedKnowledge {
  std::vector<SolvedSet> sets;
  std::vector<SolvedStatement> statements;
  SetBeliefs beliefs;                   ///< What holds the bundle: of tracks by their ids, of cameras by their frames.
  std::optional<Vec3> up;               ///< What is up, where something was said that tells.
  std::vector<IfExact> if_exact;        ///< Of statements that are loose or off.
  double sigma_scale_share = kUnknown;  ///< Standard deviation of the world's scale, where that was looked for.
  double cost_sigmas = kUnknown;  ///< How much more the sightings pay for all of it than for as many statements that are true, standard deviations of chance.
  double rms_px_without = kUnknown, holdout_px_without = kUnknown;

  /// Under what share of the focal length a survey was fitted that found a camera in its place; not kept.
  double focal_times = 1;

  bool empty() const { return sets.empty() && statements.empty() && if_exact.empty(); }
  /// Whether any of it took part in the solve.
  bool shapesSolve() const { return !sets.empty() || !statements.empty(); }
  const IfExact* ifExact(std::string_view key) const;
  /// The world that distances, a survey and positions are in; none: nothing of that was said.
  const SetWorld* world() const { return beliefs.world < 0 ? nullptr : std::get_if<SetWorld>(&beliefs.shapes[static_cast<std::size_t>(beliefs.world)]); }
};

struct SolveSummary {
  Termination termination = Termination::NotRun;
  int rounds = -1;                             ///< Bundle adjustments of all placed frames, the last one ended by `termination`.
  int observations = -1;                       ///< Used.
  int holdout_tracks = -1, holdout_kept = -1;  ///< Drawn; those that the same limits would keep.
  double tolerance_px = kUnknown;              ///< Largest error of a used observation.
  double total_s = kUnknown;
  std::vector<std::string> warnings;
};

/// Where tracks without a depth are put in a shot whose camera only rotates: on a sphere of this radius about it.
inline constexpr double kFarDistance = 10;

/// Everything one solve found. A value: made once, shared, never changed.
struct Solution {
  std::vector<SolvedFrame> frames;  ///< One for each frame of the range.
  std::vector<SolvedTrack> tracks;  ///< One for each track, ids ascending.
  std::vector<SolvedCamera> cameras = std::vector<SolvedCamera>(1);
  double readout = 0, sigma_readout = kUnknown;  ///< Of a rolling shutter, in frame intervals; 0: all rows at once.
  double rms_px = kUnknown;                      ///< Over used observations of kept tracks.
  double holdout_rms_px = kUnknown;              ///< The same over the holdout tracks, under the same limits.
  MotionKind motion = MotionKind::Free;
  std::string motion_why;  ///< Why it moves or only rotates, in a sentence.
  std::string path_why;    ///< Why its path is held to a line or a plane; empty where it was not found to be one.
  std::vector<Stretch> stretches;
  std::vector<Mover> movers;  ///< Most tracks first; their tracks are set aside.
  std::vector<StaircaseStep> staircase;
  SolvedKnowledge knowledge;
  Evidence evidence;  ///< Completed by the review.
  SolveSummary summary;

  const Lens& lens() const { return cameras.front().lens; }
  /// The lens as it was in a frame.
  Lens lensAt(const SolvedFrame& frame) const;
  /// The lens as it was in the frame of a number; the first camera's lens where no camera stands.
  Lens lensIn(int frame) const;
  bool zooms() const;
  /// Both sentences about the motion.
  std::string whyMotion() const { return path_why.empty() ? motion_why : motion_why + " " + path_why; }
  const SolvedTrack* find(int id) const;
  const SolvedFrame* frameAt(int frame) const;
  int placedFrames() const;
  int keptTracks() const;  ///< Without holdout.
};
using SolutionPtr = std::shared_ptr<const Solution>;
}  // namespace dusky
