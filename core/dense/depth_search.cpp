#include "core/dense/depth_search.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include <memory>

#include "core/base/parallel.h"
#include "core/dense/patch_score.h"

namespace dusky {
namespace {

using FacetPlane = Plane<std::array<float, 3>>;

Facet facetIn(const FacetPlane& facets, int x, int y) { return Facet(facets.at(x, y).data()); }

/// Numbers from 0 to 1 that depend on a place alone.
class PlaceNoise {
 public:
  PlaceNoise(int x, int y, int round)
      : state_(static_cast<std::uint32_t>(x) * 0x9E3779B1u ^ static_cast<std::uint32_t>(y) * 0x85EBCA77u ^ static_cast<std::uint32_t>(round) * 0xC2B2AE3Du) {}
  float next() {
    state_ += 0x6D2B79F5u;
    std::uint32_t t = (state_ ^ (state_ >> 15)) * (1u | state_);
    t ^= t + (t ^ (t >> 7)) * (61u | t);
    return static_cast<float>((t ^ (t >> 14)) >> 8) * 0x1p-24F;
  }
  /// From -1 to 1.
  float signedNext() { return 2 * next() - 1; }

 private:
  std::uint32_t state_;
};

/// One size of the search: the facet of every pixel, what it costs, and the neighbours that it is judged by.
class Level {
 public:
  Level(const MatchPicture& reference, std::span<const MatchPicture* const> neighbours, const InverseDepthRange& range, float noise, PatchPart part,
        const Progress& progress)
      : scorer_(reference, neighbours, noise),
        part_(part),
        noise_(noise),
        width_(reference.grey.width),
        height_(reference.grey.height),
        least_(static_cast<float>(0.7 * range.far)),
        most_(static_cast<float>(1.3 * range.near)),
        arm_x_(kArm_px / static_cast<float>(reference.camera.fx)),
        arm_y_(kArm_px / static_cast<float>(reference.camera.fy)),
        progress_(progress),
        facets_(FacetPlane::unset(width_, height_)),
        costs_(FloatPlane::unset(width_, height_)),
        views_(Plane<PatchScorer::Views>::unset(width_, height_)),
        smooth_(width_, height_) {}

  /// Facets that face the camera or lie as their neighbours do, at the inverse depths of a sweep.
  void startFrom(const FloatPlane& inverse_depths) {
    eachPixel([&](int x, int y) {
      const auto patch = scorer_.patchAt(x, y);
      const Best slanted = startAt(patch, slantedIn(inverse_depths, x, y, patch.ray)), facing = startAt(patch, Facet(0, 0, inverse_depths.at(x, y)));
      put(x, y, slanted.cost < facing.cost ? slanted : facing);
    });
  }

  /// The best of the facets about a pixel in the picture half as large.
  void startFrom(const Level& smaller) {
    eachPixel([&](int x, int y) {
      const auto patch = scorer_.patchAt(x, y);
      const int near_x = std::min(x / 2, smaller.width_ - 1), near_y = std::min(y / 2, smaller.height_ - 1);
      const int far_x = std::clamp(near_x + (x % 2 ? 1 : -1), 0, smaller.width_ - 1), far_y = std::clamp(near_y + (y % 2 ? 1 : -1), 0, smaller.height_ - 1);
      const Facet own = facetIn(smaller.facets_, near_x, near_y), across = facetIn(smaller.facets_, far_x, near_y),
                  along = facetIn(smaller.facets_, near_x, far_y);
      Best best{own, 0, smaller.views_.at(near_x, near_y), scorer_.inverseDepthOfPixel(patch, own.dot(patch.ray))};
      const bool smooth = finest() && differ(patch, across - own) < kSmooth_px * best.pixel && differ(patch, along - own) < kSmooth_px * best.pixel;
      if (smooth)
        best.cost = scorer_.cost(patch, own, best.views, part_);
      else
        best = startAt(patch, own);
      offer(patch, across, best);
      offer(patch, along, best);
      smooth_.at(x, y) = smooth;
      put(x, y, best);
    });
  }

  /// One round over both halves of the checkerboard. `reach`: how far facets are changed at random, px. `settled`: in the last round, what comes of it.
  void improve(int round, float reach, DepthMap* settled = nullptr) {
    for (const int colour : {0, 1}) {
      eachRow([&](int y) {
        for (int x = (y + colour) % 2; x < width_; x += 2) {
          const auto patch = scorer_.patchAt(x, y);
          improveAt(x, y, patch, round, reach);
          if (settled && scorer_.reference().uses(x, y)) settleAt(x, y, patch, *settled);
        }
      });
    }
  }

  /// A map of its size in which nothing is known.
  DepthMap emptyMap() const {
    DepthMap map;
    map.camera = scorer_.reference().camera;
    map.depth = FloatPlane(width_, height_), map.sigma = FloatPlane(width_, height_);
    map.normal = Plane<std::array<float, 3>>(width_, height_), map.cost = FloatPlane(width_, height_, kWorstCost);
    return map;
  }

 private:
  struct Best {
    Facet facet = Facet::Zero();
    float cost = std::numeric_limits<float>::max();
    PatchScorer::Views views = 0;  ///< That it is judged by.
    float pixel = 0;               ///< The change of inverse depth that moves it by a pixel.
  };
  static constexpr float kSame_px = 0.06F;   ///< Facets that differ by less are the same.
  static constexpr float kSmooth_px = 0.5F;  ///< Neighbours that differ by less lie on one surface.
  static constexpr float kArm_px = 4;        ///< How far from its middle a facet's slope tells.

  bool finest() const { return part_ == PatchPart::HalfOfRows; }

  Best startAt(const PatchScorer::Patch& patch, const Facet& facet) const {
    const auto [views, cost] = scorer_.bestViews(patch, facet, part_);
    return {facet, cost, views, scorer_.inverseDepthOfPixel(patch, facet.dot(patch.ray))};
  }

  template <class Body>
  void eachRow(const Body& body) {
    parallelFor(
        height_,
        [&](int y) {
          if (!progress_.stopRequested()) body(y);
        },
        4);
  }
  template <class Body>
  void eachPixel(const Body& body) {
    eachRow([&](int y) {
      for (int x = 0; x < width_; ++x) body(x, y);
    });
  }

  void put(int x, int y, const Best& best) {
    facets_.at(x, y) = {best.facet.x(), best.facet.y(), best.facet.z()};
    costs_.at(x, y) = best.cost, views_.at(x, y) = best.views;
  }

  /// By how much inverse depths differ within a patch under a change of its facet.
  float differ(const PatchScorer::Patch& patch, const Facet& change) const {
    return std::abs(change.dot(patch.ray)) + std::abs(change.x()) * arm_x_ + std::abs(change.y()) * arm_y_;
  }

  /// Takes a facet over where it makes the pictures more alike and lies within reach.
  void offer(const PatchScorer::Patch& patch, const Facet& facet, Best& best) const {
    const float inverse_depth = facet.dot(patch.ray);
    if (best.cost < kWorstCost && !(inverse_depth > least_ && inverse_depth < most_)) return;
    if (differ(patch, facet - best.facet) < kSame_px * best.pixel) return;
    const float cost = scorer_.cost(patch, facet, best.views, part_);
    if (cost < best.cost) best.facet = facet, best.cost = cost;
  }

  /// As the inverse depths around it lie, on the side where they change least.
  Facet slantedIn(const FloatPlane& inverse_depths, int x, int y, const Eigen::Vector3f& ray) const {
    const Pinhole& camera = scorer_.reference().camera;
    const float here = inverse_depths.at(x, y);
    const auto slope = [here](float before, float after) {
      const float left = here - before, right = after - here;
      return std::abs(left) < std::abs(right) ? left : right;
    };
    const float per_x = slope(inverse_depths.at(std::max(x - 1, 0), y), inverse_depths.at(std::min(x + 1, width_ - 1), y)) * static_cast<float>(camera.fx);
    const float per_y = slope(inverse_depths.at(x, std::max(y - 1, 0)), inverse_depths.at(x, std::min(y + 1, height_ - 1))) * static_cast<float>(camera.fy);
    return {per_x, per_y, here - per_x * ray.x() - per_y * ray.y()};
  }

  void improveAt(int x, int y, const PatchScorer::Patch& patch, int round, float reach) {
    Best best{facetIn(facets_, x, y), costs_.at(x, y), views_.at(x, y)};
    best.pixel = scorer_.inverseDepthOfPixel(patch, best.facet.dot(patch.ray));
    offerNeighbours(patch, x, y, best);
    PlaceNoise noise(x, y, round);
    // At the finest size little is left to be found.
    for (int k = !finest() ? 2 : smooth_.at(x, y) ? 0 : 1; k > 0; --k, reach *= 0.4F) {
      const float slope_x = best.facet.x() + 0.25F * reach * best.pixel * static_cast<float>(scorer_.reference().camera.fx) * noise.signedNext();
      const float slope_y = best.facet.y() + 0.25F * reach * best.pixel * static_cast<float>(scorer_.reference().camera.fy) * noise.signedNext();
      const float moved = best.facet.dot(patch.ray) + reach * best.pixel * noise.signedNext();
      offer(patch, {slope_x, slope_y, moved - slope_x * patch.ray.x() - slope_y * patch.ray.y()}, best);
    }
    put(x, y, best);
  }

  /// To each side the one that did best.
  void offerNeighbours(const PatchScorer::Patch& patch, int x, int y, Best& best) const {
    static constexpr std::array<std::array<int, 2>, 4> kSides = {{{-1, 0}, {1, 0}, {0, -1}, {0, 1}}};
    for (const auto& [dx, dy] : kSides) {
      int from_x = -1, from_y = -1;
      float least = kWorstCost;
      for (const int away : {1, 3, 5}) {  // odd: of the other half of the checkerboard
        const int nx = x + away * dx, ny = y + away * dy;
        if (nx < 0 || ny < 0 || nx >= width_ || ny >= height_ || !(costs_.at(nx, ny) < least)) continue;
        least = costs_.at(nx, ny), from_x = nx, from_y = ny;
      }
      if (from_x >= 0) offer(patch, facetIn(facets_, from_x, from_y), best);
    }
  }

  /// To where a parabola through the costs of three inverse depths is least, and how sure that is.
  void settleAt(int x, int y, const PatchScorer::Patch& patch, DepthMap& map) const {
    constexpr float kStep_px = 0.25F;
    Facet facet = facetIn(facets_, x, y);
    const PatchScorer::Views views = views_.at(x, y);
    const float pixel = scorer_.inverseDepthOfPixel(patch, facet.dot(patch.ray)), step = kStep_px * pixel;
    const auto costAt = [&](float by) { return scorer_.cost(patch, facet + Facet(0, 0, by), views, PatchPart::All); };
    const float left = costAt(-step), here = costAt(0), right = costAt(step), bend = left + right - 2 * here;
    const bool least = bend > 1e-6F && left >= here && right >= here;
    if (least) facet.z() += 0.5F * step * (left - right) / bend;
    const float inverse_depth = facet.dot(patch.ray);
    if (!(inverse_depth > 0)) return;
    map.cost.at(x, y) = least ? here - 0.125F * (left - right) * (left - right) / bend : here;
    map.depth.at(x, y) = 1 / inverse_depth;
    const Eigen::Vector3f normal = -facet.normalized();
    map.normal.at(x, y) = {normal.x(), normal.y(), normal.z()};
    map.sigma.at(x, y) = (least ? sigma_px(patch, bend / (2 * kStep_px * kStep_px), views) : 1) * pixel / (inverse_depth * inverse_depth);
  }

  /// What noise moves the least cost by, px: the bend of the correlation tells how steep the picture is along the way (Cramer and Rao's bound for a shift).
  float sigma_px(const PatchScorer::Patch& patch, float bend, PatchScorer::Views views) const {
    const auto& [per_weight, mean, variance] = patch.sums.back();
    const float pixels = std::max(1.0F, 1 / per_weight) * static_cast<float>(std::popcount(views));
    return std::min(1.0F, noise_ / std::sqrt(std::max(1e-6F, pixels * bend * (variance + noise_ * noise_))));
  }

  const PatchScorer scorer_;
  const PatchPart part_;
  const float noise_;
  const int width_, height_;
  const float least_, most_;  ///< Inverse depths, a little beyond the range.
  const float arm_x_, arm_y_;
  const Progress& progress_;
  FacetPlane facets_;
  FloatPlane costs_;
  Plane<PatchScorer::Views> views_;
  Plane<std::uint8_t> smooth_;  ///< Not an edge of the set, and not near one.
};

}  // namespace

DepthMap searchDepth(const std::vector<MatchPicture>& reference, std::span<const std::vector<MatchPicture>* const> neighbours, const InverseDepthRange& range,
                     const DepthSearchOptions& options, const Progress& progress) {
  // A smaller picture (of a zoom each frame has its own size) may be halved less often.
  std::size_t sizes = reference.size();
  for (const auto* neighbour : neighbours) sizes = std::min(sizes, neighbour->size());
  const auto start = std::min(static_cast<std::size_t>(options.start_level), sizes - 1);
  const auto picturesAt = [&](std::size_t size) {
    std::vector<const MatchPicture*> pictures;
    for (const auto* neighbour : neighbours) pictures.push_back(&(*neighbour)[size]);
    return pictures;
  };
  const auto smallest = picturesAt(start);
  auto level = std::make_unique<Level>(reference[start], smallest, range, options.noise, PatchPart::All, progress);
  level->startFrom(sweptInverseDepths(reference[start], smallest, range, options.noise));
  level->improve(0, 1), level->improve(1, 0.5F);
  for (std::size_t size = start; size-- > 0;) {
    const auto pictures = picturesAt(size);
    const PatchPart part = size > 0 ? PatchPart::All : PatchPart::HalfOfRows;
    auto next = std::make_unique<Level>(reference[size], pictures, range, options.noise, part, progress);
    next->startFrom(*level);
    if (size > 0) next->improve(static_cast<int>(10 * (start - size)), 0.5F);
    level = std::move(next);
  }
  DepthMap map = level->emptyMap();
  for (int round = 1; round <= options.rounds; ++round) level->improve(static_cast<int>(10 * start) + round, 0.5F, round == options.rounds ? &map : nullptr);
  return map;
}

}  // namespace dusky
