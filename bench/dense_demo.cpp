// Dense points and their mesh of the solved demo shot against its own exact depth (demo-data/README.md).
//   build/release/bench/dense_demo PROJECT.moth [quality: draft, good, fine]
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/atomic_file.h"
#include "core/base/numbers.h"
#include "core/geometry/align.h"
#include "core/lens/lens.h"
#include "core/media/write_picture.h"
#include "core/mesh/mesh_surface.h"
#include "core/pipeline/workspace.h"

namespace dusky {
namespace {

using Json = nlohmann::json;

constexpr int kWide = 160, kHigh = 90, kStep = 8;
constexpr std::array<int, 9> kFrames = {1, 15, 30, 45, 60, 75, 90, 105, 120};

struct Truth {
  std::map<int, Pose> poses;
  Lens lens;
  std::map<int, Plane<float>> depths;  ///< Metres; 0: not known.
};

Truth readTruth() {
  Truth truth;
  const Json json = Json::parse(*readFile(DUSKY_DEMO_DATA "/ferry-landing.truth.json"));
  const Json& p = json["cameras"]["A"]["lens"]["parameters"];
  truth.lens = Lens::simple(1280, 720, p["focal_px"].get<double>());
  truth.lens.cx_px = p["cx_px"].get<double>(), truth.lens.cy_px = p["cy_px"].get<double>();
  truth.lens.k1() = p["k1"].get<double>(), truth.lens.k2() = p["k2"].get<double>(), truth.lens.p1() = p["p1"].get<double>(),
  truth.lens.p2() = p["p2"].get<double>();
  for (const Json& frame : json["frames"]) {
    Mat3 turn;
    Vec3 centre;
    for (int r = 0; r < 3; ++r) {
      for (int c = 0; c < 3; ++c) turn(r, c) = frame["world_from_camera"][r][c].get<double>();
      centre[r] = frame["world_from_camera"][r][3].get<double>();
    }
    truth.poses[frame["frame"].get<int>()] = {Eigen::Quaterniond(turn), centre};
  }
  const auto picture = readStoredPicture(DUSKY_DEMO_DATA "/ferry-landing.depth.png");
  if (!picture.ok()) throw std::runtime_error(picture.error().message);
  for (std::size_t f = 0; f < kFrames.size(); ++f) {
    Plane<float> depth(kWide, kHigh);
    for (int y = 0; y < kHigh; ++y)
      for (int x = 0; x < kWide; ++x) {
        const std::size_t at = (f * kHigh + static_cast<std::size_t>(y)) * kWide + static_cast<std::size_t>(x);
        depth.at(x, y) = 65.535F * picture->values[at * picture->channels.size()];
      }
    truth.depths[kFrames[f]] = std::move(depth);
  }
  return truth;
}

/// Depth where the truth is known at a pixel of the grid, a little aside of it: on a plane the inverse depth changes evenly over the picture; where neighbours
/// say that nothing is plain there, that of the pixel itself.
float depthAside(const Plane<float>& depths, int x, int y, const Vec2& aside_px) {
  constexpr float kEven = 0.003F;
  const float here = depths.at(x, y);
  if (x < 1 || y < 1 || x + 1 >= kWide || y + 1 >= kHigh) return here;
  const float left = 1 / depths.at(x - 1, y), right = 1 / depths.at(x + 1, y), above = 1 / depths.at(x, y - 1), below = 1 / depths.at(x, y + 1);
  const bool plain = std::abs((left + right) * here / 2 - 1) < kEven && std::abs((above + below) * here / 2 - 1) < kEven;  // never of an unknown neighbour
  if (!plain) return here;
  const double inverse = 1 / static_cast<double>(here) + aside_px.x() * static_cast<double>(right - left) / (2 * kStep) +
                         aside_px.y() * static_cast<double>(below - above) / (2 * kStep);
  return static_cast<float>(1 / inverse);
}

/// Complete: a point within 1 % is seen within 2 px of a pixel of the grid. Accurate: of points seen within half a px of such a pixel.
/// Points are seen through the solve's own cameras, as everything that is put into the shot: of the truth only the scale is taken.
void tally(const Truth& truth, const DenseCloud& cloud, const Solution& solution, double scale) {
  std::vector<float> best(cloud.points.size(), NAN);  // error that a frame's truth gives a point, the least
  std::size_t pixels = 0, complete = 0;
  for (const int number : kFrames) {
    const SolvedFrame& frame = *solution.frameAt(number);
    const Lens lens = solution.lensAt(frame);
    const Plane<float>& depths = truth.depths.at(number);
    Plane<std::uint8_t> found(kWide, kHigh);
    for (std::size_t k = 0; k < cloud.points.size(); ++k) {
      const Vec3 at = cloud.points[k].at.cast<double>();
      const auto seen = project(lens, frame.pose, at);
      if (!seen) continue;
      const int x = static_cast<int>(std::floor(seen->x() / kStep)), y = static_cast<int>(std::floor(seen->y() / kStep));
      if (x < 0 || y < 0 || x >= kWide || y >= kHigh || !(depths.at(x, y) > 0)) continue;
      const Vec2 aside = *seen - Vec2((x + 0.5) * kStep, (y + 0.5) * kStep);
      const double aside_px = aside.norm();
      if (aside_px > 2) continue;
      const float off = static_cast<float>(scale * frame.pose.toCamera(at).z()) / depthAside(depths, x, y, aside) - 1;
      if (std::abs(off) < 0.01F) found.at(x, y) = 1;
      // What is deeper may stand behind something.
      if (aside_px > 0.5 || off > 0.03F) continue;
      if (!(std::abs(best[k]) <= std::abs(off))) best[k] = off;
    }
    for (std::size_t i = 0; i < depths.data.size(); ++i) pixels += depths.data[i] > 0, complete += found.data[i];
  }
  std::size_t tested = 0, accurate = 0, floating = 0;
  std::vector<double> off;
  for (const float b : best) {
    if (std::isnan(b)) continue;
    ++tested, accurate += std::abs(b) < 0.01F, floating += b < -0.03F;
    off.push_back(std::abs(static_cast<double>(b)));
  }
  const auto share = [](std::size_t part, std::size_t all) { return 100.0 * static_cast<double>(part) / static_cast<double>(all); };
  fmt::print("{} points, {} tested: accurate {:.1f} %, floating {:.2f} %, median {:.3f} %; complete {:.1f} % of {} pixels\n", cloud.points.size(), tested,
             share(accurate, tested), share(floating, tested), 100 * median(off), share(complete, pixels), pixels);
}

void tallyMesh(const Truth& truth, const Surface& made, const Solution& solution, const Similarity& scene_from_solve, double scale) {
  const auto surface = MeshSurface::make(std::make_shared<SetMesh>(made.mesh), {});
  std::size_t met = 0, accurate = 0, pixels = 0;
  for (const int number : kFrames) {
    const SolvedFrame& frame = *solution.frameAt(number);
    const Pose pose = scene_from_solve * frame.pose;
    const Lens lens = solution.lensAt(frame);
    const Plane<float>& depths = truth.depths.at(number);
    for (int y = 0; y < kHigh; ++y)
      for (int x = 0; x < kWide; ++x) {
        if (!(depths.at(x, y) > 0)) continue;
        ++pixels;
        const auto n = lens.undistort({(x + 0.5) * kStep, (y + 0.5) * kStep});
        const auto hit = n ? (*surface)->hit(pose.centre, pose.direction(n->homogeneous()).normalized()) : std::nullopt;
        if (!hit) continue;
        const double off = pose.toCamera(hit->at).z() / scene_from_solve.scale * scale / static_cast<double>(depths.at(x, y)) - 1;
        ++met, accurate += std::abs(off) < 0.01;
      }
  }
  fmt::print("mesh of {} triangles: {:.1f} % of what is met within 1 %, met in {:.1f} % of pixels\n", made.mesh.triangles.size(),
             100.0 * static_cast<double>(accurate) / static_cast<double>(met), 100.0 * static_cast<double>(met) / static_cast<double>(pixels));
}

int run(const char* project, std::string_view quality) {
  Workspace workspace;
  std::string warning;
  const Status opened = workspace.openProject(project, &warning, ProjectStore::Access::Read);
  DenseSettings settings = workspace.document().dense;
  settings.quality = static_cast<DenseQuality>(std::find(kDenseQualities.begin(), kDenseQualities.end(), quality) - kDenseQualities.begin());
  const auto job = opened.ok() ? workspace.denseJob(settings) : Result<DenseJob>(opened.error());
  if (!job.ok()) return fmt::print("{}\n", job.error().message), 2;
  const Stopwatch watch;
  const auto dense = job->run({});
  if (!dense.ok()) return fmt::print("{}\n", dense.error().message), 2;
  fmt::print("made or read in {:.1f} s\n", watch.seconds());
  const Truth truth = readTruth();
  std::vector<Pose> solved, true_poses;
  for (const SolvedFrame& frame : job->shot.solution->frames) {
    if (frame.placed) solved.push_back(frame.pose), true_poses.push_back(truth.poses.at(frame.frame));
  }
  const Similarity truth_from_solve = *alignPaths(solved, true_poses);
  const auto cleaned = cleanedDense((*dense)->cloud, job->settings(), job->shot.scene.scene_from_solve, {});
  if (!cleaned.ok()) return fmt::print("{}\n", cleaned.error().message), 2;
  fmt::print("all    : ");
  const Solution& solution = *job->shot.solution;
  tally(truth, (*dense)->cloud, solution, truth_from_solve.scale);
  fmt::print("cleaned: ");
  tally(truth, **cleaned, solution, truth_from_solve.scale);
  const Stopwatch meshing;
  const auto surface = job->surface(**cleaned, 0, {});
  if (!surface.ok()) return fmt::print("{}\n", surface.error().message), 2;
  fmt::print("surface in {:.1f} s\n", meshing.seconds());
  tallyMesh(truth, *surface, solution, job->shot.scene.scene_from_solve, truth_from_solve.scale);
  return 0;
}

}  // namespace
}  // namespace dusky

int main(int argc, char** argv) {
  if (argc < 2) return 2;
  return dusky::run(argv[1], argc > 2 ? argv[2] : "good");
}
