#include <fmt/format.h>

#include "apps/cli/cli.h"
#include "core/base/json_text.h"
#include "core/pipeline/knowledge_step.h"

namespace dusky::cli {
namespace {

using Json = nlohmann::ordered_json;

struct Arguments {
  std::string project, knowledge_file;
  bool save = false, json = false;
};

Json matrixOf(const Similarity& s) {
  const Mat3 turn = s.scale * s.rotation.toRotationMatrix();
  Json rows = Json::array();
  for (int r = 0; r < 3; ++r) rows.push_back({turn(r, 0), turn(r, 1), turn(r, 2), s.shift[r]});
  rows.push_back({0, 0, 0, 1});
  return rows;
}

void printJson(const Workspace& workspace, const SceneFrame& scene, const std::vector<SceneResidual>& residuals, bool saved) {
  const Picks& picks = workspace.document().picks;
  Json lengths = Json::array(), survey = Json::array();
  for (const SceneResidual& r : residuals) {
    if (r.survey)
      survey.push_back({{"name", r.name}, {"track", r.tracks[0]}, {"off", numberOrNull(r.found)}});
    else
      lengths.push_back(
          {{"from", r.tracks[0]}, {"to", r.tracks[1]}, {"metres", r.said}, {"found", numberOrNull(r.found)}, {"off_pc", numberOrNull(100 * r.share())}});
  }
  fmt::print("{}\n", Json{{"format", "dusky-moth-scene"},
                          {"version", 1},
                          {"scene_from_solve", matrixOf(scene.scene_from_solve)},
                          {"scale", scene.scene_from_solve.scale},
                          {"units", scene.metric ? "metres" : "units"},
                          {"placed_by", scene.surveyed                ? "survey"
                                        : !picks.scene.ground.empty() ? "ground"
                                        : scene.ground_found          ? "guessed ground"
                                                                      : "camera"},
                          {"up_sigma_deg", numberOrNull(scene.sigma_up_rad * 180 / M_PI)},
                          {"ground_rms", numberOrNull(scene.ground_rms)},
                          {"ground_outliers", scene.ground_outliers},
                          {"lengths", lengths},
                          {"survey", survey},
                          {"solve_is_stale", workspace.status(Step::Solve).state != StepState::Current},
                          {"saved", saved}}
                         .dump(1));
}

void printText(const std::string& project, const Workspace& workspace, const SceneFrame& scene, const std::vector<SceneResidual>& residuals, bool saved) {
  const Picks& picks = workspace.document().picks;
  fmt::print("placed   {}\n", scene.surveyed                ? "by the survey"
                              : !picks.scene.ground.empty() ? "by the picked ground"
                              : scene.ground_found          ? "on the ground that was guessed"
                                                            : "by the camera alone: no ground was found");
  if (!std::isnan(scene.sigma_up_rad)) fmt::print("level    guessed, to ± {:.1f}°\n", scene.sigma_up_rad * 180 / M_PI);
  if (!std::isnan(scene.ground_rms)) fmt::print("ground   its points stand {:.3g} {} off (RMS)\n", scene.ground_rms, scene.unit());
  if (!scene.ground_outliers.empty()) fmt::print("         without {}: not in the plane of the others\n", fmt::join(scene.ground_outliers, ", "));
  fmt::print("scale    {:.6g} {} in a unit of the solve\n", scene.scene_from_solve.scale, scene.unit());
  for (const SceneResidual& r : residuals) {
    if (r.survey)
      fmt::print("survey   {}, track {}: {:.4g} m off\n", r.name, r.tracks[0], r.found);
    else
      fmt::print("length   {}: {:.4g} m, known {:.4g} m ({:+.2f} %)\n", r.name, r.found, r.said, 100 * r.share());
  }
  if (workspace.status(Step::Solve).state != StepState::Current)
    fmt::print("note     the solve is not yet made with what is known: moth solve {} -o DIR --save\n", project);
  if (!saved) fmt::print("note     the project is left as it was; --save keeps this\n");
}

int scene(const Arguments& a) {
  Workspace workspace;
  const auto access = a.save ? ProjectStore::Access::Write : ProjectStore::Access::Read;
  if (const Status opened = workspace.openProject(a.project, nullptr, access); !opened.ok()) return failWith(opened.error());
  if (a.save && !workspace.readOnlyBecause().empty()) return failWith(cannotWrite(workspace.readOnlyBecause()));
  if (!workspace.solution())
    return failWith(invalidInput(fmt::format("{} holds no solve. Solve it first: moth solve {} -o DIR --save.", a.project, a.project)));
  const SolutionPtr solution = workspace.solution();
  if (!a.knowledge_file.empty()) {
    const auto file = readKnowledge(a.knowledge_file);
    if (!file.ok()) return failWith(Error{file.error().kind, "--knowledge " + file.error().message});
    auto edit = editFor(workspace, *file);
    if (!edit.ok()) return failWith(Error{edit.error().kind, "--knowledge: " + edit.error().message});
    if (const Status taken = workspace.run(std::move(*edit)); !taken.ok()) return failWith(taken.error());
  }
  const Picks& picks = workspace.document().picks;
  const auto placed = orientScene(*solution, picks.scene, picks.knowledge);
  if (!placed.ok()) return failWith(placed.error());
  if (a.save) {
    if (const Status written = workspace.flush(); !written.ok()) return failWith(written.error());
  }
  const auto residuals = sceneResiduals(*solution, *placed, picks.scene, picks.knowledge);
  a.json ? printJson(workspace, *placed, residuals, a.save) : printText(a.project, workspace, *placed, residuals, a.save);
  return kSolved;
}

}  // namespace

void addScene(CLI::App& app, int& code) {
  auto* command =
      app.add_subcommand("scene",
                         "Says how the world of a solved project is placed, without solving again: ground, scale, known distances and a survey, and\n"
                         "how far each is off. The project is left alone unless --save is given.");
  auto a = std::make_shared<Arguments>();
  command->add_option("PROJECT", a->project, "A solved project (.moth)")->required();
  command->add_option("--knowledge", a->knowledge_file, "What is known of the set: a JSON file, or a survey as CSV");
  command->add_flag("--save", a->save, "Keep the knowledge in the project");
  command->add_flag("--json", a->json, "One JSON object");
  command->callback([a, &code] { code = scene(*a); });
}

}  // namespace dusky::cli
