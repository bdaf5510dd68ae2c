#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"
#include "core/geometry/pose.h"

namespace dusky {

enum class SetKind : std::uint8_t { Plane, Line };
/// "plane", "line".
std::string_view describe(SetKind kind);

/// What is known of how a plane or a line lies: nothing, level, upright, or in the world along a given normal (a line: direction).
enum class SetFacing : std::uint8_t { Free, Level, Upright, Given };
/// "free", "level", "upright", "given".
std::string_view describe(SetFacing facing);

/// Tracks that lie in one plane or on one line.
struct KnownSet {
  std::string name;
  SetKind kind = SetKind::Plane;
  std::vector<int> tracks;  ///< Ids, ascending; three or more, of a line two.
  SetFacing facing = SetFacing::Free;
  Vec3 axis = Vec3::UnitY();     ///< Where it is given: the plane's normal, the line's direction; of any length.
  std::optional<double> offset;  ///< Of a plane that is given: how far along the normal it is from the world's origin, scene units.
  double sigma = 0;              ///< How far its points stand off it, one standard deviation, scene units; 0: not at all.
  bool on = true;

  std::size_t leastTracks() const { return kind == SetKind::Line ? 2 : 3; }
  bool operator==(const KnownSet&) const = default;
};

enum class RelationKind : std::uint8_t { Angle, Same, Apart };

/// How two planes or lines stand to each other: at an angle, as one and the same, parallel and a distance apart.
struct KnownRelation {
  RelationKind kind = RelationKind::Angle;
  std::string a, b;   ///< Names of sets.
  double value = 90;  ///< Angle: 0 to 90 degrees, 0 is parallel, 90 square. Apart: scene units. Same: nothing.
  double sigma = 0;   ///< In the same unit; 0: exact. Same: scene units.
  bool on = true;
  bool operator==(const KnownRelation&) const = default;
};

/// A known distance between two tracks.
struct KnownDistance {
  int from = 0, to = 0;  ///< Track ids.
  double metres = 1;     ///< > 0.
  double sigma = 0;      ///< Metres; 0: exact.
  bool on = true;
  bool operator==(const KnownDistance&) const = default;
};

/// A known distance of a track from a plane.
struct KnownPlaneDistance {
  int track = 0;      ///< Id.
  std::string plane;  ///< Name of a set.
  double metres = 1;  ///< > 0.
  double sigma = 0;   ///< Metres; 0: exact.
  bool on = true;
  bool operator==(const KnownPlaneDistance&) const = default;
};

struct TrackPair {
  int from = 0, to = 0;  ///< Ids.
  bool operator==(const TrackPair&) const = default;
};

/// Distances that are equal, however long: posts of a fence, rungs, the sides of a square.
struct KnownEqual {
  std::vector<TrackPair> pairs;  ///< Two or more.
  double sigma = 0;              ///< Of each, scene units; 0: exact.
  bool on = true;
  bool operator==(const KnownEqual&) const = default;
};

/// Pairs of tracks that mirror each other in a plane.
struct KnownMirror {
  std::vector<TrackPair> pairs;  ///< One or more; without a named plane two.
  std::string plane;             ///< Name of a set; empty: a plane of its own, which is looked for.
  double sigma = 0;              ///< Of how far one of a pair is from where the other one's mirror image is, along each axis, scene units; 0: exact.
  bool on = true;

  std::size_t leastPairs() const { return plane.empty() ? 2 : 1; }
  bool operator==(const KnownMirror&) const = default;
};

/// A track whose place in the world was measured.
struct SurveyPoint {
  std::string name;
  int track = 0;
  Vec3 at = Vec3::Zero();     ///< Survey units.
  Vec3 sigma = Vec3::Zero();  ///< Along each axis; 0: exact.
  bool on = true;
  bool operator==(const SurveyPoint&) const = default;
};

enum class CameraFact : std::uint8_t { Straight, Level, Position, Rotation, Still, Smooth };
/// "straight", "level", "position", "rotation", "still", "smooth".
std::string_view describe(CameraFact fact);

/// What is known of the camera over a range of frames: it moves on a straight line, at one height, it stands at a known place, looks a known way, stands in
/// one place, moves evenly.
struct KnownCamera {
  CameraFact fact = CameraFact::Straight;
  int first = 0, last = 0;                                       ///< Frames.
  Vec3 at = Vec3::Zero();                                        ///< Position: in the world.
  Eigen::Quaterniond rotation = Eigen::Quaterniond::Identity();  ///< Rotation: world from camera.
  double sigma = 0;                                              ///< Scene units; of a rotation degrees; 0: exact.
  bool on = true;

  bool operator==(const KnownCamera& other) const {
    return fact == other.fact && first == other.first && last == other.last && at == other.at && rotation.coeffs() == other.rotation.coeffs() &&
           sigma == other.sigma && on == other.on;
  }
};

/// What is known of the set and the camera, as loosely or exactly as it is known.
struct Knowledge {
  std::vector<KnownSet> sets;
  std::vector<KnownRelation> relations;
  std::vector<KnownDistance> distances;
  std::vector<KnownPlaneDistance> plane_distances;
  std::vector<KnownEqual> equals;
  std::vector<KnownMirror> mirrors;
  std::vector<SurveyPoint> survey;
  std::vector<KnownCamera> camera;

  /// Whether anything of it is on.
  bool says() const;
  /// Whether what is on speaks of lengths: of how large the set is.
  bool saysLengths() const;
  bool empty() const { return *this == Knowledge{}; }
  const KnownSet* find(std::string_view name) const;
  /// Errors: InvalidInput naming the statement: a set without a name or with a name twice, with too few tracks, a relation of sets that are not there, off or
  /// the same, survey points with one name or one track twice, pairs that are none, numbers out of range.
  Status check() const;
  bool operator==(const Knowledge&) const = default;
};

}  // namespace dusky
