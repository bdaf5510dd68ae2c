#pragma once
#include <array>
#include <span>
#include <vector>

#include "core/dense/match_picture.h"

namespace dusky {

/// A plane in camera axes as the vector p with p . X = 1 for its points X: what a pixel with the ray m sees of it lies at the depth 1 / (p . m).
using Facet = Eigen::Vector3f;

inline constexpr int kPatchColumns = 7;
inline constexpr std::size_t kPatchRows = 7;
/// How much of a patch is compared: every other row, which tells most, or all.
enum class PatchPart : std::uint8_t { HalfOfRows, All };
/// Neighbours are worked on in groups of four.
inline constexpr std::size_t kGroups = 2, kMostNeighbours = 4 * kGroups;
inline constexpr float kWorstCost = 2;

/// How alike the pictures are that several views have of one small facet of the set. Normalised cross-correlation under the homographies that the facet makes,
/// each pixel weighted by how like the middle one it is (Yoon and Kweon, PAMI 28(4), 2006: what differs in grey is often another surface), of which the better
/// half of the neighbours counts (occlusion: Galliani, Lasinger, Schindler, ICCV 2015).
class PatchScorer {
 public:
  /// `noise`: standard deviation of grey values; what has no more contrast is alike to nothing.
  PatchScorer(const MatchPicture& reference, std::span<const MatchPicture* const> neighbours, float noise);

  /// Some of the neighbours: those whose numbers are set bits.
  using Views = std::uint8_t;

  /// What of a pixel's surroundings is compared, worked out once for all facets.
  struct Patch {
    Eigen::Vector3f ray;                       ///< Through its middle.
    std::array<Lanes, kPatchRows> weight;      ///< The four rows of a half first; of columns beyond the patch 0.
    std::array<Lanes, kPatchRows> difference;  ///< Weighted, from the middle pixel's value.
    struct Sums {
      float per_weight = 0, mean = 0, variance = 0;
    };
    std::array<Sums, 2> sums;                        ///< Of each PatchPart.
    std::array<std::array<Four, 3>, kGroups> seen;   ///< The ray as each neighbour's homogeneous pixel, of what is infinitely far.
    std::array<std::array<Four, 3>, kGroups> shift;  ///< Added per inverse depth.
    float time = 0;                                  ///< When it is read, and `shift` takes the neighbours' pixels to be (Pinhole).
  };
  Patch patchAt(int x, int y) const;

  /// 0 (alike) to 2 under a facet, the mean over some neighbours; kWorstCost where it lies behind or none shows it.
  float cost(const Patch& patch, const Facet& facet, Views views, PatchPart part) const;
  /// The better half of the neighbours under a facet, and their mean cost.
  std::pair<Views, float> bestViews(const Patch& patch, const Facet& facet, PatchPart part) const;
  /// The change of inverse depth that moves what the patch sees by one pixel in the neighbour where it moves fastest.
  float inverseDepthOfPixel(const Patch& patch, float inverse_depth) const;
  const MatchPicture& reference() const { return reference_; }

 private:
  /// Four neighbours, a number of each in a lane; those that are not there see nothing.
  struct Group {
    std::array<std::array<Four, 3>, 3> pixel_from_ray;  ///< Rows of homogeneous pixels of reference rays of what is infinitely far.
    std::array<Four, 3> shift;                          ///< Added per inverse depth.
    std::array<Four, 3> moves_here, moves_there;        ///< Added to it and taken from it per frame interval that a pixel here, there is read later.
    std::array<Four, 3> time;                           ///< When pixels there are read: at (0, 0), later with each px across, down.
    Four width = {}, height = {};
    std::array<const MatchPicture*, 4> pictures = {};
  };
  /// kWorstCost of those that were not asked for.
  Four costsOf(const Patch& patch, const Facet& facet, std::size_t group, Views views, PatchPart part) const;

  const MatchPicture& reference_;
  std::array<Group, kGroups> groups_;
  std::size_t count_ = 0;
  float per_x_, per_y_;  ///< Of a ray, from one pixel to the next.
  float noise_variance_;
  bool rolls_ = false;  ///< Pixels are read one after the other.
};

}  // namespace dusky
