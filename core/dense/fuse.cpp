#include "core/dense/fuse.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/numbers.h"
#include "core/base/parallel.h"

namespace dusky {
namespace {

constexpr std::size_t kMostOthers = 16;

/// What another map says of a place.
struct Opinion {
  enum { None, Agrees, SeesThrough } says = None;
  int x = 0, y = 0;  ///< Its pixel.
  Vec3 place = Vec3::Zero();
};

bool isSure(const DepthMap& map, int x, int y, const FuseOptions& options) {
  const double depth = static_cast<double>(map.depth.at(x, y));
  return depth > 0 && static_cast<double>(map.cost.at(x, y)) <= options.most_cost && static_cast<double>(map.sigma.at(x, y)) <= options.most_sigma * depth;
}

Opinion opinionOf(const DepthMap& map, const Vec3& place, const Pinhole& from, const Vec2& pixel, const FuseOptions& options) {
  const auto seen = map.camera.seen(place);
  if (!seen) return {};
  const int x = static_cast<int>(std::floor(seen->x())), y = static_cast<int>(std::floor(seen->y()));
  if (x < 0 || y < 0 || x >= map.depth.width || y >= map.depth.height) return {};
  const double there = static_cast<double>(map.depth.at(x, y));
  if (!isSure(map, x, y, options)) return {};
  const double deeper = there / seen->z() - 1;
  if (deeper > 3 * options.most_apart) return {Opinion::SeesThrough, x, y};
  if (std::abs(deeper) > options.most_apart) return {};
  // Its place at the very spot where this one is seen, along its own facet.
  const Vec3 back = map.camera.place({seen->x(), seen->y()}, there);
  const auto again = from.seen(back);
  if (!again || (again->head<2>() - pixel).norm() > options.most_apart_px) return {};
  return {Opinion::Agrees, x, y, back};
}

/// A point that is made, and the pixels of other maps that go into it.
struct Made {
  DensePoint point;
  int x = 0, y = 0;                                   ///< Of its own map.
  std::array<std::array<int, 3>, kMostOthers> shown;  ///< View, x, y.
  int count = 0;
};

class Fusion {
 public:
  Fusion(std::span<const FusedView> views, const FuseOptions& options) : views_(views), options_(options) {
    for (const FusedView& view : views) taken_.emplace_back(view.map->depth.width, view.map->depth.height);
  }

  Result<Fused> run(const Progress& progress) {
    for (std::size_t v = 0; v < views_.size(); ++v) {
      if (progress.stopRequested()) return cancelled();
      progress.report(static_cast<double>(v) / static_cast<double>(views_.size()), "fusing depth maps");
      fuseView(v);
    }
    Fused fused{std::move(cloud_), {}};
    for (std::size_t v = 0; v < views_.size(); ++v) fused.shares.push_back(shareOf(v));
    return fused;
  }

 private:
  void fuseView(std::size_t v) {
    const DepthMap& map = *views_[v].map;
    std::vector<std::vector<Made>> rows(static_cast<std::size_t>(map.depth.height));
    parallelFor(
        map.depth.height,
        [&](int y) {
          for (int x = 0; x < map.depth.width; ++x) {
            if (taken_[v].at(x, y)) continue;
            if (Made made; pointAt(v, x, y, made)) rows[static_cast<std::size_t>(y)].push_back(made);
          }
        },
        8);
    for (const auto& row : rows) {
      for (const Made& made : row) {
        cloud_.points.push_back(made.point);
        taken_[v].at(made.x, made.y) = 1;
        for (int k = 0; k < made.count; ++k) taken_[static_cast<std::size_t>(made.shown[k][0])].at(made.shown[k][1], made.shown[k][2]) = 1;
      }
    }
  }

  FusedShare shareOf(std::size_t v) const {
    const DepthMap& map = *views_[v].map;
    std::size_t known = 0, agreed = 0;
    std::vector<double> costs;
    for (std::size_t i = 0; i < map.depth.data.size(); ++i) {
      known += map.depth.data[i] > 0;
      agreed += taken_[v].data[i] != 0;
      if (taken_[v].data[i] != 0) costs.push_back(static_cast<double>(map.cost.data[i]));
    }
    FusedShare share;
    if (known > 0) share.agreeing_share = static_cast<double>(agreed) / static_cast<double>(known);
    share.correlation = 1 - median(std::move(costs));
    return share;
  }

  bool pointAt(std::size_t v, int x, int y, Made& made) const {
    const FusedView& view = views_[v];
    const DepthMap& map = *view.map;
    const float depth = map.depth.at(x, y), cost = map.cost.at(x, y);
    if (!isSure(map, x, y, options_)) return false;
    const Vec2 pixel(x + 0.5, y + 0.5);
    const Vec3 place = map.camera.place(pixel, static_cast<double>(depth));
    Vec3 sum = place;
    float costs = cost;
    int against = 0;
    std::array<int, 3> color = {};
    addColor(*view.picture, x, y, color);
    for (const std::size_t other : view.others) {
      const Opinion opinion = opinionOf(*views_[other].map, place, map.camera, pixel, options_);
      against += opinion.says == Opinion::SeesThrough;
      if (opinion.says != Opinion::Agrees || made.count == static_cast<int>(kMostOthers)) continue;
      sum += opinion.place, costs += views_[other].map->cost.at(opinion.x, opinion.y);
      addColor(*views_[other].picture, opinion.x, opinion.y, color);
      made.shown[made.count++] = {static_cast<int>(other), opinion.x, opinion.y};
    }
    if (made.count < options_.least_views || against > made.count) return false;
    made.x = x, made.y = y;
    const int all = made.count + 1;
    const auto& n = map.normal.at(x, y);
    made.point.at = (sum / all).cast<float>();
    made.point.normal = map.camera.pose.direction(Vec3(n[0], n[1], n[2])).cast<float>();
    made.point.color = {mean(color[0], all), mean(color[1], all), mean(color[2], all)};
    made.point.views = static_cast<std::uint8_t>(all);
    made.point.confidence = std::clamp(1 - costs / static_cast<float>(all), 0.0F, 1.0F) * static_cast<float>(all) / static_cast<float>(all + against);
    made.point.sigma = map.sigma.at(x, y) / std::sqrt(static_cast<float>(all));
    return true;
  }

  static std::uint8_t mean(int sum, int count) { return static_cast<std::uint8_t>((sum + count / 2) / count); }
  static void addColor(const Picture& picture, int x, int y, std::array<int, 3>& sum) {
    const Rgb& c = picture.at(x, y);
    sum[0] += c.r, sum[1] += c.g, sum[2] += c.b;
  }

  std::span<const FusedView> views_;
  const FuseOptions& options_;
  std::vector<Plane<std::uint8_t>> taken_;  ///< Pixels that are part of a point.
  DenseCloud cloud_;
};

}  // namespace

Result<Fused> fuse(std::span<const FusedView> views, const FuseOptions& options, const Progress& progress) { return Fusion(views, options).run(progress); }

}  // namespace dusky
