// What moving things cost a solve, and how evenly tracks fill the picture, on made-up shots with exact truth:
//   build/release/bench/movers [coverage | movers]
// Each shot of movers is solved without them, with them, and with them masked; judged by insert slip and by what the solve kept wrongly.
#include <fmt/format.h>

#include <algorithm>
#include <Eigen/Dense>
#include <cmath>

#include "core/mask/mask.h"
#include "core/solve/solve_shot.h"
#include "core/pipeline/steps.h"
#include "core/track/coverage.h"
#include "tests/support/judge_by_truth.h"

namespace {
using namespace dusky;
using testing::Box;
using testing::MadeShot;
using testing::ShotKind;
using testing::ShotPlan;

/// Closed outline of points. Source: Andrew, Information Processing Letters 9(5), 1979 (monotone chain).
std::vector<Vec2> hullOf(std::vector<Vec2> points) {
  std::sort(points.begin(), points.end(), [](const Vec2& a, const Vec2& b) { return std::pair(a.x(), a.y()) < std::pair(b.x(), b.y()); });
  std::vector<Vec2> hull;
  for (int half = 0; half < 2; ++half) {
    const std::size_t start = hull.size();
    for (const Vec2& p : points) {
      const auto turnsBack = [&] {
        const Vec2 a = hull[hull.size() - 1] - hull[hull.size() - 2], b = p - hull[hull.size() - 2];
        return a.x() * b.y() - a.y() * b.x() <= 0;
      };
      while (hull.size() >= start + 2 && turnsBack()) hull.pop_back();
      hull.push_back(p);
    }
    hull.pop_back();
    std::reverse(points.begin(), points.end());
  }
  return hull;
}

/// Leaves out where the moving boxes are.
class MoverMasks final : public FrameMasks {
 public:
  explicit MoverMasks(const MadeShot& shot) : shot_(shot) {}
  Result<LeftOut> leftOut(int frame) override {
    const ShotPlan& plan = shot_.plan();
    const auto index = static_cast<std::size_t>(frame - plan.first_frame);
    LeftOut all(plan.width, plan.height);
    for (const Box& box : plan.boxes) {
      if (box.velocity.norm() == 0) continue;
      std::vector<Vec2> corners;
      for (int k = 0; k < 8; ++k) {
        const Vec3 own((k & 1 ? 1 : -1) * box.half.x(), (k & 2 ? 1 : -1) * box.half.y(), (k & 4 ? 1 : -1) * box.half.z());
        const Vec3 world = box.centre + static_cast<double>(index) * box.velocity + Eigen::AngleAxisd(box.turn_rad, Vec3::UnitY()) * own;
        if (const auto p = project(shot_.truth().lenses[index], shot_.truth().poses[index], world)) corners.push_back(*p);
      }
      if (corners.size() < 8) continue;
      const auto area = grown(fillLine(hullOf(corners), plan.width, plan.height), 8);
      for (std::size_t i = 0; i < all.data.size(); ++i) all.data[i] |= area.data[i];
    }
    return all;
  }
  double share() {
    double sum = 0;
    for (int f = shot_.info().first; f <= shot_.info().last; ++f) {
      const auto out = leftOut(f);
      sum += static_cast<double>(std::count_if(out->data.begin(), out->data.end(), [](auto v) { return v != 0; })) / static_cast<double>(out->data.size());
    }
    return sum / shot_.info().frames();
  }

 private:
  const MadeShot& shot_;
};

/// Kept tracks that no still point explains: seen from the true cameras, the point nearest to all their rays lies over 1 px from a used place.
int wronglyKept(const MadeShot& shot, const TrackSet& tracks, const Solution& solution) {
  const auto at = [&](int frame) { return static_cast<std::size_t>(frame - shot.info().first); };
  int wrong = 0;
  for (const SolvedTrack& solved : solution.tracks) {
    if (solved.state != TrackState::Kept) continue;
    const Track& track = *tracks.find(solved.id);
    Mat3 normal = Mat3::Zero();
    Vec3 right = Vec3::Zero();
    for (const TrackError& e : solved.errors) {
      const auto& pose = shot.truth().poses[at(e.frame)];
      const auto ray = shot.truth().lenses[at(e.frame)].undistort(track.at(e.frame)->position);
      if (!e.used || !ray) continue;
      const Vec3 d = pose.direction(Vec3(ray->x(), ray->y(), 1)).normalized();
      const Mat3 across = Mat3::Identity() - d * d.transpose();
      normal += across, right += across * pose.centre;
    }
    const Vec3 point = normal.ldlt().solve(right);
    wrong += std::any_of(solved.errors.begin(), solved.errors.end(), [&](const TrackError& e) {
      const auto there = e.used ? project(shot.truth().lenses[at(e.frame)], shot.truth().poses[at(e.frame)], point) : std::nullopt;
      return e.used && (!there || (*there - track.at(e.frame)->position).norm() > 1);
    });
  }
  return wrong;
}

void solveAndPrint(const char* name, MadeShot& shot, FrameMasks* masks) {
  const auto tracks = followFeatures(shot, {}, {}, {.masks = masks});
  if (!tracks.ok()) return fmt::print("{:18} {}\n", name, tracks.error().message);
  const auto solved = solveShot(**tracks, {}, {});
  if (!solved.ok()) return fmt::print("{:18} {}\n", name, solved.error().message);
  const auto c = testing::judgeByTruth(shot, **solved);
  if (!c.ok()) return fmt::print("{:18} {}\n", name, c.error().message);
  const int wrong = wronglyKept(shot, **tracks, **solved), kept = (*solved)->keptTracks();
  fmt::print("{:18} {:3}/{:<3} {:6.3f} {:7.3f} {:6.2f} {:6} {:5} ({:.2f} %)\n", name, c->frames_solved, c->frames_true, (*solved)->rms_px, c->slip_rms_px,
             100 * c->focal_error_share, kept, wrong, 100.0 * wrong / std::max(1, kept));
}

/// Share of the cells with texture, judged in each frame by itself, that hold three tracks.
void printCoverage(const char* name, FrameSource& source) {
  const auto tracks = followFeatures(source, {}, {});
  if (!tracks.ok()) return fmt::print("{:18} {}\n", name, tracks.error().message);
  Coverage coverage = coverageOf(**tracks);
  coverage.textured.clear();
  for (const int frame : coverage.frames) {
    const auto cells = texturedCells(preparedPyramid(source.read(frame, FrameUse::Tracking)->luma), {});
    coverage.textured.insert(coverage.textured.end(), cells.begin(), cells.end());
  }
  double least = 1;
  for (int f = 0; f < static_cast<int>(coverage.frames.size()); ++f) {
    const double share = coverage.shareWith(3, f);
    if (share < least) least = share;
  }
  fmt::print("{:18} {:6.1f} % of cells and frames, {:6.1f} % in the worst frame\n", name, 100 * coverage.shareWith(3), 100 * least);
}

}  // namespace

int main(int argc, char** argv) {
  const bool only_coverage = argc > 1 && argv[1] == std::string_view("coverage");
  using enum ShotKind;
  if (!only_coverage) {
    fmt::print("{:18} {:7} {:6} {:7} {:6} {:6} {}\n", "shot", "frames", "RMS px", "slip px", "focal%", "kept", "kept wrongly (> 1 px)");
    for (const int seed : {5, 9, 14}) {
      ShotPlan clean = testing::planShot(Free);
      clean.frames = 48;
      clean.seed = seed;
      ShotPlan crowded = clean;
      crowded.boxes.push_back({Vec3(-2.2, 0.6, 0.8), Vec3(0.32, 0.6, 0.25), 0.3, 40, Vec3(0.05, 0, 0.004)});
      crowded.boxes.push_back({Vec3(2.4, 0.55, 0.2), Vec3(0.35, 0.55, 0.3), -0.4, 41, Vec3(-0.04, 0, 0.006)});
      crowded.boxes.push_back({Vec3(0.2, 0.4, 1.0), Vec3(0.22, 0.4, 0.2), 0.9, 42, Vec3(0.03, 0, -0.012)});
      MadeShot without(clean), with(crowded);
      MoverMasks masks(with);
      fmt::print("seed {}, movers and their masks cover {:.0f} % of the picture\n", seed, 100 * masks.share());
      solveAndPrint("without movers", without, nullptr);
      solveAndPrint("movers", with, nullptr);
      solveAndPrint("movers masked", with, &masks);
    }
  }
  if (argc > 1 && !only_coverage) return 0;
  fmt::print("coverage: at least 3 tracks\n");
  for (const auto& [name, kind] :
       {std::pair("free", Free), {"dolly", Dolly}, {"orbit", Orbit}, {"planar", Planar}, {"with an actor", Moving}, {"zoom", Zoom}, {"nodal", Nodal}}) {
    ShotPlan plan = testing::planShot(kind);
    plan.frames = 48;
    MadeShot shot(plan);
    printCoverage(name, shot);
  }
  if (auto demo = openFootage(DUSKY_DEMO_DATA "/ferry-landing.mp4"); demo.ok()) printCoverage("demo", **demo);
}
