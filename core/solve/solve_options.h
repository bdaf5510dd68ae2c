#pragma once
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/lens/lens.h"
#include "core/adjust/bundle.h"

namespace dusky {

/// How much is known of the focal length. Zoom: unknown, and one of its own in every frame.
enum class FocalKnowledge : std::uint8_t { Unknown, Near, Locked, Zoom };
/// How the camera moves. Auto: whichever the tracks tell. Nodal: it only rotates; Arc: it rotates about a point beside it, as on a tripod off its nodal point;
/// Rail: along a straight line; Flat: in a plane.
enum class CameraMotion : std::uint8_t { Auto, Free, Nodal, Rail, Flat, Arc };
/// Which lens. Auto: the simplest that the tracks bear out.
enum class LensChoice : std::uint8_t { Auto, None, Brown, Fisheye, Anamorphic };
/// What the artist says about a group of lens parameters. Auto: released when that is borne out.
enum class Release : std::uint8_t { Auto, On, Off };

/// A lens parameter that is known by itself.
struct KnownValue {
  double value = 0, sigma = 0;  ///< How well: one standard deviation; 0: it stands, and is not looked for.
  bool operator==(const KnownValue&) const = default;
};

/// A sighting of a track, by its number and the frame's.
struct TrackFrame {
  int track = 0, frame = 0;
  auto operator<=>(const TrackFrame&) const = default;
};

/// How much a track counts: each of its sightings pulls as so many would. In errors that are shown it counts as one.
struct TrackWeight {
  int track = 0;
  double weight = 1;
  bool operator==(const TrackWeight&) const = default;
};
inline constexpr double kLeastTrackWeight = 0.01, kMostTrackWeight = 100;
/// The weight of a track among some, ascending by track; 1 when it is not among them.
double weightOfTrack(const std::vector<TrackWeight>& weights, int track);

struct SolveOptions {
  FocalKnowledge focal = FocalKnowledge::Unknown;
  double focal_px = 0;            ///< Start (Near) or value (Locked), px, > 0; not read otherwise.
  double focal_tolerance = 0.03;  ///< Near: one standard deviation of what is known, a share, > 0.
  CameraMotion motion = CameraMotion::Auto;
  LensChoice lens = LensChoice::Auto;
  std::optional<Lens> known_lens;                  ///< From a chart or an earlier shot: locked, focal length too unless that is a zoom.
  std::map<std::string, Release> releases;         ///< By the name of a group (lensGroups()); others are Auto.
  std::map<std::string, KnownValue> known_values;  ///< Single lens parameters by name (lensParameterNames()), those that the lens has.
  double pixel_aspect = 1;                         ///< Of the footage, > 0.
  double readout = 0;                              ///< Of a rolling shutter, in frame intervals, -1 to 1; 0: all rows at once.
  bool free_readout = false;                       ///< Found, from `readout` on.
  bool auto_readout = true;                        ///< With none known: looked for where the tracks call for it. False: all rows at once.
  double holdout_share = 0.1;                      ///< Tracks that judge and never take part, 0 to 0.5.
  int max_rounds = 5;                              ///< Of adjusting and sorting out, 1 to 50.
  int seed = 1;                                    ///< Of samples and of the holdout draw.
  std::vector<int> set_aside;                      ///< Track ids that the artist took out, ascending.
  std::vector<TrackFrame> dropped;                 ///< Sightings that the artist took out, ascending.
  std::vector<TrackWeight> weights;                ///< Of tracks that count more or less than others, ascending by track.
  std::vector<int> camera_of;                      ///< Of each frame of the range: which camera took it, from 0; empty: one took all.

  /// Errors: InvalidInput naming what is out of range or does not go together.
  Status check() const;
  bool operator==(const SolveOptions&) const = default;
};

/// What a lens parameter, or "readout_ms", can sensibly be, by its name. The one place that says so: for known values, sweeps and settings.
struct ValueRange {
  double least = 0, most = 0;
  bool holds(double v) const { return v >= least && v <= most; }
};
ValueRange rangeOfParameter(std::string_view name);

/// Parameters that are released together.
struct LensGroup {
  std::string_view name;        ///< "k1", "principal point" ...
  std::vector<int> parameters;  ///< Positions in Lens::parameters().
};
/// A model's groups in the order of the staircase, without the focal length.
const std::vector<LensGroup>& lensGroups(LensModel model);

/// The known value of a model's parameter by its position in Lens::parameters(); null when nothing is known.
const KnownValue* knownValueOf(const SolveOptions& options, LensModel model, int parameter);
/// Puts what is known of single parameters into a lens.
void putKnownValues(const SolveOptions& options, Lens& lens);
/// Takes parameters whose value stands out of what is free.
LensFreedom withoutKnown(const SolveOptions& options, LensModel model, LensFreedom freedom);

}  // namespace dusky
