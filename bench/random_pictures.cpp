#include "bench/random_pictures.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/random.h"

namespace dusky::testing {

std::string RandomPictures::text() const {
  return fmt::format("{:8} {:3} frames, noise {:.1f}, k1 {:.2f}, readout {:.2f}, blur {:.2f}, zoom {:.2f}, breathes {:.3f}, movers {}, glossy {}", kind,
                     plan.frames, plan.noise, plan.lens.k1(), plan.readout, plan.shutter, zoom, breathes, movers, glossy);
}

namespace {

double eased(double t) { return t <= 0 ? 0 : t >= 1 ? 1 : t * t * (3 - 2 * t); }

void addTrouble(RandomPictures& shot, Random& random) {
  ShotPlan& plan = shot.plan;
  if (random.uniform() < 0.35) plan.readout = random.between(0.2, 0.7);
  if (random.uniform() < 0.4) plan.shutter = random.between(0.2, 0.5), plan.blur_samples = 4;
  const double focal = plan.lens.focal_px, from = random.between(0, 0.4), length = random.between(0.3, 0.6);
  if (shot.kind == "zoom" || random.uniform() < 0.15) {
    shot.zoom = random.between(1.1, 1.8);
    plan.focal_px = [=, zoom = shot.zoom](double t) { return focal * std::pow(zoom, eased((t - from) / length) - 0.5); };
  } else if (random.uniform() < 0.2) {
    shot.breathes = random.between(0.003, 0.015);
    plan.focal_px = [=, share = shot.breathes](double t) { return focal * (1 + share * eased((t - from) / length)); };
  }
  if (shot.kind == "moving" || random.uniform() < 0.2) {
    shot.movers = 1 + random.index(2);
    for (int i = 0; i < shot.movers; ++i) {
      const Vec3 half(random.between(0.3, 0.7), random.between(0.6, 1.0), random.between(0.3, 0.6));
      plan.boxes.push_back({Vec3(random.between(-2, 2), half.y(), random.between(-1.5, 0.5)), half, 0.3, 40 + i,
                            Vec3(random.between(-0.05, 0.05), 0, random.between(-0.02, 0.02))});
    }
  }
  for (Box& box : plan.boxes) {
    if (random.uniform() < 0.12) box.gloss = random.between(0.4, 0.9), ++shot.glossy;
  }
}

}  // namespace

RandomPictures randomPictures(std::uint64_t seed) {
  Random random(seed);
  static const std::vector<std::pair<std::string, ShotKind>> kinds = {{"free", ShotKind::Free},   {"dolly", ShotKind::Dolly},   {"orbit", ShotKind::Orbit},
                                                                      {"nodal", ShotKind::Nodal}, {"planar", ShotKind::Planar}, {"moving", ShotKind::Moving},
                                                                      {"zoom", ShotKind::Zoom}};
  const auto& [name, kind] = kinds[static_cast<std::size_t>(random.index(static_cast<int>(kinds.size())))];
  RandomPictures shot{.kind = name, .plan = planShot(kind)};
  shot.plan.focal_px = nullptr;
  shot.plan.frames = 30 + random.index(31), shot.plan.seed = static_cast<int>(seed);
  shot.plan.noise = random.between(0.5, 4);
  shot.plan.lens.focal_px = random.between(420, 900), shot.plan.lens.k1() = random.between(-0.12, 0.03);
  // How far it goes, and which way.
  const double size = random.between(0.3, 1.1), sway = random.between(0, 0.02);
  const Vec3 phase(random.between(0, 6), random.between(0, 6), random.between(0, 6));
  const bool nodal = kind == ShotKind::Nodal;
  shot.plan.path = [=, path = shot.plan.path](double t) {
    Pose pose = path(0.5 + size * (t - 0.5));
    if (nodal) return pose;
    pose.world_from_camera = pose.world_from_camera * rotationFromVector(sway * Vec3(std::sin(17 * t + phase.x()), std::sin(13 * t + phase.y()), 0));
    return pose;
  };
  addTrouble(shot, random);
  return shot;
}

}  // namespace dusky::testing
