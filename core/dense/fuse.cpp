#include "core/dense/fuse.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <span>

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
  Fusion(const FuseInput& input, const FuseOptions& options) : input_(input), options_(options), taken_(input.others.size()), points_(input.others.size()) {
    for (const double light : input.light) gain_.push_back(static_cast<float>(std::exp(-light)));
  }

  Result<Fused> run(const Progress& progress) {
    const auto count = static_cast<double>(input_.others.size());
    for (std::size_t v = 0; v < input_.others.size(); ++v) {
      if (progress.stopRequested()) return cancelled();
      progress.report(static_cast<double>(v) / count, "fusing depth maps");
      if (const Status fused = fuseView(v); !fused.ok()) return fused.error();
    }
    Fused fused;
    for (std::size_t v = 0; v < input_.others.size(); ++v) {
      const auto view = input_.viewAt(v);
      if (!view.ok()) return view.error();
      fused.shares.push_back(shareOf(v, **view));
    }
    fused.cloud = gathered();
    return fused;
  }

 private:
  Plane<std::uint8_t>& takenOf(std::size_t v, const FusedView& view) {
    if (taken_[v].empty()) taken_[v] = Plane<std::uint8_t>(view.map.depth.width, view.map.depth.height);
    return taken_[v];
  }

  /// The view and those that it is compared with.
  struct Around {
    std::size_t self = 0;
    FusedViewPtr view;
    std::vector<std::pair<std::size_t, FusedViewPtr>> others;
  };

  Status fuseView(std::size_t v) {
    const auto own = input_.viewAt(v);
    if (!own.ok()) return own.error();
    Around around{v, *own, {}};
    for (const std::size_t other : input_.others[v]) {
      const auto view = input_.viewAt(other);
      if (!view.ok()) return view.error();
      around.others.emplace_back(other, *view);
      takenOf(other, **view);
    }
    takenOf(v, *around.view);
    constexpr int kBand = 64;
    for (int top = 0; top < around.view->map.depth.height; top += kBand) fuseBand(around, top, std::min(kBand, around.view->map.depth.height - top));
    points_[v].shrink_to_fit();
    return Done{};
  }

  /// Some rows at a time: what goes into a point takes several times as much memory as the point.
  void fuseBand(const Around& around, int top, int height) {
    const Plane<std::uint8_t>& taken = taken_[around.self];
    std::vector<std::vector<Made>> rows(static_cast<std::size_t>(height));
    parallelFor(
        height,
        [&](int row) {
          for (int x = 0; x < taken.width; ++x) {
            if (taken.at(x, top + row)) continue;
            if (Made made; pointAt(around, x, top + row, made)) rows[static_cast<std::size_t>(row)].push_back(made);
          }
        },
        8);
    for (const auto& row : rows) {
      for (const Made& made : row) {
        points_[around.self].push_back(made.point);
        taken_[around.self].at(made.x, made.y) = 1;
        for (int k = 0; k < made.count; ++k) taken_[static_cast<std::size_t>(made.shown[k][0])].at(made.shown[k][1], made.shown[k][2]) = 1;
      }
    }
  }

  /// All points in one row, and each view's freed as they come there.
  DenseCloud gathered() {
    DenseCloud cloud;
    std::size_t count = 0;
    for (const auto& part : points_) count += part.size();
    cloud.points.reserve(count);
    for (auto& part : points_) {
      cloud.points.insert(cloud.points.end(), part.begin(), part.end());
      std::vector<DensePoint>().swap(part);
    }
    return cloud;
  }

  FusedShare shareOf(std::size_t v, const FusedView& view) const {
    const DepthMap& map = view.map;
    std::size_t known = 0, agreed = 0;
    std::vector<double> costs;
    for (std::size_t i = 0; i < map.depth.data.size(); ++i) {
      known += map.depth.data[i] > 0;
      agreed += taken_[v].data[i] != 0;
      if (taken_[v].data[i] != 0) costs.push_back(static_cast<double>(map.cost.data[i]));
    }
    FusedShare share{.off_px = view.off_px, .pixels = map.depth.data.size()};
    if (known > 0) share.agreeing_share = static_cast<double>(agreed) / static_cast<double>(known);
    share.correlation = 1 - median(std::move(costs));
    return share;
  }

  bool pointAt(const Around& around, int x, int y, Made& made) const {
    const DepthMap& map = around.view->map;
    const float depth = map.depth.at(x, y), cost = map.cost.at(x, y);
    if (!isSure(map, x, y, options_)) return false;
    const Vec2 pixel(x + 0.5, y + 0.5);
    const Vec3 place = map.camera.place(pixel, static_cast<double>(depth));
    const auto& n = map.normal.at(x, y);
    const Vec3 normal = map.camera.pose.direction(Vec3(static_cast<double>(n[0]), static_cast<double>(n[1]), static_cast<double>(n[2])));
    double weights = weightOf(map.sigma.at(x, y));
    Vec3 sum = weights * place;
    float costs = cost;
    int against = 0;
    double squarely = squareness(map.camera, place, normal);
    std::array<Rgb, kMostOthers + 1> colors;
    colors[0] = levelled(around.view->picture.at(x, y), around.self);
    for (const auto& [other, view] : around.others) {
      const Opinion opinion = opinionOf(view->map, place, map.camera, pixel, options_);
      against += opinion.says == Opinion::SeesThrough;
      if (opinion.says != Opinion::Agrees || made.count == static_cast<int>(kMostOthers)) continue;
      const double weight = weightOf(view->map.sigma.at(opinion.x, opinion.y));
      weights += weight, sum += weight * opinion.place, costs += view->map.cost.at(opinion.x, opinion.y);
      squarely = std::max(squarely, squareness(view->map.camera, place, normal));
      made.shown[static_cast<std::size_t>(made.count++)] = {static_cast<int>(other), opinion.x, opinion.y};
      colors[static_cast<std::size_t>(made.count)] = levelled(view->picture.at(opinion.x, opinion.y), other);
    }
    if (made.count < options_.least_views || against > made.count) return false;
    made.x = x, made.y = y;
    const int all = made.count + 1;
    DensePoint& point = made.point;
    point.at = (sum / weights).cast<float>();
    point.normal = normal.cast<float>();
    point.color = meanOf({colors.data(), static_cast<std::size_t>(all)}, point.color_apart);
    point.views = static_cast<std::uint8_t>(all);
    point.confidence = std::clamp(1 - costs / static_cast<float>(all), 0.0F, 1.0F) * static_cast<float>(all) / static_cast<float>(all + against);
    point.sigma = map.sigma.at(x, y) / std::sqrt(static_cast<float>(all));
    point.pixel = depth / static_cast<float>(map.camera.fx);
    point.slant_deg = static_cast<std::uint8_t>(std::lround(std::acos(std::clamp(squarely, 0.0, 1.0)) * 180 / std::numbers::pi));
    return true;
  }

  /// As if all views were as bright.
  Rgb levelled(const Rgb& color, std::size_t view) const {
    if (gain_.empty()) return color;
    const auto level = [gain = gain_[view]](std::uint8_t v) { return static_cast<std::uint8_t>(std::min(255.0F, gain * static_cast<float>(v) + 0.5F)); };
    return {level(color.r), level(color.g), level(color.b)};
  }

  /// Of a place in the mean of several: what is surer counts more.
  static double weightOf(float sigma) { return 1 / (static_cast<double>(sigma) * static_cast<double>(sigma) + 1e-12); }

  /// Cosine between a surface's normal and the way to a camera.
  static double squareness(const Pinhole& camera, const Vec3& place, const Vec3& normal) { return (camera.pose.centre - place).normalized().dot(normal); }

  /// The mean of what views show, and how far they are from it at most.
  static Rgb meanOf(std::span<const Rgb> colors, std::uint8_t& apart) {
    std::array<int, 3> sum = {};
    for (const Rgb& c : colors) sum[0] += c.r, sum[1] += c.g, sum[2] += c.b;
    const int count = static_cast<int>(colors.size());
    const auto mean = [&](int s) { return static_cast<std::uint8_t>((s + count / 2) / count); };
    const Rgb middle{mean(sum[0]), mean(sum[1]), mean(sum[2])};
    int most = 0;
    for (const Rgb& c : colors) most = std::max({most, std::abs(c.r - middle.r), std::abs(c.g - middle.g), std::abs(c.b - middle.b)});
    apart = static_cast<std::uint8_t>(most);
    return middle;
  }

  const FuseInput& input_;
  const FuseOptions& options_;
  std::vector<Plane<std::uint8_t>> taken_;       ///< Pixels that are part of a point.
  std::vector<float> gain_;                      ///< Of each view's colours; empty: as they are.
  std::vector<std::vector<DensePoint>> points_;  ///< Of each view.
};

}  // namespace

Result<Fused> fuse(const FuseInput& input, const FuseOptions& options, const Progress& progress) { return Fusion(input, options).run(progress); }

}  // namespace dusky
