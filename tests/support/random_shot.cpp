#include "tests/support/random_shot.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>

#include "core/base/random.h"

namespace dusky::testing {
namespace {

const Eigen::Quaterniond kLevel(0, 1, 0, 0);  // looks along -Z, upright

Pose lookingAt(const Vec3& from, const Vec3& at) {
  const Vec3 ahead = (at - from).normalized(), right = ahead.cross(Vec3::UnitY()).normalized();
  Mat3 axes;
  axes << right, ahead.cross(right), ahead;
  return {Eigen::Quaterniond(axes), from};
}

/// What a hand or a head adds: sums of sines, smooth from frame to frame.
struct Shake {
  double amount_rad, amount, phase[6], rate[6];
  Shake(Random& random, double rad, double distance) : amount_rad(rad), amount(distance) {
    for (int i = 0; i < 6; ++i) phase[i] = random.between(0, 6.3), rate[i] = random.between(0.1, 0.9);
  }
  double at(int i, double t) const { return std::sin(phase[i] + rate[i] * t); }
  Pose add(const Pose& pose, double t) const {
    return {(pose.world_from_camera * rotationFromVector(amount_rad * Vec3(at(0, t), at(1, t), 0.5 * at(2, t)))).normalized(),
            pose.centre + amount * Vec3(at(3, t), at(4, t), at(5, t))};
  }
};

double eased(double t) { return t <= 0 ? 0 : t >= 1 ? 1 : t * t * (3 - 2 * t); }

/// Things at all depths between two, where a ray may meet any.
std::function<std::optional<Vec3>(const Vec3&, const Vec3&)> scattered(double near, double far, std::uint64_t seed) {
  auto random = std::make_shared<Random>(seed);
  return [random, near, far](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> {
    return from + 1 / random->between(1 / far, 1 / near) * ray.normalized();
  };
}

std::function<std::optional<Vec3>(const Vec3&, const Vec3&)> wall(double distance, double bumps, std::uint64_t seed) {
  auto random = std::make_shared<Random>(seed);
  return [=](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> {
    if (ray.z() > -0.05) return std::nullopt;
    const Vec3 point = from + (-distance - from.z()) / ray.z() * ray;
    return Vec3(point + bumps * random->normal() * Vec3::UnitZ());
  };
}

void setMove(RandomShot& shot, Random& random) {
  SyntheticPlan& plan = shot.plan;
  static const std::vector<std::string> kinds = {"walk", "orbit", "dolly", "crane", "small move", "tripod", "off nodal", "flat wall", "long walk"};
  shot.kind = kinds[static_cast<std::size_t>(random.index(static_cast<int>(kinds.size())))];
  const double last = plan.frames - 1.0, hand = random.between(0.002, 0.012);
  const bool on_hand = shot.kind == "walk" || shot.kind == "orbit" || shot.kind == "small move" || shot.kind == "long walk" || random.uniform() < 0.3;
  const Shake shake(random, on_hand ? hand : 0.0005, on_hand ? random.between(0.005, 0.03) : 0.0005);
  const double pan = random.between(-0.5, 0.5), tilt = random.between(-0.15, 0.15), size = random.between(0.5, 1.5);
  const auto from = [shake](const std::function<Pose(double)>& move) { return [shake, move](int i) { return shake.add(move(i), i); }; };
  const auto turned = [=](double t) {
    return (rotationFromVector(Vec3(0, pan * eased(t / last), 0)) * kLevel * rotationFromVector(Vec3(tilt * t / last, 0, 0))).normalized();
  };
  if (shot.kind == "walk" || shot.kind == "long walk") {
    if (shot.kind == "long walk") plan.frames = 150 + random.index(151);
    const double step = random.between(0.03, 0.1), weave = random.between(0, 0.004);
    plan.path = from([=](double t) {
      return Pose{(rotationFromVector(Vec3(0, weave * 20 * std::sin(0.03 * t), 0)) * kLevel).normalized(),
                  Vec3(weave * 40 * std::cos(0.03 * t), 1.6, -step * t)};
    });
  } else if (shot.kind == "orbit") {
    const double radius = random.between(3, 6), sweep = random.between(0.4, 2.4), height = random.between(0.5, 2);
    plan.path = from([=](double t) {
      const double a = sweep * (t / last - 0.5);
      return lookingAt(radius * Vec3(std::sin(a), 0, std::cos(a)) + Vec3(0, height, 0), Vec3(0, 0.5, 0));
    });
    plan.set = scattered(0.5 * radius, 2.2 * radius, plan.seed);
  } else if (shot.kind == "dolly") {
    const Vec3 way = size * Vec3(random.between(-1, 1), 0, random.between(-1.5, 0.5));
    plan.path = from([=](double t) { return Pose{turned(0), Vec3(0, 1.5, 0) + eased(t / last) * way}; });
    plan.set = scattered(2, 12, plan.seed);
  } else if (shot.kind == "crane") {
    plan.path = from([=](double t) { return lookingAt(Vec3(0.4 * size * t / last, 0.8 + 2 * size * eased(t / last), 5), Vec3(0, 0.6, -1)); });
    plan.set = scattered(2.5, 14, plan.seed);
  } else if (shot.kind == "small move") {
    const Vec3 way = random.between(0.05, 0.3) * Vec3(random.between(-1, 1), random.between(-0.3, 0.3), random.between(-0.6, 0.6)).normalized();
    plan.path = from([=](double t) { return Pose{turned(0.4 * t), Vec3(0, 1.5, 0) + eased(t / last) * way}; });
    plan.set = scattered(2, 10, plan.seed);
  } else if (shot.kind == "tripod" || shot.kind == "off nodal") {
    const double arm = shot.kind == "tripod" ? 0 : random.between(0.02, 0.12);
    const Shake still(random, 0.0003, 0);
    plan.path = [=](int i) {
      const Eigen::Quaterniond turn = turned(i);
      return still.add({turn, Vec3(0, 1.6, 0) + arm * (turn * Vec3::UnitZ())}, i);
    };
    plan.set = scattered(2, 15, plan.seed);
  } else {
    const Vec3 way = size * Vec3(random.between(-1, 1), random.between(-0.3, 0.3), random.between(-1, 0.3));
    plan.path = from([=](double t) { return Pose{turned(0.5 * t), Vec3(0, 1.5, 0) + eased(t / last) * way}; });
    plan.set = wall(random.between(3, 7), random.uniform() < 0.5 ? 0 : random.between(0.02, 0.4), plan.seed);
  }
}

void setTrouble(RandomShot& shot, Random& random) {
  SyntheticPlan& plan = shot.plan;
  if (random.uniform() < 0.6) plan.outlier_share = random.between(0, 0.2);
  if (random.uniform() < 0.2) plan.slide_share = random.between(0.03, 0.2), plan.slide_px = random.between(0.3, 3);
  if (random.uniform() < 0.2) {
    plan.mover_share = random.between(0.1, 0.25);
    const Vec3 velocity = random.between(0.003, 0.03) * Vec3(random.normal(), 0.2 * random.normal(), random.normal());
    const double spin = random.between(-0.01, 0.01);
    plan.mover = [=](int i) { return Pose{rotationFromVector(Vec3(0, spin * i, 0)), i * velocity}; };
  }
  if (random.uniform() < 0.3) {
    shot.zoom = std::exp(random.between(std::log(1.06), std::log(2.4)));
    const double begin = random.between(-0.2, 0.5), length = random.between(0.3, 1), last = plan.frames - 1, focal = plan.lens.focal_px;
    const bool in = random.uniform() < 0.5;
    plan.focal_px = [=, zoom = shot.zoom](int i) {
      const double share = eased((i / last - begin) / length);
      return focal * std::pow(zoom, (in ? share : 1 - share) - 0.5);
    };
  }
  if (random.uniform() < 0.25) plan.readout = random.between(0.25, 0.4);
}

/// What came to the world of this study later, drawn apart so that the shot of a seed stays otherwise what it was.
void setMoreTrouble(RandomShot& shot, Random random) {
  SyntheticPlan& plan = shot.plan;
  if (plan.mover && random.uniform() < 0.3) {
    const Vec3 velocity = random.between(0.003, 0.03) * Vec3(random.normal(), 0.2 * random.normal(), random.normal());
    plan.mover_share = std::min(0.35, 1.5 * plan.mover_share);
    plan.other_mover = [=](int i) { return Pose{Eigen::Quaterniond::Identity(), i * velocity}; };
  }
  if (!plan.focal_px && random.uniform() < 0.1) {
    shot.breathes = random.between(0.003, 0.015);
    const double from = random.between(0.1, 0.6), length = random.between(0.1, 0.3), last = plan.frames - 1, focal = plan.lens.focal_px;
    plan.focal_px = [=, share = shot.breathes](int i) { return focal * (1 + share * eased((i / last - from) / length)); };
  }
  if (plan.readout == 0 && random.uniform() < 0.1) {
    shot.halts = plan.frames / 5 + random.index(plan.frames / 5);
    const int from = plan.frames / 5 + random.index(plan.frames / 3), frames = shot.halts;
    plan.path = [from, frames, path = plan.path](int i) { return path(i < from ? i : i < from + frames ? from : i - frames); };
  }
  if (random.uniform() < 0.1) plan.gap_from = random.index(plan.frames), plan.gap_frames = 4 + random.index(12);
}

}  // namespace

std::string RandomShot::text() const {
  return fmt::format(
      "{:10} {:3} frames, lives {:2}, noise {:.2f}, wander {:2.0f} %, slide {:2.0f} % {:.1f} px, mover {:2.0f} % {}, zoom {:.2f}, readout {:.2f}, breathes "
      "{:.3f}, "
      "halts {}, gap {}",
      kind, plan.frames, plan.life, plan.noise_px, 100 * plan.outlier_share, 100 * plan.slide_share, plan.slide_px, 100 * plan.mover_share,
      plan.other_mover ? 2
      : plan.mover     ? 1
                       : 0,
      zoom, plan.readout, breathes, halts, plan.gap_frames);
}

RandomShot randomShot(std::uint64_t seed) {
  Random random(seed);
  RandomShot shot;
  SyntheticPlan& plan = shot.plan;
  plan.seed = seed;
  plan.frames = 45 + random.index(136);
  plan.life = random.uniform() < 0.3 ? 12 + random.index(10) : 20 + random.index(61);
  plan.noise_px = std::exp(random.between(std::log(0.04), std::log(0.5)));
  static const std::vector<std::pair<int, int>> sizes = {{1280, 720}, {1920, 1080}, {960, 540}};
  const auto [width, height] = sizes[static_cast<std::size_t>(random.index(3))];
  plan.lens = Lens::simple(width, height, random.between(0.6, 1.7) * width);
  plan.lens.k1() = random.between(-0.15, 0.04);
  setMove(shot, random);
  plan.points = std::min(6000, static_cast<int>(random.between(90, 220) * plan.frames / std::min(plan.life, plan.frames) * 1.5));
  setTrouble(shot, random);
  setMoreTrouble(shot, Random(seed + 77));
  return shot;
}

}  // namespace dusky::testing
