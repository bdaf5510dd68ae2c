// How level a scene comes out that nobody placed: random paths and sets, solved without an error, against true gravity.
//   build/release/bench/up_study [shots [first seed]]
#include <fmt/format.h>

#include <cstdlib>
#include <map>
#include <memory>

#include "core/base/numbers.h"
#include "core/base/random.h"
#include "core/scene/scene.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
namespace {

using Meet = std::function<std::optional<Vec3>(const Vec3&, const Vec3&)>;

struct Wall {
  Vec3 normal;
  double offset;
};

/// Ground that may slope and be bumpy, walls, and things in between.
Meet drawSet(Random& random, std::string& kind, std::uint64_t seed) {
  static const std::vector<std::string> kKinds = {"street", "rough ground", "slope", "room", "wall", "scattered"};
  kind = kKinds[static_cast<std::size_t>(random.index(static_cast<int>(kKinds.size())))];
  const double slope = kind == "slope" ? random.between(2, 7) : kind == "rough ground" ? random.between(0, 2) : random.between(0, 0.4);
  const double bumps = kind == "rough ground" ? random.between(0.05, 0.25) : kind == "slope" ? 0.04 : 0.005;
  const double way = random.between(0, 6.28), rad = slope * M_PI / 180;
  const Vec3 ground = Vec3(std::sin(rad) * std::cos(way), std::cos(rad), std::sin(rad) * std::sin(way));
  std::vector<Wall> walls;
  const int count = kind == "room" ? 2 + random.index(2) : kind == "wall" || random.uniform() < 0.3 ? 1 : 0;
  for (int k = 0; k < count; ++k) {
    const double a = random.between(-0.5, 0.5) + k * M_PI / 2;
    walls.push_back({Vec3(std::sin(a), 0, std::cos(a)), -random.between(4, 8)});
  }
  const double free_share = kind == "scattered" ? 1 : random.between(0.1, 0.4);
  const bool no_ground = kind == "wall" || kind == "scattered";
  auto draw = std::make_shared<Random>(seed + 77);
  return [=](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> {
    if (draw->uniform() < free_share) return from + draw->between(2, 12) * ray.normalized();
    double nearest = 14;
    bool on_ground = false;
    const double towards = ground.dot(ray);
    if (!no_ground && towards < -1e-3 && -ground.dot(from) / towards < nearest) nearest = -ground.dot(from) / towards, on_ground = true;
    for (const Wall& wall : walls) {
      const double depth = (wall.offset - wall.normal.dot(from)) / wall.normal.dot(ray);
      if (depth > 0.5 && depth < nearest) nearest = depth, on_ground = false;
    }
    if (nearest >= 14) return std::nullopt;
    const Vec3 point = from + nearest * ray;
    return on_ground ? Vec3(point + bumps * draw->normal() * ground) : point;
  };
}

SyntheticPlan drawPlan(std::uint64_t seed, std::string& kind) {
  Random random(seed);
  SyntheticPlan plan{.frames = 60, .points = 300, .noise_px = 0.3, .seed = seed};
  plan.set = drawSet(random, kind, seed);
  const double pitch = random.between(-0.6, 0.25), roll = 0.03 * random.normal(), pan = random.between(-0.8, 0.8), height = random.between(0.5, 3);
  const double shake = random.between(0, 0.02), climb = random.uniform() < 0.2 ? random.between(-1, 1) : 0;
  const Vec3 way(random.between(-1.5, 1.5), climb, random.between(-2, 0.5));
  plan.path = [=](int i) {
    const double t = i / 59.0;
    const Eigen::Quaterniond level(0, 1, 0, 0);
    const Eigen::Quaterniond look = rotationFromVector(Vec3(0, pan * t, 0)) * level * rotationFromVector(Vec3(pitch + shake * std::sin(0.7 * i), 0, 0)) *
                                    rotationFromVector(Vec3(0, 0, roll + shake * std::sin(0.4 * i)));
    return Pose{look.normalized(), Vec3(0, height, 0) + t * way + 0.02 * Vec3(0, std::sin(0.9 * i), 0)};
  };
  return plan;
}

}  // namespace

void study(int shots, std::uint64_t first) {
  std::map<std::string, std::vector<double>> off;
  int within = 0;
  for (int k = 0; k < shots; ++k) {
    std::string kind;
    const SyntheticShot shot = makeSyntheticShot(drawPlan(first + static_cast<std::uint64_t>(k), kind));
    const auto scene = orientScene(perfectSolution(shot), {});
    if (!scene.ok()) continue;
    const double degrees = std::acos(std::min(1.0, (scene->scene_from_solve.rotation * Vec3::UnitY()).y())) * 180 / M_PI;
    off[kind].push_back(degrees), off["all"].push_back(degrees);
    within += degrees < 2 * scene->sigma_up_rad * 180 / M_PI;
  }
  for (auto& [kind, all] : off) {
    std::sort(all.begin(), all.end());
    const auto at = [&all](double share) { return all[static_cast<std::size_t>(share * static_cast<double>(all.size() - 1))]; };
    const auto over = std::count_if(all.begin(), all.end(), [](double d) { return d > 3; });
    fmt::print("{:14} {:4} shots: median {:.2f}°, nine of ten {:.2f}°, worst {:.1f}°, over 3°: {}\n", kind, all.size(), at(0.5), at(0.9), all.back(), over);
  }
  fmt::print("within two deviations: {} of {}\n", within, shots);
}

}  // namespace dusky::testing

int main(int argc, char** argv) { dusky::testing::study(argc > 1 ? std::atoi(argv[1]) : 200, argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1); }
