// What knowing of a set is worth, and whether the deviations of planes are true: a boat shed with two walls and a hatch that leans against one, seen with
// little parallax through an anamorphic lens, against the truth.
//   build/release/bench/knowledge_study [shots [first seed [noise in px]]]
#include <fmt/format.h>

#include <cstdlib>
#include <vector>

#include "core/base/numbers.h"
#include "core/base/random.h"
#include "core/geometry/align.h"
#include "core/scene/scene.h"
#include "core/solve/knowledge_stage.h"
#include "tests/support/judge_by_truth.h"

namespace dusky::testing {
namespace {

constexpr double kDegree = M_PI / 180;

struct Flat {
  Vec3 normal;
  double offset;
  std::string name;
};

struct Shed {
  std::vector<Flat> flats;
  SyntheticShot shot;

  Shed(std::uint64_t seed, double noise_px) {
    Random random(seed);
    const Vec3 rear = Vec3::UnitZ(), side = Vec3::UnitX();
    const Vec3 hatch = Eigen::AngleAxisd(random.between(-0.5, 0.5), Vec3::UnitY()) * (Eigen::AngleAxisd(-random.between(0.15, 0.45), Vec3::UnitX()) * rear);
    flats = {{rear, -8, "rear wall"}, {side, -random.between(2, 3), "side wall"}, {hatch, hatch.dot(Vec3(random.between(0.2, 1.2), 0.6, -7.6)), "hatch"}};
    SyntheticPlan plan{.frames = 50, .points = 240, .noise_px = noise_px, .step = random.between(0.01, 0.03), .seed = seed};
    plan.lens = Lens::simple(1280, 720, random.between(800, 1100), LensModel::Anamorphic);
    plan.lens.squeeze() = 2;
    for (int k : {2, 3, 7, 8}) plan.lens.coefficients[k] = random.between(-0.03, 0.02);  // second degree, both ways
    const Vec3 around(random.between(0.4, 1.2), 0.6, -7.6);
    plan.set = [this, around](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> {
      double nearest = 14;
      for (const Flat& flat : flats) {
        const double depth = (flat.offset - flat.normal.dot(from)) / flat.normal.dot(ray);
        const Vec3 at = from + depth * ray;
        const bool on = flat.name != "hatch" || (std::abs(at.x() - around.x()) < 0.9 && std::abs(at.y() - around.y()) < 0.8);
        if (depth > 0.5 && depth < nearest && on) nearest = depth;
      }
      return nearest < 14 ? std::optional(Vec3(from + nearest * ray)) : std::nullopt;
    };
    shot = makeSyntheticShot(plan);
  }
  std::vector<int> on(const Flat& flat) const {
    std::vector<int> ids;
    for (const Track& track : shot.tracks.tracks) {
      const Vec3& p = shot.points[static_cast<std::size_t>(track.id - 1)];
      const auto lies = [&p](const Flat& f) { return std::abs(f.normal.dot(p) - f.offset) < 1e-6; };
      if (lies(flat)) ids.push_back(track.id);
    }
    return ids;
  }
  Knowledge flatSets() const {
    Knowledge knowledge;
    for (const Flat& flat : flats) {
      if (on(flat).size() >= 6) knowledge.sets.push_back({.name = flat.name, .tracks = on(flat)});
    }
    return knowledge;
  }
};

struct Tally {
  std::vector<double> angle_without, hatch_off, hatch_to_walls, hatch_sigma, slip_without, slip_with;
  int within = 0, planes = 0, solved = 0, refused = 0;
};

/// The hatch as it stands between the two walls, as an artist measures it.
void judgeHatch(const Shed& shed, const std::vector<SolvedSet>& sets, Tally& tally) {
  if (sets.size() != 3) return;
  const auto axesOf = [](const Vec3& rear, const Vec3& side) {
    Mat3 axes;
    axes << rear, (side - side.dot(rear) * rear).normalized(), rear.cross(side).normalized();
    return axes;
  };
  const Vec3 rear = shed.flats[0].normal, side = shed.flats[1].normal;
  const auto facing = [&](const Vec3& found, const Vec3& truth) { return found.dot(truth) < 0 ? Vec3(-found) : found; };
  std::vector<Vec3> found;
  for (const SolvedSet& set : sets) found.push_back(set.axis);
  double least = M_PI;
  for (const double r : {-1.0, 1.0}) {  // planes have no sides
    for (const double s : {-1.0, 1.0}) {
      const Vec3 hatch = axesOf(r * found[0], s * found[1]).transpose() * found[2], truth = axesOf(rear, side).transpose() * shed.flats[2].normal;
      least = std::min(least, std::acos(std::min(1.0, facing(hatch, truth).dot(truth))));
    }
  }
  tally.hatch_to_walls.push_back(least / kDegree);
}

/// The planes of a solve against the true ones, the worlds laid on each other by their cameras.
void judgePlanes(const Shed& shed, const Solution& solution, Tally& tally) {
  std::vector<Pose> truth, found;
  for (const SolvedFrame& frame : solution.frames) {
    if (frame.placed) truth.push_back(shed.shot.poses[static_cast<std::size_t>(frame.frame - 1)]), found.push_back(frame.pose);
  }
  const Similarity carry = *alignPaths(truth, found);
  for (const SolvedSet& set : solution.knowledge.sets) {
    const Flat& flat = *std::find_if(shed.flats.begin(), shed.flats.end(), [&](const Flat& f) { return f.name == set.name; });
    const double off = std::acos(std::min(1.0, std::abs((carry.rotation * flat.normal).dot(set.axis))));
    ++tally.planes, tally.within += off < 2 * std::sqrt(2.0) * set.sigma_axis_rad;
    if (set.name == "hatch") tally.hatch_off.push_back(off / kDegree), tally.hatch_sigma.push_back(std::sqrt(2.0) * set.sigma_axis_rad / kDegree);
  }
  judgeHatch(shed, solution.knowledge.sets, tally);
}

void study(const Shed& shed, Tally& tally) {
  const SolveOptions options{.lens = LensChoice::Anamorphic};
  const auto plain = solveShot(shed.shot.tracks, options, {});
  if (!plain.ok()) return void(++tally.refused);
  Knowledge knowledge = shed.flatSets();
  const bool walls = knowledge.find("rear wall") && knowledge.find("side wall");
  if (walls) knowledge.relations = {{.a = "rear wall", .b = "side wall"}};
  const auto scene = orientScene(**plain, {});
  const auto known = solveWithKnowledge(shed.shot.tracks, options, *plain, knowledge, scene.ok() ? scene->scene_from_solve : Similarity(), {});
  if (!known.ok()) return void(++tally.refused);
  ++tally.solved;
  if (walls) tally.angle_without.push_back(std::abs((*known)->knowledge.statements[0].without / kDegree - 90));
  tally.slip_without.push_back(judgeByTruth(shed.shot, **plain)->slip_rms_px), tally.slip_with.push_back(judgeByTruth(shed.shot, **known)->slip_rms_px);
  judgePlanes(shed, **known, tally);
}

}  // namespace

void study(int shots, std::uint64_t first, double noise_px) {
  Tally tally;
  for (int k = 0; k < shots; ++k) study(Shed(first + static_cast<std::uint64_t>(k), noise_px), tally);
  const auto line = [](const char* what, std::vector<double> all, const char* unit) {
    if (all.empty()) return;
    std::sort(all.begin(), all.end());
    fmt::print("{:44} median {:.3f} {}, nine of ten {:.3f}, worst {:.3f} ({} shots)\n", what, all[all.size() / 2], unit, all[all.size() * 9 / 10], all.back(),
               all.size());
  };
  fmt::print("{} solved, {} refused\n", tally.solved, tally.refused);
  line("walls' angle without knowledge, off square", tally.angle_without, "°");
  line("hatch, off its true normal, with knowledge", tally.hatch_off, "°");
  line("hatch, off as it stands to the walls", tally.hatch_to_walls, "°");
  line("hatch, its standard deviation", tally.hatch_sigma, "°");
  line("slip without", tally.slip_without, "px");
  line("slip with", tally.slip_with, "px");
  fmt::print("planes' normals within two deviations: {} of {}\n", tally.within, tally.planes);
}

}  // namespace dusky::testing

int main(int argc, char** argv) {
  dusky::testing::study(argc > 1 ? std::atoi(argv[1]) : 40, argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1, argc > 3 ? std::atof(argv[3]) : 0.3);
}
