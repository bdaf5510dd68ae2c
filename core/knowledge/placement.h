#pragma once
#include <cstdint>
#include <string>

#include "core/geometry/pose.h"

namespace dusky {

/// What the world that numbers are told in calls up. Inside it is always Y.
enum class UpAxis : std::uint8_t { Y, Z };

/// The same place, direction or turn about the axes in that world's numbers, and back: X stays, Z up is right-handed too.
inline Vec3 toUpAxis(UpAxis up, const Vec3& v) { return up == UpAxis::Z ? Vec3(v.x(), -v.z(), v.y()) : v; }
inline Vec3 fromUpAxis(UpAxis up, const Vec3& v) { return up == UpAxis::Z ? Vec3(v.x(), v.z(), -v.y()) : v; }
/// The turn that toUpAxis() makes.
Eigen::Quaterniond upAxisTurn(UpAxis up);

/// How high the camera stood over the ground in a frame.
struct CameraHeight {
  int frame = 0;
  double metres = 1.6;  ///< > 0.
  bool operator==(const CameraHeight&) const = default;
};

/// How a scene is moved by hand after it was placed: scaled, turned about the world's origin, moved.
struct SceneMove {
  Vec3 shift = Vec3::Zero();     ///< Scene units.
  Vec3 turn_deg = Vec3::Zero();  ///< First about Z, then X, then Y, each as far as it says.
  double scale = 1;              ///< > 0.
  bool metres = false;           ///< The scene was in metres when it was moved.

  bool none() const { return shift.isZero(0) && turn_deg.isZero(0) && scale == 1; }
  /// Finite numbers, a scale above 0.
  bool usable() const;
  bool operator==(const SceneMove&) const = default;
};

/// The mesh of a set and what its numbers mean. It stands in the scene's world: once the scene is placed by it, solved points lie on it.
struct MeshSettings {
  std::string path;       ///< Empty: none.
  double metres = 1;      ///< That one of its units is, > 0.
  UpAxis up = UpAxis::Y;  ///< In its file.
  bool operator==(const MeshSettings&) const = default;
};

Similarity similarityOf(const SceneMove& move);
/// The move that does the same; turns of -180 to 180 degrees.
SceneMove moveOf(const Similarity& similarity, bool metres);

}  // namespace dusky
