#include "core/pipeline/knowledge_step.h"

#include <fmt/format.h>

#include "core/base/atomic_file.h"
#include "core/review/reviewed_solve.h"
#include "core/scene/knowledge_members.h"
#include "core/solve/knowledge_stage.h"

namespace dusky {
namespace {

/// Where anything else is said in units, the length that sets the scene's scale is a statement like it.
Knowledge withSceneLength(const Picks& picks) {
  Knowledge knowledge = picks.knowledge;
  if (knowledge.saysLengths()) knowledge.distances = knownDistances(picks.scene, picks.knowledge);
  return knowledge;
}

/// A track by its name, or by where it is seen in the middle of its life.
MemberRef seenAs(const Workspace& workspace, int id) {
  const TrackLabel* label = workspace.labelOf(id);
  if (label && !label->name.empty()) return {.name = label->name};
  const Track* track = workspace.tracks() ? workspace.tracks()->find(id) : nullptr;
  if (!track || track->observations.empty()) return {.id = id};
  const Observation& middle = track->observations[track->observations.size() / 2];
  return {.frame = middle.frame, .at = middle.position, .within_px = 3};
}

MembersRef seenAs(const Workspace& workspace, const std::vector<int>& ids) {
  MembersRef members;
  for (const int id : ids) members.members.push_back(seenAs(workspace, id));
  return members;
}

}  // namespace

Result<KnowledgeFile> readKnowledge(const std::filesystem::path& path) {
  const auto text = readFile(path);
  if (!text.ok()) return text.error();
  auto read = path.extension() == ".csv" ? surveyFromCsv(*text) : knowledgeFromJson(*text);
  if (!read.ok()) return Error{read.error().kind, fmt::format("{}: {}", path.string(), read.error().message)};
  return read;
}

Result<std::unique_ptr<Edit>> editFor(const Workspace& workspace, const KnowledgeFile& file, FoundKnowledge* found) {
  if (!workspace.solution()) return invalidInput("Solve the shot first: knowledge speaks of tracks that have a place.");
  const auto members = findMembers(file, *workspace.tracks(), *workspace.solution(), [&workspace](int id) { return workspace.nameOf(id); });
  if (!members.ok()) return members.error();
  if (found) *found = *members;
  return useKnowledge(workspace.document(), *members);
}

Status writeKnowledge(const Workspace& workspace, const std::filesystem::path& path) {
  const Picks& picks = workspace.document().picks;
  KnowledgeFile file = fileById(picks.knowledge);
  for (auto& set : file.sets) set.members = seenAs(workspace, set.set.tracks);
  for (auto& length : file.lengths) length.from = seenAs(workspace, length.distance.from), length.to = seenAs(workspace, length.distance.to);
  const auto seenPairs = [&workspace](KnowledgeFile::Pairs& pairs) {
    for (auto& [from, to] : pairs) from = seenAs(workspace, *from.id), to = seenAs(workspace, *to.id);
  };
  for (auto& length : file.plane_lengths) length.from = seenAs(workspace, length.distance.track);
  for (auto& equal : file.equals) seenPairs(equal.pairs);
  for (auto& mirror : file.mirrors) seenPairs(mirror.pairs);
  for (auto& survey : file.survey) survey.member = seenAs(workspace, survey.point.track);
  const SceneSettings& scene = picks.scene;
  if (scene.length && file.lengths.empty())
    file.lengths.push_back({seenAs(workspace, scene.length->from), seenAs(workspace, scene.length->to), {.metres = scene.length->metres}});
  if (!scene.ground.empty()) file.ground = seenAs(workspace, scene.ground);
  if (scene.origin) file.origin = seenAs(workspace, *scene.origin);
  if (scene.direction) file.x_axis = {seenAs(workspace, scene.direction->from), seenAs(workspace, scene.direction->to)};
  file.camera_height = scene.height;
  if (!scene.move.none()) file.move = scene.move;
  if (scene.up != UpAxis::Y) file.up = scene.up;
  const bool placed = file.ground || file.origin || file.x_axis || file.camera_height || file.move || file.up;
  if (picks.knowledge.empty() && file.lengths.empty() && !placed)
    return invalidInput("Nothing is known of this set yet, and the scene is not placed: there is nothing to save.");
  return writeFileAtomically(path, knowledgeToJson(file));
}

Result<SolutionPtr> solvedWithKnowledge(const Document& document, const SolveOptions& options, const TrackSet& tracks, const SolutionPtr& plain,
                                        const Progress& progress) {
  const Knowledge knowledge = withSceneLength(document.picks);
  if (knowledge.empty()) return reviewed(tracks, options, plain, progress);
  const auto scene = orientScene(*plain, document.picks.scene, knowledge);
  if (!scene.ok()) return scene.error();
  const auto known = solveWithKnowledge(tracks, options, plain, knowledge, scene->scene_from_solve, progress.part(0, 0.8));
  if (!known.ok()) return known;
  return reviewed(tracks, options, *known, progress.part(0.8, 1));
}

}  // namespace dusky
