#include <fmt/core.h>
#include <fmt/ranges.h>
#include <Eigen/Dense>
#include "core/geometry/align.h"
#include "core/media/footage.h"
#include "core/solve/solve_camera.h"
#include "core/track/follow_features.h"
#include "tests/support/shot_maker.h"
using namespace dusky;
int main(int argc, char** argv) {
  std::unique_ptr<FrameSource> src;
  const testing::ShotTruth* truth = nullptr;
  std::unique_ptr<testing::MadeShot> made;
  if (argc > 1 && std::isdigit(argv[1][0])) {
    Stopwatch w;
    made = std::make_unique<testing::MadeShot>(testing::planShot(static_cast<testing::ShotKind>(atoi(argv[1]))));
    truth = &made->truth();
    fmt::print("made in {:.2f}s, {} points\n", w.seconds(), truth->points.size());
  } else { auto s = openFootage(argv[1]); if (!s.ok()) { fmt::print("{}\n", s.error().message); return 2; } src = std::move(*s); }
  FrameSource& source = made ? *made : *src;
  auto tracks = followFeatures(source, {}, {});
  if (!tracks.ok()) { fmt::print("{}\n", tracks.error().message); return 2; }
  fmt::print("tracks {} median life {} decode {:.2f} track {:.2f} total {:.2f}\n", (*tracks)->tracks.size(), (*tracks)->medianLife(), (*tracks)->summary.decode_s, (*tracks)->summary.track_s, (*tracks)->summary.total_s);
  int stops[4] = {};
  for (auto& t : (*tracks)->tracks) ++stops[(int)t.stop];
  fmt::print("stops end {} left {} lost {} drift {}\n", stops[0], stops[1], stops[2], stops[3]);
  Progress p([](const ProgressState& s) { static std::string last; if (s.what != last) { last = s.what; fmt::print(stderr, "  {:.2f} {}\n", s.fraction, s.what); } }, {});
  auto solved = solveCamera(**tracks, {}, p);
  if (!solved.ok()) { fmt::print("{}\n", solved.error().message); return 4; }
  const Solution& s = **solved;
  fmt::print("placed {}/{} kept {} rms {:.3f} holdout {:.3f} ({}/{}) tol {:.2f} rounds {} in {:.2f}s\n", s.placedFrames(), s.frames.size(), s.keptTracks(), s.rms_px, s.holdout_rms_px, s.summary.holdout_kept, s.summary.holdout_tracks, s.summary.tolerance_px, s.summary.rounds, s.summary.total_s);
  fmt::print("lens {}\nsigma {}\n", s.lens.parameters(), s.lens_sigma);
  for (auto& st : s.staircase) fmt::print("  {} rms {:.4f} holdout {:.4f} {}\n", st.released, st.rms_px, st.holdout_rms_px, st.kept);
  for (auto& w : s.summary.warnings) fmt::print("! {}\n", w);
  if (truth) {
    std::vector<Pose> a, b;
    for (std::size_t i = 0; i < s.frames.size(); ++i) if (s.frames[i].placed) a.push_back(truth->poses[i]), b.push_back(s.frames[i].pose);
    auto fit = alignPaths(a, b);
    double sum = 0; int n = 0; double cs = 0, spread = 0; Vec3 mean = Vec3::Zero();
    for (auto& x : a) mean += x.centre / double(a.size());
    for (std::size_t i = 0; i < a.size(); ++i) cs += ((*fit * a[i].centre) - b[i].centre).squaredNorm() / fit->scale / fit->scale, spread += (a[i].centre - mean).squaredNorm();
    for (std::size_t k = 0; k < truth->points.size(); ++k) for (int f : truth->visible[k]) {
      auto* sf = s.frameAt(f); if (!sf || !sf->placed) continue;
      Vec3 q = sf->pose.toCamera(*fit * truth->points[k]);
      Vec2 got = s.lens.distort(q.hnormalized());
      Vec3 tq = truth->poses[f - 1].toCamera(truth->points[k]);
      Vec2 want = truth->lenses[f - 1].distort(tq.hnormalized());
      sum += (got - want).squaredNorm(); ++n;
    }
    fmt::print("insert slip {:.3f} px over {}, centre err {:.5f}, of spread {:.4f}; focal {:.2f}%\n", std::sqrt(sum / n), n, std::sqrt(cs / double(a.size())), std::sqrt(spread / double(a.size())), 100 * (s.lens.focal_px / truth->lenses[0].focal_px - 1));
  }
}
