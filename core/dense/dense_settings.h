#pragma once
#include <array>
#include <cstdint>
#include <optional>
#include <string_view>
#include <vector>

#include "core/base/result.h"
#include "core/geometry/pose.h"

namespace dusky {

/// Of the footage's size: a quarter, a half, all of it.
enum class DenseQuality : std::uint8_t { Draft, Good, Fine };
inline constexpr std::array<std::string_view, 3> kDenseQualities = {"draft", "good", "fine"};
constexpr std::string_view describe(DenseQuality quality) { return kDenseQualities[static_cast<std::size_t>(quality)]; }

/// A box along the scene's axes.
struct RegionBox {
  Vec3 low = Vec3::Zero(), high = Vec3::Zero();  ///< Scene units, low <= high.
  bool holds(const Vec3& place) const { return (place.array() >= low.array()).all() && (place.array() <= high.array()).all(); }
  bool operator==(const RegionBox&) const = default;
};

/// What an outline or a brush's stroke drawn in a view takes of the world: all that is seen in it, as deep as it reaches. In scene coordinates, so that it
/// holds for other results too.
struct DenseCut {
  Eigen::Matrix4d clip_from_scene = Eigen::Matrix4d::Identity();  ///< The view: x/w and y/w are -1 to 1 over it, w > 0 before the viewer.
  std::vector<Vec2> outline;                                      ///< A closed line, in those; of a brush the line that its middle went.
  double brush = 0;                                               ///< Its radius, as a share of half the view's height; 0: an outline.
  double aspect = 1;                                              ///< Of a brush's view: width over height.
  Vec3 along = Vec3::UnitZ();                                     ///< The view's direction, of length 1.
  double near = 0, far = 0;                                       ///< How deep: of a place's product with `along`, scene units.
  bool keeps = false;                                             ///< What is outside goes, in place of what is inside.
  bool holds(const Vec3& place) const;
  /// Of places of the view, -1 to 1, however deep.
  bool covers(const Vec2& at) const;
  bool operator==(const DenseCut&) const = default;
};

/// Which dense points are left out, besides those that fusing leaves out. Nothing is lost by it: they are filtered anew whenever they are used.
struct CleanRules {
  int least_views = 3;              ///< Depth maps that agree, 3 to 16. 3: all that fusing keeps.
  double least_confidence = 0.78;   ///< 0 to 1.
  double most_slant_deg = 84;       ///< Between the surface's normal and the view that sees it most squarely, over 0 to 90. 90: any.
  double most_color_apart = 255;    ///< Of what the views show there from their mean, grey levels, over 0 to 255. 255: any.
  double least_neighbours = 0;      ///< Share of the surface around that is there, 0 to 1: strays have few.
  std::optional<RegionBox> region;  ///< What lies outside goes.
  std::vector<DenseCut> cuts;

  /// Errors: InvalidInput naming what is out of range.
  Status check() const;
  bool operator==(const CleanRules&) const = default;
};

/// What is asked of dense points. Kept with the project.
struct DenseSettings {
  DenseQuality quality = DenseQuality::Good;
  std::vector<int> keyframes;  ///< Chosen by the artist, ascending; empty: the program chooses them.
  double spacing = 0;          ///< At most one point in a cell of this size, scene units, >= 0; 0: all.
  CleanRules clean;
  int triangles = 200000;  ///< Of the mesh at most, >= 100.

  /// Errors: InvalidInput naming what is out of range.
  Status check() const;
  bool operator==(const DenseSettings&) const = default;
};

}  // namespace dusky
