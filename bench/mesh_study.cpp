// How well picks on a mesh place a scene, and laying the scene on it after them, against the truth: a solved project, the set's mesh and the truth, in one
// world. Tracks are picked where the true camera sees them on the mesh, some px beside.
//   build/release/bench/mesh_study PROJECT MESH TRUTH [rounds [px beside [knowledge file to write]]]
#include <fmt/format.h>

#include <cmath>
#include <cstdlib>

#include "core/base/numbers.h"
#include "core/base/random.h"
#include "core/deliver/shot_record.h"
#include "core/knowledge/knowledge_file.h"
#include "core/base/atomic_file.h"
#include "core/pipeline/workspace.h"
#include "core/scene/mesh_in_scene.h"

namespace {
using namespace dusky;

struct Off {
  std::vector<double> scale_pc, centre, turn_deg;

  void judge(const Solution& solution, const SceneFrame& scene, const ShotRecord& truth) {
    double squares = 0, turn = 0, path = 0, path_true = 0;
    int count = 0;
    std::optional<Vec3> before, before_true;
    for (const auto& [number, view] : truth.frames) {
      const SolvedFrame* frame = solution.frameAt(number);
      if (!frame || !frame->placed) continue;
      const Pose pose = scene.scene_from_solve * frame->pose;
      squares += (pose.centre - view.pose.centre).squaredNorm(), ++count;
      turn += std::pow(pose.world_from_camera.angularDistance(view.pose.world_from_camera) * 180 / M_PI, 2);
      if (before && number % 10 == 0) path += (pose.centre - *before).norm(), path_true += (view.pose.centre - *before_true).norm();
      if (!before || number % 10 == 0) before = pose.centre, before_true = view.pose.centre;
    }
    scale_pc.push_back(100 * std::abs(path / path_true - 1)), centre.push_back(std::sqrt(squares / count)), turn_deg.push_back(std::sqrt(turn / count));
  }

  void print(const char* what) const {
    const auto at = [](std::vector<double> all, double share) {
      std::sort(all.begin(), all.end());
      return all[static_cast<std::size_t>(share * static_cast<double>(all.size() - 1))];
    };
    fmt::print("{:34} scale off {:.2f} % ({:.2f}), cameras {:.3f} m ({:.3f}), turn {:.2f}° ({:.2f}): median (nine of ten) of {}\n", what, at(scale_pc, 0.5),
               at(scale_pc, 0.9), at(centre, 0.5), at(centre, 0.9), at(turn_deg, 0.5), at(turn_deg, 0.9), scale_pc.size());
  }
};

/// Kept tracks that lie on the mesh where the true camera of their middle sighting sees them.
struct Candidate {
  int track;
  Observation seen;
};

Knowledge picked(const std::vector<Candidate>& from, const ShotRecord& truth, const MeshSurface& surface, const MeshSettings& mesh, double px, Random& random,
                 std::vector<Candidate>& chosen) {
  Knowledge knowledge;
  for (int tries = 0; knowledge.survey.size() < 6 && tries < 400; ++tries) {
    const Candidate& one = from[static_cast<std::size_t>(random.uniform() * static_cast<double>(from.size()))];
    const ShotRecord::View& view = truth.frames.at(one.seen.frame);
    const auto ray = view.lens.ray(one.seen.position + px * Vec2(random.normal(), random.normal()));
    const auto at = ray ? pickOnMesh(surface, mesh, {view.pose.centre, view.pose.direction(ray->normalized())}, 0.01) : std::nullopt;
    constexpr double kApart = 1.5;
    const bool near = at && std::any_of(knowledge.survey.begin(), knowledge.survey.end(), [&](const SurveyPoint& p) { return (p.at - *at).norm() < kApart; });
    if (!at || near) continue;
    const double away = (*at - view.pose.centre).norm();
    knowledge = withPick(std::move(knowledge), one.track, *at, away, std::max(px, 1.0) / view.lens.focal_px);
    chosen.push_back(one);
  }
  return knowledge;
}

void keep(const Knowledge& knowledge, const std::vector<Candidate>& chosen, const char* path) {
  KnowledgeFile file = fileById(knowledge);
  for (std::size_t k = 0; k < chosen.size(); ++k) file.survey[k].member = {.frame = chosen[k].seen.frame, .at = chosen[k].seen.position};
  (void)writeFileAtomically(path, knowledgeToJson(file));
}

int study(const char* project, const char* mesh_path, const char* truth_path, int rounds, double px, const char* kept) {
  Workspace workspace;
  const auto truth = readShotRecord(truth_path);
  const auto mesh = readSetMesh(mesh_path, {});
  if (!workspace.openProject(project, nullptr, ProjectStore::Access::Read).ok() || !truth.ok() || !mesh.ok() || !workspace.solution()) return 2;
  const auto surface = *MeshSurface::make(*mesh, {});
  const Solution& solution = *workspace.solution();
  std::vector<Candidate> candidates;
  for (const SolvedTrack& track : solution.tracks) {
    const Track* seen = workspace.tracks()->find(track.id);
    if (track.state != TrackState::Kept || track.at_infinity || !seen || seen->observations.size() < 20) continue;
    candidates.push_back({track.id, seen->observations[seen->observations.size() / 2]});
  }
  const MeshSettings settings{mesh_path};
  Off by_picks, laid_on;
  int refused = 0;
  for (int round = 1; round <= rounds; ++round) {
    Random random(static_cast<std::uint64_t>(round));
    std::vector<Candidate> chosen;
    const Knowledge picks = picked(candidates, *truth, *surface, settings, px, random, chosen);
    if (round == 1 && kept) keep(picks, chosen, kept);
    const auto scene = orientScene(solution, {}, picks);
    if (!scene.ok() || !scene->surveyed) continue;
    by_picks.judge(solution, *scene, *truth);
    const auto laid = layOnMesh(solution, *scene, picks, *surface, settings, false, {});
    if (laid.ok())
      laid_on.judge(solution, *orientScene(solution, {}, laid->knowledge), *truth);
    else
      ++refused;
    if (laid.ok() && (round == 1 || laid_on.scale_pc.back() > 1))
      fmt::print("round {}: {} Scale times {:.3f}, off {:.2f} % (picks: {:.2f} %)\n", round, describe(*laid), laid->fit.mesh_from_before.scale,
                 laid_on.scale_pc.back(), by_picks.scale_pc.back());
  }
  by_picks.print("six picks");
  laid_on.print("then laid on the mesh");
  fmt::print("{} refused\n", refused);
  return 0;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 4) return 2;
  return study(argv[1], argv[2], argv[3], argc > 4 ? std::atoi(argv[4]) : 40, argc > 5 ? std::atof(argv[5]) : 1.5, argc > 6 ? argv[6] : nullptr);
}
