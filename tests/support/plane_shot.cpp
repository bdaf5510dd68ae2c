#include "tests/support/plane_shot.h"

#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include <Eigen/Geometry>
#include <cmath>

#include "core/base/parallel.h"
#include "core/base/random.h"
#include "core/image/pyramid.h"

namespace dusky::testing {
namespace {

constexpr double kFine = 2.0;    // texture px to one px of the first frame
constexpr int kMoverSide = 900;  // texture px
constexpr int kMovers = 3;

/// Smooth grain, sum of two octaves, about -1 to 1.
FloatPlane grain(int width, int height, int seed) {
  FloatPlane out(width, height);
  for (const int cell : {3, 9}) {
    Random random(static_cast<std::uint64_t>(seed) * 31 + static_cast<std::uint64_t>(cell));
    FloatPlane coarse(width / cell + 3, height / cell + 3);
    for (float& v : coarse.data) v = static_cast<float>(random.between(-0.6, 0.6));
    for (int y = 0; y < height; ++y) {
      for (int x = 0; x < width; ++x) {
        out.at(x, y) += sampleLinear(coarse, static_cast<float>(x) / static_cast<float>(cell) + 1, static_cast<float>(y) / static_cast<float>(cell) + 1);
      }
    }
  }
  return out;
}

}  // namespace

FloatPlane deadLeaves(int width, int height, int seed) {
  Random random(static_cast<std::uint64_t>(seed));
  FloatPlane plane(width, height, 110.0f);
  const FloatPlane bumps = grain(width, height, seed);
  const double area = static_cast<double>(width) * height;
  // Painter's order; radii with density r^-3 between 5 and 160 texture px, enough to cover the plane several times.
  for (double covered = 0; covered < 5 * area;) {
    const double u = random.uniform(), low = 5, high = 160;
    const double r = low * high / std::sqrt(high * high - u * (high * high - low * low));
    const double cx = random.between(-0.5 * r, width + 0.5 * r), cy = random.between(-0.5 * r, height + 0.5 * r);
    const double stretch = random.between(0.6, 1.0), turn = random.between(0, 3.14), c = std::cos(turn), s = std::sin(turn);
    const auto grey = static_cast<float>(random.between(25, 225)), rough = static_cast<float>(random.between(2, 22));
    covered += 3.14 * r * r * stretch;
    for (int y = std::max(0, static_cast<int>(cy - r)); y < std::min<double>(height, cy + r + 1); ++y) {
      for (int x = std::max(0, static_cast<int>(cx - r)); x < std::min<double>(width, cx + r + 1); ++x) {
        const double dx = x + 0.5 - cx, dy = y + 0.5 - cy, a = c * dx + s * dy, b = (c * dy - s * dx) / stretch;
        const double inside = std::clamp(r - std::sqrt(a * a + b * b) + 0.5, 0.0, 1.0);
        if (inside > 0) plane.at(x, y) += static_cast<float>(inside) * (grey + rough * bumps.at(x, y) - plane.at(x, y));
      }
    }
  }
  return plane;
}

PlaneShot::PlaneShot(PlanePlan plan) : plan_(plan) {
  info_ = {"plane shot", "made", plan.width, plan.height, 24.0, 1, plan.frames};
  textures_.push_back(deadLeaves(static_cast<int>(1.5 * kFine * plan.width), static_cast<int>(1.7 * kFine * plan.height), plan.seed));
  if (plan.mover_share > 0) {
    for (int i = 0; i < kMovers; ++i) textures_.push_back(deadLeaves(kMoverSide, kMoverSide, plan.seed + 100 + i));
  }
}

Eigen::Affine2d PlaneShot::pictureFromLayer(int layer, double time) const {
  const double t = time / std::max(1, plan_.frames - 1);
  const Vec2 middle(0.5 * plan_.width, 0.5 * plan_.height);
  const FloatPlane& texture = textures_[layer];
  const Vec2 texture_middle(0.5 * texture.width, 0.5 * texture.height);
  Eigen::Affine2d map = Eigen::Affine2d::Identity();
  if (layer == 0) {
    const Vec2 shake = plan_.shake_px * Vec2(std::sin(0.71 * time) - std::sin(0.31 * time), std::sin(0.53 * time + 1) - std::sin(1.0));
    map.translate(middle + (t - 0.5) * plan_.pan_px + plan_.swing_px * std::sin(3.14159265 * t) * Vec2(1, 0.15) + shake);
    map.rotate((t - 0.5) * plan_.roll_rad);
    map.scale((1 + (plan_.zoom - 1) * t) / kFine);
  } else {
    // Movers share mover_share of the picture between them and cross it, each its own way.
    const double side = std::sqrt(plan_.mover_share / kMovers * plan_.width * plan_.height);
    const double phase = 2.1 * layer;
    map.translate(middle + Vec2(0.34 * plan_.width * std::sin(phase + 1.9 * t), 0.24 * plan_.height * std::cos(1.7 * phase + 2.6 * t)));
    map.rotate(0.25 * std::sin(phase + 3 * t));
    map.scale(side / kMoverSide);
  }
  map.translate(-texture_middle);
  return map;
}

int PlaneShot::layerAt(int frame, const Vec2& place) const {
  for (int layer = static_cast<int>(textures_.size()) - 1; layer > 0; --layer) {
    const Vec2 at = pictureFromLayer(layer, frame - 1).inverse() * place;
    if (at.minCoeff() >= 0 && at.maxCoeff() <= kMoverSide) return layer;
  }
  return 0;
}

Vec2 PlaneShot::carry(int layer, int from, int to, const Vec2& place) const {
  return pictureFromLayer(layer, to - 1) * (pictureFromLayer(layer, from - 1).inverse() * place);
}

Result<Frame> PlaneShot::read(int number, FrameUse) {
  const int w = plan_.width, h = plan_.height, moments = plan_.shutter > 0 ? 7 : 1, n = 3;
  std::vector<std::vector<Eigen::Affine2d>> maps;  // by moment and layer
  for (int m = 0; m < moments; ++m) {
    const double time = number - 1 + plan_.shutter * ((m + 0.5) / moments - 0.5);
    maps.emplace_back();
    for (std::size_t layer = 0; layer < textures_.size(); ++layer) maps.back().push_back(pictureFromLayer(static_cast<int>(layer), time).inverse());
  }
  Frame frame;
  frame.number = number;
  frame.luma = FloatPlane(w, h);
  parallelFor(h, [&](int y) {
    Random random(static_cast<std::uint64_t>(plan_.seed) * 7919 + static_cast<std::uint64_t>(number) * 10007 + static_cast<std::uint64_t>(y));
    for (int x = 0; x < w; ++x) {
      double sum = 0;
      for (const auto& map : maps) {
        for (int s = 0; s < n * n; ++s) {
          const Vec2 place(x + (s % n + 0.5) / n, y + (s / n + 0.5) / n);
          std::size_t layer = textures_.size() - 1;
          Vec2 at = map[layer] * place;
          while (layer > 0 && !(at.minCoeff() >= 0 && at.maxCoeff() <= kMoverSide)) at = map[--layer] * place;
          sum += sampleLinear(textures_[layer], static_cast<float>(at.x()), static_cast<float>(at.y()));
        }
      }
      const double grey = sum / (moments * n * n) + plan_.noise * random.normal();
      frame.luma.at(x, y) = static_cast<float>(std::round(std::clamp(grey, 0.0, 255.0)));
    }
  });
  frame.picture = Picture(w, h);
  for (std::size_t i = 0; i < frame.luma.data.size(); ++i) {
    const auto v = static_cast<std::uint8_t>(frame.luma.data[i]);
    frame.picture.data[i] = {v, v, v};
  }
  return frame;
}

bool PlaneShot::write(const std::string& folder) {
  for (int number = 1; number <= plan_.frames; ++number) {
    const std::string file = fmt::format("{}/shot.{:04d}.png", folder, number);
    const auto out = OIIO::ImageOutput::create(file);
    if (!out || !out->open(file, OIIO::ImageSpec(plan_.width, plan_.height, 3, OIIO::TypeDesc::UINT8))) return false;
    if (!out->write_image(OIIO::TypeDesc::UINT8, read(number)->picture.data.data()) || !out->close()) return false;
  }
  return true;
}

}  // namespace dusky::testing
