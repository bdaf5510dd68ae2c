#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"

namespace dusky {

/// What is known of how a plane lies: nothing, level as a floor, upright as a wall.
enum class PlaneFacing : std::uint8_t { Free, Level, Upright };
/// "free", "level", "upright".
std::string_view describe(PlaneFacing facing);

/// Tracks that lie in one plane.
struct KnownPlane {
  std::string name;
  std::vector<int> tracks;  ///< Ids, ascending; three or more.
  PlaneFacing facing = PlaneFacing::Free;
  double sigma = 0;  ///< How far its points stand off it, one standard deviation, scene units; 0: not at all.
  bool on = true;
  bool operator==(const KnownPlane&) const = default;
};

/// The angle between two planes.
struct KnownAngle {
  std::string a, b;     ///< Names of planes.
  double degrees = 90;  ///< 0 to 90: 0 is parallel, 90 square.
  double sigma_deg = 0;
  bool on = true;
  bool operator==(const KnownAngle&) const = default;
};

/// What is known of the set, as loosely or exactly as it is known.
struct Knowledge {
  std::vector<KnownPlane> planes;
  std::vector<KnownAngle> angles;

  /// Whether anything of it is on.
  bool says() const;
  const KnownPlane* find(std::string_view name) const;
  /// Errors: InvalidInput naming the statement: a plane without a name or with a name twice, with fewer than three tracks, an angle of planes that are not
  /// there, off or the same, numbers out of range.
  Status check() const;
  bool operator==(const Knowledge&) const = default;
};

}  // namespace dusky
