// One iteration of bundle adjustment beside Ceres' fastest setting with analytic derivatives, on the same problems and to the same minimum.
//   build/release/bench/bundle_bench [frames tracks life [revisit]]
#include <ceres/ceres.h>
#include <fmt/format.h>

#include "core/base/process.h"
#include "core/base/random.h"
#include "core/adjust/bundle.h"
#include "core/adjust/reduced_system.h"

namespace {
using namespace dusky;

struct Problem {
  int frames, tracks, life;
  bool revisit;  ///< Every third track comes back after half the shot.
};

/// Cameras that walk past a cloud; each track lives about `life` frames.
Bundle make(const Problem& problem) {
  Random random(3);
  Bundle bundle;
  bundle.lenses[0] = Lens::simple(1280, 720, 1100);
  bundle.lenses[0].k1() = -0.05;
  for (int f = 0; f < problem.frames; ++f) {
    const double t = 0.05 * f;
    bundle.cameras.push_back({rotationFromVector(Vec3(0.02 * std::sin(t), 0.1 * std::sin(0.3 * t), 0.01 * std::cos(t))), Vec3(t, 0.1 * std::sin(t), 0)});
  }
  for (int p = 0; p < problem.tracks; ++p) {
    const int first = random.index(std::max(1, problem.frames - 10)), last = std::min(problem.frames, first + problem.life / 2 + random.index(problem.life));
    const Pose& middle = bundle.cameras[(first + last) / 2];
    const double depth = random.between(5, 12);
    const Vec3 point = middle.centre + middle.direction(Vec3(random.between(-0.4, 0.4), random.between(-0.25, 0.25), 1) * depth);
    std::vector<BundleObservation> seen;
    const auto look = [&](int from, int to) {
      for (int f = from; f < to; ++f) {
        const auto at = project(bundle.lenses[0], bundle.cameras[f], point);
        if (at && at->x() > -400 && at->x() < 1700 && at->y() > -300 && at->y() < 1020)
          seen.push_back({f, static_cast<int>(bundle.points.size()), *at + 0.3 * Vec2(random.normal(), random.normal())});
      }
    };
    look(first, last);
    if (problem.revisit && p % 3 == 0) look(std::min(problem.frames, first + problem.frames / 2), std::min(problem.frames, last + problem.frames / 2));
    if (seen.size() < 3) continue;
    bundle.points.push_back(point);
    bundle.observations.insert(bundle.observations.end(), seen.begin(), seen.end());
  }
  for (Pose& camera : bundle.cameras) {
    camera.centre += 0.01 * Vec3(random.normal(), random.normal(), random.normal());
    camera.world_from_camera = camera.world_from_camera * rotationFromVector(0.002 * Vec3(random.normal(), random.normal(), random.normal()));
  }
  for (Vec3& p : bundle.points) p += 0.05 * Vec3(random.normal(), random.normal(), random.normal());
  bundle.lenses[0].focal_px *= 1.01;
  return bundle;
}

/// The same residual with the same analytic slopes: the comparison is of the solvers, not of the derivatives.
class Reprojection final : public ceres::SizedCostFunction<2, 6, 3, 2> {
 public:
  Reprojection(const Vec2& seen, const Lens& lens, const Eigen::Quaterniond& turn) : seen_(seen), lens_(lens), turn_(turn) {}
  bool Evaluate(double const* const* parameters, double* residuals, double** jacobians) const override {
    const Eigen::Map<const Vec3> turn(parameters[0]), centre(parameters[0] + 3), point(parameters[1]);
    Lens lens = lens_;
    lens.focal_px = parameters[2][0], lens.k1() = parameters[2][1];
    const Eigen::Quaterniond now = turn_ * rotationFromVector(turn);
    const Mat3 camera_from_world = now.conjugate().toRotationMatrix();
    const Vec3 p = camera_from_world * (point - centre);
    const Vec2 n = p.hnormalized();
    Eigen::Map<Vec2>(residuals, 2) = lens.distort(n) - seen_;
    if (!jacobians) return true;
    const LensSlopes slopes = lensSlopes(lens, n);
    Mat23 project;
    project << 1 / p.z(), 0, -n.x() / p.z(), 0, 1 / p.z(), -n.y() / p.z();
    const Mat23 by_p = slopes.by_point * project;
    if (jacobians[0]) {
      Eigen::Map<Eigen::Matrix<double, 2, 6, Eigen::RowMajor>> j(jacobians[0]);
      Mat3 cross;
      cross << 0, -p.z(), p.y(), p.z(), 0, -p.x(), -p.y(), p.x(), 0;
      // Right Jacobian of the exponential map at the accumulated turn.
      Mat3 right = Mat3::Identity();
      const double angle = turn.norm();
      if (angle > 1e-8) {
        Mat3 k;
        k << 0, -turn.z(), turn.y(), turn.z(), 0, -turn.x(), -turn.y(), turn.x(), 0;
        right += -(1 - std::cos(angle)) / (angle * angle) * k + (angle - std::sin(angle)) / (angle * angle * angle) * k * k;
      }
      j.leftCols<3>() = by_p * cross * right;
      j.rightCols<3>() = -by_p * camera_from_world;
    }
    if (jacobians[1]) Eigen::Map<Eigen::Matrix<double, 2, 3, Eigen::RowMajor>>(jacobians[1], 2, 3) = by_p * camera_from_world;
    if (jacobians[2]) {
      Eigen::Map<Eigen::Matrix<double, 2, 2, Eigen::RowMajor>> j(jacobians[2]);
      j.col(0) = slopes.by_lens.col(0), j.col(1) = slopes.by_lens.col(3);
    }
    return true;
  }

 private:
  Vec2 seen_;
  Lens lens_;
  Eigen::Quaterniond turn_;
};

struct Measured {
  double cost = 0, ms = 0, first_ms = 0;
  int steps = 0;
};

Measured runCeres(const Bundle& bundle, ceres::LinearSolverType type) {
  ceres::Problem problem;
  std::vector<std::array<double, 6>> cameras(bundle.cameras.size());
  std::vector<Vec3> points = bundle.points;
  double lens[2] = {bundle.lenses[0].focal_px, bundle.lenses[0].k1()};
  for (std::size_t c = 0; c < cameras.size(); ++c)
    cameras[c] = {0, 0, 0, bundle.cameras[c].centre.x(), bundle.cameras[c].centre.y(), bundle.cameras[c].centre.z()};
  for (const BundleObservation& o : bundle.observations)
    problem.AddResidualBlock(new Reprojection(o.seen, bundle.lenses[0], bundle.cameras[o.camera].world_from_camera), nullptr, cameras[o.camera].data(),
                             points[o.point].data(), lens);
  ceres::Solver::Options options;
  options.linear_solver_type = type;
  options.num_threads = 2;
  options.max_num_iterations = 40;
  options.function_tolerance = 1e-10;
  options.logging_type = ceres::SILENT;
  auto* ordering = new ceres::ParameterBlockOrdering;
  for (Vec3& p : points) ordering->AddElementToGroup(p.data(), 0);
  for (auto& c : cameras) ordering->AddElementToGroup(c.data(), 1);
  ordering->AddElementToGroup(lens, 1);
  options.linear_solver_ordering.reset(ordering);
  ceres::Solver::Summary summary;
  ceres::Solve(options, &problem, &summary);
  const int steps = static_cast<int>(summary.iterations.size()) - 1;
  return {2 * summary.final_cost, 1000 * summary.minimizer_time_in_seconds / std::max(1, steps), 0, steps};
}

Measured runOurs(Bundle bundle) {
  const Stopwatch watch;
  LensFreedom freedom{};
  freedom[0] = freedom[3] = true;
  const BundleSummary summary = adjust(bundle, {.free_lens = freedom, .loss = Loss::Squared, .max_steps = 40, .settled = 1e-10}, {});
  const int steps = std::max(1, summary.steps + (summary.termination == Termination::Settled));
  return {summary.cost_after, 1000 * watch.seconds() / steps, 0, steps};
}

void compare(const Problem& problem) {
  const Bundle bundle = make(problem);
  const double empty = peakResidentMb();
  const Measured ours = runOurs(bundle);
  const double peak = peakResidentMb();
  LensFreedom freedom{};
  freedom[0] = freedom[3] = true;
  const BundleOptions options{.free_lens = freedom};
  ReducedSystem system(bundle, options);
  fmt::print(
      "{:4} frames {:5} tracks {:7} observations{}\n  ours           {:8.1f} ms a step, {:3} steps, cost {:.6f}, {:.0f} MB of its own; peak {:.0f} MB before, "
      "{:.0f} MB\n",
      problem.frames, bundle.points.size(), bundle.observations.size(), problem.revisit ? ", a third come back" : "", ours.ms, ours.steps, ours.cost,
      static_cast<double>(system.bytes()) / 1e6, empty, peak);
  for (const auto& [name, type] : {std::pair{"SPARSE_SCHUR", ceres::SPARSE_SCHUR}, std::pair{"DENSE_SCHUR", ceres::DENSE_SCHUR}}) {
    if (type == ceres::DENSE_SCHUR && problem.frames > 300) continue;
    const Measured theirs = runCeres(bundle, type);
    fmt::print("  {:14} {:8.1f} ms a step, {:3} steps, cost {:.6f}, {:.1f} x ours, cost differs by {:.1e}; peak {:.0f} MB\n", name, theirs.ms, theirs.steps,
               theirs.cost, theirs.ms / ours.ms, std::abs(theirs.cost / ours.cost - 1), peakResidentMb());
  }
}

}  // namespace

int main(int argc, char** argv) {
  if (argc > 3) return compare({std::atoi(argv[1]), std::atoi(argv[2]), std::atoi(argv[3]), argc > 4}), 0;
  compare({120, 1500, 44, false});
  compare({700, 3000, 60, false});
  compare({700, 3000, 60, true});
}
