#include "core/solve/knowledge_stage.h"

#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "core/adjust/uncertainty.h"
#include "core/geometry/align.h"
#include "core/geometry/plane.h"
#include "core/solve/finished.h"
#include "core/solve/sort_out.h"
#include "core/solve/warm_start.h"

namespace dusky {
namespace {

constexpr double kExact = 1e-5;    // of the reach of a plane's points, and in radians
constexpr double kLoosely = 1e-4;  // of its weight, to begin with
constexpr double kDegree = std::numbers::pi / 180;

std::string quoted(const std::string& name) { return fmt::format("\"{}\"", name); }

/// The planes and angles of a knowledge as the points of a reconstruction lie now.
class Setup {
 public:
  Setup(const SolveState& state, const Knowledge& knowledge, double scene_scale) : work_(state.work), knowledge_(knowledge), scene_scale_(scene_scale) {
    noise_px2_ = std::pow(std::isnan(state.spread_px) ? 0.3 : std::max(state.spread_px, 1e-3), 2);
    for (std::size_t t = 0; t < work_.tracks.size(); ++t) index_of_[work_.tracks[t].id] = static_cast<int>(t);
  }

  Status make(SolvedKnowledge& out) {
    for (const KnownPlane& plane : knowledge_.planes) {
      if (!plane.on) continue;
      if (const Status made = addPlane(plane, out); !made.ok()) return made;
    }
    addUp(out);
    for (const KnownAngle& angle : knowledge_.angles) {
      if (angle.on) addAngle(planeNamed(angle.a, out), planeNamed(angle.b, out), angle.degrees * kDegree, angle.sigma_deg * kDegree, true, out);
    }
    return Done{};
  }

 private:
  double weightOf(double sigma, double exact) const { return sigma > 0 ? kCorrelatedSightings * noise_px2_ / (sigma * sigma) : noise_px2_ / (exact * exact); }

  Status addPlane(const KnownPlane& plane, SolvedKnowledge& out) {
    SolvedPlane solved{.name = plane.name, .facing = plane.facing, .exact = plane.sigma == 0};
    std::vector<Vec3> points;
    for (const int id : plane.tracks) {
      const auto at = index_of_.find(id);
      const WorkTrack* track = at != index_of_.end() ? &work_.tracks[static_cast<std::size_t>(at->second)] : nullptr;
      if (!track || !track->takesPart() || track->at_infinity) continue;
      points.push_back(*track->point);
      solved.tracks.push_back(id);
    }
    if (points.size() < 3)
      return invalidInput(fmt::format("Plane {}: {} of its {} tracks take part in the solve with a depth; it needs three or more.", quoted(plane.name),
                                      points.size(), plane.tracks.size()));
    const auto fit = fitPlane(points);
    if (!fit) return invalidInput(fmt::format("Plane {}: its tracks lie on one line. Add one beside it.", quoted(plane.name)));
    solved.normal = fit->normal, solved.offset = fit->offset;
    solved.weight = weightOf(plane.sigma / scene_scale_, kExact * reachOf(points));
    out.planes.push_back(std::move(solved));
    return Done{};
  }

  static double reachOf(const std::vector<Vec3>& points) {
    Vec3 middle = Vec3::Zero();
    for (const Vec3& p : points) middle += p / static_cast<double>(points.size());
    double sum = 0;
    for (const Vec3& p : points) sum += (p - middle).squaredNorm();
    return std::sqrt(sum / static_cast<double>(points.size()));
  }

  /// Level planes and upright ones have one upwards between them, which is looked for as well.
  void addUp(SolvedKnowledge& out) {
    std::vector<int> level, upright;
    for (std::size_t k = 0; k < out.planes.size(); ++k) {
      if (out.planes[k].facing == PlaneFacing::Level) level.push_back(static_cast<int>(k));
      if (out.planes[k].facing == PlaneFacing::Upright) upright.push_back(static_cast<int>(k));
    }
    if (level.size() + upright.size() < 2) return;  // one alone says nothing of the shape
    const Vec3 up = level.empty() ? crossOf(out.planes, upright) : out.planes[static_cast<std::size_t>(level[0])].normal;
    const int index = static_cast<int>(out.planes.size());
    out.planes.push_back({.name = "", .normal = up});
    for (const int k : level) addAngle(k, index, 0, 0, false, out);
    for (const int k : upright) addAngle(k, index, 90 * kDegree, 0, false, out);
  }

  /// What lies square to walls: of any two of them, where they are not parallel.
  static Vec3 crossOf(const std::vector<SolvedPlane>& planes, const std::vector<int>& walls) {
    Vec3 best = Vec3::Zero();
    for (const int a : walls) {
      for (const int b : walls) {
        const Vec3 cross = planes[static_cast<std::size_t>(a)].normal.cross(planes[static_cast<std::size_t>(b)].normal);
        if (cross.norm() > best.norm()) best = cross;
      }
    }
    return best.norm() > 1e-3 ? best.normalized() : Vec3(tiltsOf(planes[static_cast<std::size_t>(walls[0])].normal).col(0));
  }

  void addAngle(int a, int b, double radians, double sigma, bool asked, SolvedKnowledge& out) {
    const double now = out.planes[static_cast<std::size_t>(a)].normal.dot(out.planes[static_cast<std::size_t>(b)].normal);
    SolvedAngle angle{.a = a, .b = b, .cosine = std::copysign(std::cos(radians), now), .weight = weightOf(sigma, kExact), .exact = sigma == 0, .asked = asked};
    angle.without_rad = std::acos(std::min(1.0, std::abs(now)));
    out.angles.push_back(angle);
  }

  static int planeNamed(const std::string& name, const SolvedKnowledge& out) {
    const auto found = std::find_if(out.planes.begin(), out.planes.end(), [&](const SolvedPlane& plane) { return plane.name == name; });
    return static_cast<int>(found - out.planes.begin());
  }

  const Reconstruction& work_;
  const Knowledge& knowledge_;
  const double scene_scale_;
  double noise_px2_ = 0;
  std::map<int, int> index_of_;
};

void adjustLooselyThenFirmly(SolveState& state, const SolveTask& task) {
  Reconstruction& work = state.work;
  BundleOptions options = finalOptions(state, task.options);
  const auto members = work.members;
  const auto angles = work.angles;
  for (PointOnPlane& member : work.members) member.weight *= kLoosely;
  for (PlaneAngle& angle : work.angles) angle.weight *= kLoosely;
  adjustReconstruction(work, options, task.progress);
  work.members = members, work.angles = angles;
  adjustReconstruction(work, options, task.progress);
}

/// RMS of a plane's tracks over the sightings that both solves used.
double errorsOf(const SolvedPlane& plane, const Solution& solution) {
  double sum = 0;
  int count = 0;
  for (const int id : plane.tracks) {
    const SolvedTrack* track = solution.find(id);
    if (!track) continue;
    for (const TrackError& e : track->errors) {
      if (e.used && !std::isnan(e.error_px)) sum += e.error_px * e.error_px, ++count;
    }
  }
  return count > 0 ? std::sqrt(sum / count) : kUnknown;
}

std::optional<Similarity> worldBefore(const Solution& with, const Solution& without) {
  std::vector<Pose> now, before;
  for (const SolvedFrame& frame : with.frames) {
    const SolvedFrame* other = without.frameAt(frame.frame);
    if (frame.placed && other && other->placed) now.push_back(frame.pose), before.push_back(other->pose);
  }
  const auto fit = alignPaths(now, before);
  return fit.ok() ? std::optional(*fit) : std::nullopt;
}

/// Points that stood farther off the plane, without it, than chance and its own deviation (solve's units) say.
std::vector<SolvedPlane::Disagreement> disagreeing(const SolvedPlane& plane, double sigma_plane, const Solution& without, const Similarity& before_from_now) {
  constexpr double kChance = 4;
  const Vec3 normal = before_from_now.rotation * plane.normal;
  const double offset = normal.dot(before_from_now * Vec3(plane.offset * plane.normal));
  std::vector<SolvedPlane::Disagreement> all;
  for (const int id : plane.tracks) {
    const SolvedTrack* track = without.find(id);
    if (!track || !track->covariance.allFinite()) continue;
    const double sigma = std::sqrt(std::max(0.0, normal.dot(track->covariance * normal)) + sigma_plane * sigma_plane);
    const double sigmas = std::abs(normal.dot(track->point) - offset) / std::max(sigma, 1e-12);
    if (sigmas > kChance) all.push_back({id, sigmas});
  }
  std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.sigmas > b.sigmas; });
  return all;
}

void tellPlane(SolvedPlane& plane, double sigma_plane, const Solution& with, const Solution& without, const std::optional<Similarity>& before_from_now) {
  constexpr double kHardly = 15 * kDegree;
  double sum = 0;
  int count = 0;
  for (const int id : plane.tracks) {
    const SolvedTrack* track = with.find(id);
    if (track && track->state == TrackState::Kept) sum += std::pow(plane.normal.dot(track->point) - plane.offset, 2), ++count;
  }
  plane.rms = count > 0 ? std::sqrt(sum / count) : kUnknown;
  plane.rms_px_with = errorsOf(plane, with), plane.rms_px_without = errorsOf(plane, without);
  if (before_from_now) plane.disagree = disagreeing(plane, sigma_plane, without, *before_from_now);
  if (!(plane.sigma_normal_rad < kHardly)) plane.undetermined = "its tracks hardly tell how it tilts: they lie near a line, or too far away for their parallax";
}

/// What the sightings cost without any of it, and the variance that they show.
struct Without {
  double cost_px2, variance_px2;
};
Without costWithout(const SolveState& state, const SolveTask& task) {
  const Bundle bundle = makeBundle(state.work).bundle;
  const BundleOptions options = finalOptions(state, task.options);
  return {bundleCost(bundle, options), correlatedVariance(bundle, options)};
}

/// Against the same sightings without any of it; and of each angle, against all the rest.
void tellCosts(const SolveState& state, const SolveTask& task, const Without& without, SolvedKnowledge& known) {
  const BundleOptions options = finalOptions(state, task.options);
  const Bundle with = makeBundle(state.work).bundle;
  const double cost = bundleCost(with, options);
  double statements = static_cast<double>(with.members.size() + with.angles.size());
  for (const SetPlane& plane : with.set_planes) statements -= plane.unknowns();
  if (statements > 0) known.cost_sigmas = ((cost - without.cost_px2) / without.variance_px2 - statements) / std::sqrt(2 * statements);
  for (std::size_t k = 0; k < known.angles.size(); ++k) {
    if (!known.angles[k].asked) continue;
    Bundle rest = with;
    rest.angles.erase(rest.angles.begin() + static_cast<std::ptrdiff_t>(k));
    const double alone = adjust(rest, options, task.progress).cost_after;
    known.angles[k].cost_sigmas = std::sqrt(std::max(0.0, cost - alone) / without.variance_px2);
  }
}

/// What is exact and does not hold stands against something else that is exact.
Status refuseClashes(const SolvedKnowledge& knowledge) {
  constexpr double kHolds = 0.05 * kDegree;
  for (const SolvedAngle& angle : knowledge.angles) {
    const double wanted = std::acos(std::min(1.0, std::abs(angle.cosine)));
    if (!angle.exact || std::abs(angle.found_rad - wanted) < kHolds) continue;
    const SolvedPlane &a = knowledge.planes[static_cast<std::size_t>(angle.a)], &b = knowledge.planes[static_cast<std::size_t>(angle.b)];
    if (!angle.asked) {
      return cannotSolve(
          fmt::format("Plane {} cannot be {} together with what else is exact: it stays {:.2f}° off. Let go of a statement, or give one a deviation.",
                      quoted(a.name), describe(a.facing), std::abs(angle.found_rad - wanted) / kDegree));
    }
    return cannotSolve(fmt::format(
        "Planes {} and {} cannot stand at {:.4g}° together with what else is exact: {:.2f}° are left. Let go of a statement, or give one a deviation.",
        quoted(a.name), quoted(b.name), wanted / kDegree, std::abs(angle.found_rad - wanted) / kDegree));
  }
  return Done{};
}

}  // namespace

void takeKnowledge(const SolvedKnowledge& knowledge, Reconstruction& work) {
  std::map<int, int> index_of;
  for (std::size_t t = 0; t < work.tracks.size(); ++t) index_of[work.tracks[t].id] = static_cast<int>(t);
  for (std::size_t k = 0; k < knowledge.planes.size(); ++k) {
    const SolvedPlane& plane = knowledge.planes[k];
    work.set_planes.push_back({plane.normal, plane.offset, true, !plane.name.empty()});
    for (const int id : plane.tracks) {
      const auto at = index_of.find(id);
      if (at != index_of.end()) work.members.push_back({at->second, static_cast<int>(k), plane.weight});
    }
  }
  for (const SolvedAngle& angle : knowledge.angles) work.angles.push_back({angle.a, angle.b, angle.cosine, angle.weight});
}

Result<SolutionPtr> solveWithKnowledge(const TrackSet& tracks, const SolveOptions& options, const SolutionPtr& plain, const Knowledge& knowledge,
                                       double scene_scale, const Progress& progress) {
  if (const Status fine = knowledge.check(); !fine.ok()) return fine.error();
  if (!knowledge.says()) return plain;
  const Stopwatch watch;
  const SolveTask task{tracks, options, progress};
  SolveState state = finalState(*plain, tracks, options);
  const Without without = costWithout(state, task);
  SolvedKnowledge known;
  if (const Status made = Setup(state, knowledge, scene_scale).make(known); !made.ok()) return made.error();
  takeKnowledge(known, state.work);
  adjustLooselyThenFirmly(state, task);
  if (progress.stopRequested()) return cancelled();
  auto result = concluded(std::move(state), task);
  if (!result.ok()) return result.error();
  auto solution = std::make_shared<Solution>(std::move(result->solution));
  const auto before = worldBefore(*solution, *plain);
  for (std::size_t k = 0; k < known.planes.size(); ++k) {
    SolvedPlane& plane = known.planes[k];
    const SolvedPlane& found = solution->knowledge.planes[k];
    plane.normal = found.normal, plane.offset = found.offset, plane.sigma_normal_rad = found.sigma_normal_rad, plane.sigma_offset = found.sigma_offset;
    if (!plane.name.empty()) tellPlane(plane, knowledge.find(plane.name)->sigma / scene_scale, *solution, *plain, before);
  }
  for (SolvedAngle& angle : known.angles) {
    const Vec3 &a = known.planes[static_cast<std::size_t>(angle.a)].normal, &b = known.planes[static_cast<std::size_t>(angle.b)].normal;
    angle.found_rad = std::acos(std::min(1.0, std::abs(a.dot(b))));
  }
  if (const Status hold = refuseClashes(known); !hold.ok()) return hold.error();
  tellCosts(result->state, task, without, known);
  known.rms_px_without = plain->rms_px, known.holdout_px_without = plain->holdout_rms_px;
  solution->knowledge = std::move(known);
  solution->stretches = plain->stretches;
  solution->evidence.noise_floor_px = plain->evidence.noise_floor_px;
  solution->summary.total_s = plain->summary.total_s + watch.seconds();
  return SolutionPtr(std::move(solution));
}

}  // namespace dusky
