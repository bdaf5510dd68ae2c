#include "core/deliver/compare.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "core/adjust/insert_slip.h"
#include "core/base/json_text.h"

namespace dusky {
namespace {

struct Slip {
  int point = 0, frame = 0;
  Vec2 offset = Vec2::Zero();
};

bool mayBeVisibleIn(const ShotRecord::Point& point, int frame) {
  return point.visible.empty() || std::binary_search(point.visible.begin(), point.visible.end(), frame);
}

bool liesWithin(const ShotRecord& truth, const ShotRecord::Point& point, const Vec2& at) {
  return !point.visible.empty() || (at.x() >= 0 && at.y() >= 0 && at.x() <= truth.width && at.y() <= truth.height);
}

/// Where a true camera shows a true point; nothing where it does not.
std::optional<Vec2> shownAt(const ShotRecord& truth, const ShotRecord::View& view, const ShotRecord::Point& point, int frame) {
  if (!mayBeVisibleIn(point, frame)) return std::nullopt;
  const auto at = project(view.lens, view.pose, point.xyz);
  // Beyond the lens's range distortion folds over and would bring far-off points into the picture.
  if (!at || !view.lens.risingUpTo(view.pose.toCamera(point.xyz).hnormalized()) || !liesWithin(truth, point, *at)) return std::nullopt;
  return at;
}

/// The frames that both have, each with a lens of its own, and where the true cameras show the true points.
struct Common {
  std::vector<int> frames;
  Bundle truth, solved;  ///< The second: the same with the solve's cameras.
};

Common commonOf(const ShotRecord& solved, const ShotRecord& truth) {
  Common common;
  Bundle& shown = common.truth;
  shown.lenses.clear();
  for (const auto& point : truth.points) shown.points.push_back(point.xyz);
  std::vector<const ShotRecord::View*> others;
  for (const auto& [frame, view] : truth.frames) {
    const auto found = solved.frames.find(frame);
    if (found == solved.frames.end()) continue;
    const int camera = static_cast<int>(shown.cameras.size());
    common.frames.push_back(frame), others.push_back(&found->second);
    shown.cameras.push_back(view.pose), shown.lenses.push_back(view.lens), shown.lens_of.push_back(camera);
    for (std::size_t k = 0; k < truth.points.size(); ++k) {
      if (const auto at = shownAt(truth, view, truth.points[k], frame)) shown.observations.push_back({camera, static_cast<int>(k), *at});
    }
  }
  std::stable_sort(shown.observations.begin(), shown.observations.end(), [](const auto& a, const auto& b) { return a.point < b.point; });
  common.solved = shown;
  for (std::size_t c = 0; c < others.size(); ++c) common.solved.cameras[c] = others[c]->pose, common.solved.lenses[c] = others[c]->lens;
  return common;
}

std::vector<Slip> slips(const Common& common, const Similarity& solved_from_truth) {
  std::vector<Slip> out;
  for (const BundleObservation& o : common.truth.observations) {
    const auto camera = static_cast<std::size_t>(o.camera);
    const Vec3 place = solved_from_truth * common.truth.points[static_cast<std::size_t>(o.point)];
    const auto got = project(common.solved.lenses[camera], common.solved.cameras[camera], place);
    out.push_back({o.point, common.frames[camera], got ? Vec2(*got - o.seen) : Vec2(1e4, 1e4)});
  }
  return out;
}

void measureSlip(const std::vector<Slip>& all, Comparison& out) {
  std::vector<double> lengths;
  double squares = 0, jitter = 0;
  int steps = 0;
  std::map<std::pair<int, int>, Vec2> by_place;
  for (const Slip& slip : all) by_place[{slip.point, slip.frame}] = slip.offset;
  for (const Slip& slip : all) {
    squares += slip.offset.squaredNorm();
    lengths.push_back(slip.offset.norm());
    const auto before = by_place.find({slip.point, slip.frame - 1});
    if (before != by_place.end()) jitter += (slip.offset - before->second).squaredNorm(), ++steps;
  }
  out.slip_samples = static_cast<int>(all.size());
  if (all.empty()) return;
  out.slip_rms_px = std::sqrt(squares / static_cast<double>(all.size()));
  const auto p95 = lengths.begin() + static_cast<std::ptrdiff_t>(0.95 * static_cast<double>(lengths.size() - 1));
  std::nth_element(lengths.begin(), p95, lengths.end());
  out.slip_p95_px = *p95;
  if (steps > 0) out.slip_jitter_px = std::sqrt(jitter / steps);
}

void measureLens(const Lens& solved, const Lens& truth, Comparison& out) {
  constexpr int kGrid = 33;
  double squares = 0, worst = 0;
  int count = 0;
  for (int j = 0; j < kGrid; ++j) {
    for (int i = 0; i < kGrid; ++i) {
      const Vec2 pixel(truth.width * static_cast<double>(i) / (kGrid - 1), truth.height * static_cast<double>(j) / (kGrid - 1));
      const auto ray = truth.undistort(pixel);
      if (!ray) continue;
      const double error = (solved.distort(*ray) - pixel).norm();
      squares += error * error;
      worst = std::max(worst, error);
      ++count;
    }
  }
  if (count == 0) return;
  // Zooms are measured at their worst frame.
  const double rms = std::sqrt(squares / count);
  if (!(out.lens_rms_px > rms)) out.lens_rms_px = rms;
  if (!(out.lens_max_px > worst)) out.lens_max_px = worst;
}

}  // namespace

Result<Comparison> compareShots(const ShotRecord& solved, const ShotRecord& truth) {
  if (solved.width != truth.width || solved.height != truth.height) {
    return invalidInput(fmt::format("The report is of a {}×{} picture, the truth of {}×{}.", solved.width, solved.height, truth.width, truth.height));
  }
  if (truth.points.empty()) return invalidInput("The truth has no static points to measure the insert slip by.");
  Comparison out;
  out.frames_true = static_cast<int>(truth.frames.size());
  std::vector<Pose> from, to;
  const ShotRecord::View* last = nullptr;
  out.path_length = 0;
  for (const auto& [frame, view] : truth.frames) {
    if (last) out.path_length += (view.pose.centre - last->pose.centre).norm();
    last = &view;
    const auto found = solved.frames.find(frame);
    if (found == solved.frames.end()) continue;
    from.push_back(view.pose);
    to.push_back(found->second.pose);
    const double focal = std::abs(found->second.lens.focal_px / view.lens.focal_px - 1);
    if (!(out.focal_error_share > focal)) out.focal_error_share = focal;
    if (from.size() == 1 || !(view.lens == truth.frames.begin()->second.lens)) measureLens(found->second.lens, view.lens, out);
  }
  out.frames_solved = static_cast<int>(from.size());
  if (from.empty()) return invalidInput("The report and the truth have no frame in common.");
  constexpr int kEnough = 30000;
  const Common common = commonOf(solved, truth);
  const auto found = alignBySlip(common.truth, common.solved, kEnough);
  if (!found.ok()) return found.error();
  const Similarity& solved_from_truth = *found;
  double centres = 0, turns = 0;
  out.centre_max = out.rotation_max_deg = 0;
  for (std::size_t i = 0; i < from.size(); ++i) {
    const Pose carried = solved_from_truth * from[i];
    const double centre = (carried.centre - to[i].centre).norm() / solved_from_truth.scale;
    const double turn = carried.world_from_camera.angularDistance(to[i].world_from_camera) * 180 / M_PI;
    centres += centre * centre;
    turns += turn * turn;
    out.centre_max = std::max(out.centre_max, centre);
    out.rotation_max_deg = std::max(out.rotation_max_deg, turn);
  }
  out.centre_rms = std::sqrt(centres / static_cast<double>(from.size()));
  out.rotation_rms_deg = std::sqrt(turns / static_cast<double>(from.size()));
  measureSlip(slips(common, solved_from_truth), out);
  if (!std::isfinite(out.slip_rms_px))
    return invalidInput("No true point is in sight of both cameras: their paths do not fit together, or the truth's points are not seen.");
  return out;
}

std::string Comparison::text() const {
  return fmt::format(
      "frames         {} of {}\n"
      "insert slip    {:.3f} px RMS, {:.3f} px 95th percentile, {:.3f} px jitter ({} sightings)\n"
      "camera centre  {:.5f} RMS, {:.5f} worst, on a path of {:.3f}\n"
      "rotation       {:.4f}° RMS, {:.4f}° worst\n"
      "focal length   {:.3f} % off\n"
      "lens           {:.3f} px RMS, {:.3f} px worst over the picture\n",
      frames_solved, frames_true, slip_rms_px, slip_p95_px, slip_jitter_px, slip_samples, centre_rms, centre_max, path_length, rotation_rms_deg,
      rotation_max_deg, 100 * focal_error_share, lens_rms_px, lens_max_px);
}

std::string Comparison::json() const {
  return nlohmann::ordered_json{{"format", "dusky-moth-comparison"},
                                {"version", 1},
                                {"frames_solved", frames_solved},
                                {"frames_true", frames_true},
                                {"slip_rms_px", numberOrNull(slip_rms_px)},
                                {"slip_p95_px", numberOrNull(slip_p95_px)},
                                {"slip_jitter_px", numberOrNull(slip_jitter_px)},
                                {"centre_rms", numberOrNull(centre_rms)},
                                {"centre_max", numberOrNull(centre_max)},
                                {"path_length", numberOrNull(path_length)},
                                {"rotation_rms_deg", numberOrNull(rotation_rms_deg)},
                                {"rotation_max_deg", numberOrNull(rotation_max_deg)},
                                {"focal_error_percent", numberOrNull(100 * focal_error_share)},
                                {"lens_rms_px", numberOrNull(lens_rms_px)},
                                {"lens_max_px", numberOrNull(lens_max_px)}}
             .dump(1) +
         "\n";
}

}  // namespace dusky
