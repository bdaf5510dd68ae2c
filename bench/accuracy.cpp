// The figures of docs/accuracy.md: made-up shots of every usual motion, tracked and solved, judged by their exact truth.
//   build/release/bench/accuracy [seeds [shot [stairs]]]
#include <fmt/format.h>

#include <cmath>

#include "core/solve/solve_shot.h"
#include "core/pipeline/steps.h"
#include "tests/support/judge_by_truth.h"

namespace {
using namespace dusky;

struct Named {
  const char* name;
  testing::ShotKind kind;
  std::function<void(testing::ShotPlan&)> change;  ///< Unset: as it is.
  SolveOptions options = {};
};

/// The staircase behind a line: what was released, what it changed, why it stayed or not.
void stairs(const Solution& solution) {
  for (const StaircaseStep& s : solution.staircase) {
    fmt::print("    {:16} RMS {:.5f} -> {:.5f}, holdout {:.5f} -> {:.5f} px, {}: {}\n", s.released, s.rms_before_px, s.rms_px, s.holdout_before_px,
               s.holdout_rms_px, s.kept ? "kept" : "put back", s.why);
  }
}

void line(const Named& shot, int seed, bool with_stairs) {
  testing::ShotPlan plan = testing::planShot(shot.kind);
  plan.frames = 48;
  if (shot.change) shot.change(plan);
  plan.seed = seed;
  testing::MadeShot made(plan);
  const Stopwatch watch;
  const auto tracks = followFeatures(made, {}, {});
  if (!tracks.ok()) return fmt::print("{:10} {}\n", shot.name, tracks.error().message);
  SolveOptions options = shot.options;
  options.seed = seed;
  const auto solved = solveShot(**tracks, options, {});
  if (!solved.ok()) return fmt::print("{:10} {:4} {}\n", shot.name, seed, solved.error().message);
  const double seconds = watch.seconds();
  const auto c = testing::judgeByTruth(made, **solved);
  if (!c.ok()) return fmt::print("{:10} {}\n", shot.name, c.error().message);
  fmt::print("{:10} {:4} {:3}/{:<3} {:6}/{:<6} {:7.3f} {:8.3f} {:7.3f} {:7.3f} {:8.5f} {:8.2f} {:7.1f}\n", shot.name, seed, c->frames_solved, c->frames_true,
             (*solved)->keptTracks(), (*solved)->tracks.size(), (*solved)->rms_px, (*solved)->holdout_rms_px, c->slip_rms_px, c->slip_p95_px,
             c->centre_rms / c->path_length, 100 * c->focal_error_share, seconds);
  if (with_stairs) stairs(**solved);
}

}  // namespace

int main(int argc, char** argv) {
  const int seeds = argc > 1 ? std::atoi(argv[1]) : 1;
  using enum testing::ShotKind;
  using testing::ShotPlan;
  const auto walk = [](ShotPlan& plan) {
    // Along the set and then a turn of ninety degrees: nothing of the first frames is left in the last.
    plan.frames = 110;
    plan.path = [](double t) {
      const Eigen::Quaterniond level(0, 1, 0, 0);
      const double yaw = -0.5 + 1.6 * t;
      const Vec3 shake(0.02 * std::sin(40 * t), 0.02 * std::sin(57 * t), 0.02 * std::sin(33 * t));
      return Pose{(rotationFromVector(Vec3(0, -yaw, 0)) * rotationFromVector(Vec3(-0.15, 0, 0.02 * std::sin(23 * t))) * level).normalized(),
                  Vec3(-4 + 5 * t, 1.7, 3.5 - 2.5 * t) + shake};
    };
  };
  const auto fisheye = [](ShotPlan& p) {
    p.lens = Lens::simple(p.width, p.height, 0.5 * p.width / (75 * M_PI / 180), LensModel::Fisheye);
    p.lens.coefficients[0] = -0.02;
  };
  const auto anamorphic = [](ShotPlan& p) {
    p.lens = Lens::simple(p.width, p.height, 400, LensModel::Anamorphic);
    p.lens.coefficients = {2.0, 0.004, -0.05, -0.02, 0, 0, 0, -0.02, -0.06};
  };
  const std::vector<Named> shots = {
      {"free", Free},
      {"dolly", Dolly},
      {"orbit", Orbit},
      {"planar", Planar},
      {"moving", Moving},
      {"nodal", Nodal},
      {"still", Still},
      {"zoom", Zoom, {}, {.focal = FocalKnowledge::Zoom}},
      {"zoom x2", Free, [](ShotPlan& p) { p.focal_px = [](double t) { return 450 * std::pow(2, t * t * (3 - 2 * t)); }; }, {.focal = FocalKnowledge::Zoom}},
      {"zoom, auto", Zoom},
      {"fisheye", Free, fisheye},
      {"anamorph", Free, anamorphic},
      {"pan", Nodal,
       [](ShotPlan& p) {
         p.path = [](double t) {
           const Eigen::Quaterniond level(0, 1, 0, 0);
           return Pose{(rotationFromVector(Vec3(0, 0.52 - 1.047 * t, 0)) * rotationFromVector(Vec3(-0.1 + 0.1 * std::sin(3 * t), 0, 0)) * level).normalized(),
                       Vec3(0, 1.7, 3)};
         };
       }},
      {"wide", Free,
       [](ShotPlan& p) {
         p.lens.focal_px = 400;
         p.lens.k1() = -0.15;
         p.lens.k2() = 0.03;
       }},
      {"tele", Orbit,
       [](ShotPlan& p) {
         p.lens.focal_px = 1500;
         p.lens.k1() = 0.2;
       }},
      {"barrel", Free,
       [](ShotPlan& p) {
         p.lens.k1() = -0.25;
         p.lens.k2() = 0.08;
         p.lens.p1() = 0.002;
         p.lens.cx_px += 8;
       }},
      {"noisy", Free, [](ShotPlan& p) { p.noise = 5; }},
      {"fast", Free, [](ShotPlan& p) { p.frames = 14; }},
      {"slow", Free, [](ShotPlan& p) { p.frames = 150; }},
      {"walk", Free, walk},
      {"small", Free, [](ShotPlan& p) {
         const auto path = p.path;
         p.path = [path](double t) { return path(0.4 + 0.12 * t); };
       }}};
  fmt::print("640x360, 48 frames unless said otherwise, sigma of noise 1 grey level\n{:10} {:4} {:7} {:13} {:7} {:8} {:7} {:7} {:8} {:8} {:7}\n", "shot",
             "seed", "frames", "tracks kept", "RMS px", "hold px", "slip px", "p95 px", "path err", "focal %", "s");
  const bool with_stairs = argc > 3 && std::string_view(argv[3]) == "stairs";
  for (const Named& shot : shots) {
    if (argc > 2 && shot.name != std::string_view(argv[2])) continue;
    for (int seed = 1; seed <= seeds; ++seed) line(shot, seed, with_stairs);
  }
}
