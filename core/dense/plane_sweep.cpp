#include "core/dense/plane_sweep.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <vector>

#include "core/base/parallel.h"

namespace dusky {
namespace {

constexpr int kReach = 2;  ///< Of a window, px to each side.
constexpr int kMostPlanes = 128, kFewest = 16;
constexpr float kCostUnits = 64;           ///< A cost of 1 in the volume's bytes.
constexpr int kSmallStep = 7, kJump = 40;  ///< What a step of one plane between neighbours costs, and any other, in the same units.
constexpr float kEdge = 12;                ///< Grey levels between neighbours that halve the cost of a jump.

/// Sums over windows of (2 kReach + 1) squared, of what lies inside.
void sumWindows(const FloatPlane& of, FloatPlane& rows, FloatPlane& out) {
  const int w = of.width, h = of.height;
  for (int y = 0; y < h; ++y) {
    const float* in = of.row(y);
    float* to = rows.row(y);
    for (int x = kReach; x < w - kReach; ++x) to[x] = in[x - 2] + in[x - 1] + in[x] + in[x + 1] + in[x + 2];
    for (int x = 0; x < w; x = x == kReach - 1 ? w - kReach : x + 1) {
      to[x] = 0;
      for (int k = std::max(0, x - kReach); k <= std::min(w - 1, x + kReach); ++k) to[x] += in[k];
    }
  }
  for (int y = 0; y < h; ++y) {
    float* to = out.row(y);
    std::fill(to, to + w, 0.0F);
    for (int k = std::max(0, y - kReach); k <= std::min(h - 1, y + kReach); ++k) {
      const float* in = rows.row(k);
      for (int x = 0; x < w; ++x) to[x] += in[x];
    }
  }
}

/// How many pixels of a window lie inside.
FloatPlane windowCounts(int w, int h) {
  FloatPlane ones(w, h, 1), rows(w, h), out(w, h);
  sumWindows(ones, rows, out);
  return out;
}

/// A picture and its windows' means and variances.
struct Windowed {
  FloatPlane values, mean, variance;
};

class Sweep {
 public:
  Sweep(const MatchPicture& reference, std::span<const MatchPicture* const> neighbours, const InverseDepthRange& range, float noise)
      : reference_(reference), neighbours_(neighbours), noise_(noise * noise), counts_(windowCounts(reference.grey.width, reference.grey.height)) {
    width_ = reference.grey.width, height_ = reference.grey.height;
    grey_ = windowed(reference.grey);
    planes_ = planesFor(range);
    first_ = range.far, step_ = (range.near - range.far) / (planes_ - 1);
  }

  FloatPlane run() {
    volume_.resize(static_cast<std::size_t>(width_) * height_ * planes_);
    parallelFor(planes_, [&](int plane) { costsOf(plane); });
    total_.assign(volume_.size(), 0);
    aggregate(1, 0), aggregate(-1, 0), aggregate(0, 1), aggregate(0, -1);
    return chosen();
  }

 private:
  Windowed windowed(const FloatPlane& of) const {
    FloatPlane squares(width_, height_), rows(width_, height_);
    Windowed made{of, FloatPlane(width_, height_), FloatPlane(width_, height_)};
    for (std::size_t i = 0; i < of.data.size(); ++i) squares.data[i] = of.data[i] * of.data[i];
    sumWindows(of, rows, made.mean), sumWindows(squares, rows, made.variance);
    for (std::size_t i = 0; i < of.data.size(); ++i) {
      made.mean.data[i] /= counts_.data[i];
      made.variance.data[i] = std::max(0.0F, made.variance.data[i] / counts_.data[i] - made.mean.data[i] * made.mean.data[i]);
    }
    return made;
  }

  /// So many that what is seen moves by at most a pixel from one to the next.
  int planesFor(const InverseDepthRange& range) const {
    const Pinhole& from = reference_.camera;
    double most = 1;
    for (const MatchPicture* neighbour : neighbours_) {
      for (const Vec2& at : {Vec2(0.5 * width_, 0.5 * height_), Vec2(0, 0), Vec2(width_, height_), Vec2(width_, 0), Vec2(0, height_)}) {
        const auto far = neighbour->camera.seen(from.place(at, 1 / range.far)), near = neighbour->camera.seen(from.place(at, 1 / range.near));
        if (far && near) most = std::max(most, (*far - *near).head<2>().norm());
      }
    }
    const int wanted = std::clamp(static_cast<int>(std::ceil(most)) + 1, kFewest, kMostPlanes);
    return (wanted + 15) / 16 * 16;
  }

  std::uint8_t* costs(int x, int y) { return volume_.data() + (static_cast<std::size_t>(y) * width_ + x) * planes_; }
  std::uint16_t* totals(int x, int y) { return total_.data() + (static_cast<std::size_t>(y) * width_ + x) * planes_; }

  /// What a neighbour shows of the plane, where each pixel sees it; not a number outside.
  FloatPlane warped(const MatchPicture& neighbour, double depth) const {
    const Pinhole& from = reference_.camera;
    const Pinhole& to = neighbour.camera;
    const Mat3 pixel_from_camera = to.pixelFromCamera();
    const Mat3 turn = (to.pose.world_from_camera.conjugate() * from.pose.world_from_camera).toRotationMatrix();
    Mat3 h = pixel_from_camera * turn;
    h.col(2) += pixel_from_camera * to.pose.toCamera(from.pose.centre) / depth;
    const Eigen::Matrix3f m = (h * from.cameraFromPixel()).cast<float>();
    FloatPlane out = FloatPlane::unset((width_ + kLanes - 1) / kLanes * kLanes, height_);
    const Lanes lane = Lanes{0, 1, 2, 3, 4, 5, 6, 7} + 0.5F, wide = allLanes(static_cast<float>(neighbour.grey.width)),
                high = allLanes(static_cast<float>(neighbour.grey.height)), nothing = allLanes(std::nanf(""));
    for (int y = 0; y < height_; ++y) {
      const float v = static_cast<float>(y) + 0.5F;
      for (int x = 0; x < out.width; x += kLanes) {
        const Lanes u = lane + static_cast<float>(x);
        const Lanes over = 1 / (m(2, 0) * u + (m(2, 1) * v + m(2, 2)));
        const Lanes at_u = (m(0, 0) * u + (m(0, 1) * v + m(0, 2))) * over, at_v = (m(1, 0) * u + (m(1, 1) * v + m(1, 2))) * over;
        const LaneInts inside = (over > 0) & (at_u > 0) & (at_v > 0) & (at_u < wide) & (at_v < high);
        putLanes(inside ? neighbour.at(at_u, at_v) : nothing, out.row(y) + x);
      }
    }
    return out;
  }

  /// Costs of one plane everywhere: the mean of the better half of the neighbours.
  void costsOf(int plane) {
    const double depth = 1 / (first_ + plane * step_);
    std::vector<FloatPlane> each;
    for (const MatchPicture* neighbour : neighbours_) each.push_back(correlation(warped(*neighbour, depth)));
    const std::size_t good = (each.size() + 1) / 2;
    std::vector<float> here(each.size());
    for (int y = 0; y < height_; ++y) {
      for (int x = 0; x < width_; ++x) {
        for (std::size_t k = 0; k < each.size(); ++k) here[k] = each[k].at(x, y);
        std::sort(here.begin(), here.end());
        float sum = 0;
        for (std::size_t k = 0; k < good; ++k) sum += here[k];
        costs(x, y)[plane] = static_cast<std::uint8_t>(std::min(255.0F, kCostUnits * sum / static_cast<float>(good) + 0.5F));
      }
    }
  }

  FloatPlane correlation(const FloatPlane& seen) const {
    const auto plane = [this] { return FloatPlane::unset(width_, height_); };
    FloatPlane value = plane(), product = plane(), square = plane(), rows = plane(), mean = plane(), both = plane(), squares = plane(), out = plane();
    for (int y = 0; y < height_; ++y) {
      for (int x = 0; x < width_; ++x) {
        const float v = std::isnan(seen.at(x, y)) ? 0 : seen.at(x, y);
        value.at(x, y) = v, product.at(x, y) = v * reference_.grey.at(x, y), square.at(x, y) = v * v;
      }
    }
    sumWindows(value, rows, mean), sumWindows(product, rows, both), sumWindows(square, rows, squares);
    for (int y = 0; y < height_; ++y) {
      for (int x = 0; x < width_; ++x) {
        const float n = 1 / counts_.at(x, y), m = mean.at(x, y) * n, variance = std::max(0.0F, squares.at(x, y) * n - m * m);
        const float shared = both.at(x, y) * n - m * grey_.mean.at(x, y);
        out.at(x, y) = std::isnan(seen.at(x, y)) ? 2 : 1 - shared / std::sqrt((variance + noise_) * (grey_.variance.at(x, y) + noise_));
      }
    }
    return out;
  }

  /// Adds the least costs of coming along a direction. Rows (or columns) do not touch each other.
  void aggregate(int dx, int dy) {
    const bool across = dx != 0;
    parallelFor(
        across ? height_ : width_,
        [&](int line) {
          std::vector<std::uint16_t> before(planes_ + 2), now(planes_ + 2);
          const int length = across ? width_ : height_;
          int least = 0;
          for (int i = 0; i < length; ++i) {
            const int along = dx + dy > 0 ? i : length - 1 - i;
            const int x = across ? along : line, y = across ? line : along;
            least = step(x, y, i == 0 ? 0 : dx, i == 0 ? 0 : dy, before, now, least);
            std::swap(before, now);
          }
        },
        8);
  }

  int step(int x, int y, int dx, int dy, const std::vector<std::uint16_t>& before, std::vector<std::uint16_t>& now, int least_before) {
    constexpr std::uint16_t kNever = 30000;
    const std::uint8_t* cost = costs(x, y);
    std::uint16_t* total = totals(x, y);
    now.front() = now.back() = kNever;
    std::uint16_t least = kNever;
    if (dx == 0 && dy == 0) {
      for (int l = 0; l < planes_; ++l) now[l + 1] = cost[l], least = std::min(least, now[l + 1]);
    } else {
      const float edge = std::abs(reference_.grey.at(x, y) - reference_.grey.at(x - dx, y - dy));
      const auto jump = static_cast<std::uint16_t>(least_before + std::max(kSmallStep + 1, static_cast<int>(kJump / (1 + edge / kEdge))));
      for (int l = 0; l < planes_; ++l) {
        const std::uint16_t near = static_cast<std::uint16_t>(std::min(before[l], before[l + 2]) + kSmallStep);
        const std::uint16_t best = std::min(std::min(before[l + 1], near), jump);
        now[l + 1] = static_cast<std::uint16_t>(cost[l] + best - least_before);
        least = std::min(least, now[l + 1]);
      }
    }
    for (int l = 0; l < planes_; ++l) total[l] = static_cast<std::uint16_t>(total[l] + now[l + 1]);
    return least;
  }

  FloatPlane chosen() {
    FloatPlane out(width_, height_);
    parallelFor(
        height_,
        [&](int y) {
          for (int x = 0; x < width_; ++x) {
            const std::uint16_t* total = totals(x, y);
            const int best = static_cast<int>(std::min_element(total, total + planes_) - total);
            double between = 0;
            if (best > 0 && best + 1 < planes_) {
              const double left = total[best - 1] - total[best], right = total[best + 1] - total[best];
              if (left + right > 0) between = 0.5 * (left - right) / (left + right);
            }
            out.at(x, y) = static_cast<float>(first_ + (best + between) * step_);
          }
        },
        8);
    return out;
  }

  const MatchPicture& reference_;
  std::span<const MatchPicture* const> neighbours_;
  float noise_;
  FloatPlane counts_;
  Windowed grey_;
  int width_ = 0, height_ = 0, planes_ = 0;
  double first_ = 0, step_ = 0;
  std::vector<std::uint8_t> volume_;
  std::vector<std::uint16_t> total_;
};

}  // namespace

FloatPlane sweptInverseDepths(const MatchPicture& reference, std::span<const MatchPicture* const> neighbours, const InverseDepthRange& range, float noise) {
  return Sweep(reference, neighbours, range, noise).run();
}

}  // namespace dusky
