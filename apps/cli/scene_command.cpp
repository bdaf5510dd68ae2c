#include <fmt/format.h>

#include <filesystem>

#include "apps/cli/cli.h"
#include "core/base/json_text.h"
#include "core/base/length_units.h"
#include "core/pipeline/knowledge_step.h"
#include "core/project/edits.h"
#include "core/scene/mesh_in_scene.h"

namespace dusky::cli {
namespace {

using Json = nlohmann::ordered_json;

struct Arguments {
  std::string project, knowledge_file;
  bool save = false, json = false;
  double camera_height = 0;
  int at_frame = 0;
  std::vector<double> move, turn;
  double scale = 0;
  std::string up;
  std::string mesh, mesh_unit, mesh_up;
  bool lay_on_mesh = false, keep_scale = false;
};

Vec3 tripleOf(const std::vector<double>& numbers) { return {numbers[0], numbers[1], numbers[2]}; }

Json matrixOf(const Similarity& s) {
  const Mat3 turn = s.scale * s.rotation.toRotationMatrix();
  Json rows = Json::array();
  for (int r = 0; r < 3; ++r) rows.push_back({turn(r, 0), turn(r, 1), turn(r, 2), s.shift[r]});
  rows.push_back({0, 0, 0, 1});
  return rows;
}

/// What the options say of how the scene is placed; nothing where they say nothing. Numbers count from where it stands unmoved.
std::optional<SceneSettings> asked(const Arguments& a, const Workspace& workspace, const SceneFrame& now) {
  SceneSettings scene = workspace.document().picks.scene;
  const SceneSettings before = scene;
  if (!a.up.empty()) scene.up = a.up == "z" ? UpAxis::Z : UpAxis::Y;
  if (a.camera_height > 0) scene.height = CameraHeight{a.at_frame, a.camera_height};
  if (!a.move.empty() || !a.turn.empty() || a.scale > 0) scene.move = now.moved, scene.move.metres = now.metric;
  if (!a.move.empty()) scene.move.shift = fromUpAxis(scene.up, tripleOf(a.move));
  if (!a.turn.empty()) scene.move.turn_deg = fromUpAxis(scene.up, tripleOf(a.turn));
  if (a.scale > 0) scene.move.scale = a.scale;
  return scene == before ? std::nullopt : std::optional(scene);
}

/// Why the scene cannot be moved as asked; empty where it can.
std::string notFree(const SceneMove& asked, const SceneMove& took) {
  if (asked.turn_deg != took.turn_deg) return "--turn: how the set lies is known; it can be turned about what is up at most.";
  if (asked.scale != took.scale) return "--scale: the scale is known.";
  return asked.metres == took.metres && asked.shift != took.shift ? "--move: the survey says where the set stands." : "";
}

Json numbersOf(UpAxis up, const Vec3& v) {
  const Vec3 told = toUpAxis(up, v);
  return {told.x(), told.y(), told.z()};
}

/// What is said of the mesh, beside what the project says.
MeshSettings meshAsked(const Arguments& a, const Document& document) {
  MeshSettings mesh = document.mesh;
  if (!a.mesh.empty()) mesh = {.path = std::filesystem::absolute(a.mesh).string()};
  for (const auto& [unit, metres] : kLengthUnits) {
    if (unit == a.mesh_unit) mesh.metres = metres;
  }
  if (!a.mesh_up.empty()) mesh.up = a.mesh_up == "z" ? UpAxis::Z : UpAxis::Y;
  return mesh;
}

/// How the set's mesh and the solved points lie to each other.
struct MeshFound {
  MeshSurfacePtr surface;
  MeshAgreement agreement;
  std::optional<LaidOnMesh> laid;
};

/// Reads the mesh, and lays the scene on it where that is asked.
Result<std::optional<MeshFound>> lookAtMesh(const Arguments& a, Workspace& workspace) {
  const MeshSettings mesh = meshAsked(a, workspace.document());
  if (mesh.path.empty()) {
    if (a.lay_on_mesh) return invalidInput("--lay-on-mesh: the project has no mesh. Name one with --mesh.");
    return std::optional<MeshFound>();
  }
  const auto file = readSetMesh(mesh.path, {});
  if (!file.ok()) return file.error();
  const auto surface = MeshSurface::make(*file, {});
  if (!surface.ok()) return surface.error();
  if (const Status taken = workspace.run(setMember("Mesh of the set", &Document::mesh, mesh)); !taken.ok()) return taken.error();
  MeshFound found{*surface, {}, std::nullopt};
  const auto placed = [&workspace] { return orientScene(*workspace.solution(), workspace.document().picks.scene, workspace.document().picks.knowledge); };
  auto scene = placed();
  if (!scene.ok()) return scene.error();
  if (a.lay_on_mesh) {
    auto laid = layOnMesh(*workspace.solution(), *scene, workspace.document().picks.knowledge, **surface, mesh, a.keep_scale, {});
    if (!laid.ok()) return laid.error();
    if (const Status taken = workspace.run(changeKnowledge("Lay the scene on the mesh", workspace.document(), laid->knowledge)); !taken.ok())
      return taken.error();
    found.laid = std::move(*laid);
    scene = placed();
    if (!scene.ok()) return scene.error();
  }
  found.agreement = agreementWith(*workspace.solution(), *scene, **surface, mesh);
  return std::optional(std::move(found));
}

Json meshJson(const std::optional<MeshFound>& found) {
  if (!found) return nullptr;
  const SetMesh& mesh = found->surface->mesh();
  Json json{{"points", mesh.points.size()},
            {"triangles", mesh.triangles.size()},
            {"near", found->agreement.near},
            {"far", found->agreement.far},
            {"median_off", numberOrNull(found->agreement.typical)}};
  if (found->laid)
    json["laid"] = {{"on", found->laid->fit.on.size()}, {"off", found->laid->fit.off}, {"rms", found->laid->fit.rms}, {"slides", found->laid->slides}};
  return json;
}

void printMesh(const MeshFound& found, const SceneFrame& scene) {
  const SetMesh& mesh = found.surface->mesh();
  fmt::print("mesh     {} points, {} triangles; {} of {} solved points lie near it, {:.3g} {} off in the median\n", mesh.points.size(), mesh.triangles.size(),
             found.agreement.near, found.agreement.near + found.agreement.far, found.agreement.typical, scene.unit());
  if (found.laid) fmt::print("         laid on it: {}\n", describe(*found.laid));
}

Json heightOf(const std::vector<SceneResidual>& residuals) {
  for (const SceneResidual& r : residuals) {
    if (r.tracks.empty()) return {{"metres", r.said}, {"found", numberOrNull(r.found)}};
  }
  return nullptr;
}

void printJson(const Workspace& workspace, const SceneFrame& scene, const std::vector<SceneResidual>& residuals, const std::optional<MeshFound>& mesh,
               bool saved) {
  const Picks& picks = workspace.document().picks;
  Json lengths = Json::array(), survey = Json::array();
  for (const SceneResidual& r : residuals) {
    if (r.survey())
      survey.push_back({{"name", r.name}, {"track", r.tracks[0]}, {"off", numberOrNull(r.found)}});
    else if (r.tracks.size() == 2)
      lengths.push_back(
          {{"from", r.tracks[0]}, {"to", r.tracks[1]}, {"metres", r.said}, {"found", numberOrNull(r.found)}, {"off_pc", numberOrNull(100 * r.share())}});
  }
  fmt::print("{}\n",
             Json{{"format", "dusky-moth-scene"},
                  {"version", 1},
                  {"scene_from_solve", matrixOf(scene.worldFromSolve())},
                  {"scale", scene.scene_from_solve.scale},
                  {"units", scene.metric ? "metres" : "units"},
                  {"placed_by", scene.surveyed                ? "survey"
                                : !picks.scene.ground.empty() ? "ground"
                                : scene.ground_found          ? "guessed ground"
                                                              : "camera"},
                  {"up_sigma_deg", numberOrNull(scene.sigma_up_rad * 180 / M_PI)},
                  {"ground_rms", numberOrNull(scene.ground_rms)},
                  {"ground_outliers", scene.ground_outliers},
                  {"up", scene.up == UpAxis::Z ? "z" : "y"},
                  {"moved",
                   {{"shift", numbersOf(scene.up, scene.moved.shift)}, {"turn_deg", numbersOf(scene.up, scene.moved.turn_deg)}, {"scale", scene.moved.scale}}},
                  {"camera_height", heightOf(residuals)},
                  {"lengths", lengths},
                  {"survey", survey},
                  {"mesh", meshJson(mesh)},
                  {"solve_is_stale", workspace.status(Step::Solve).state != StepState::Current},
                  {"saved", saved}}
                 .dump(1));
}

void printText(const std::string& project, const Workspace& workspace, const SceneFrame& scene, const std::vector<SceneResidual>& residuals,
               const std::optional<MeshFound>& mesh, bool saved) {
  const Picks& picks = workspace.document().picks;
  fmt::print("placed   {}\n", scene.surveyed                ? "by the survey"
                              : !picks.scene.ground.empty() ? "by the picked ground"
                              : scene.ground_found          ? "on the ground that was guessed"
                                                            : "by the camera alone: no ground was found");
  if (!std::isnan(scene.sigma_up_rad)) fmt::print("level    guessed, to ± {:.1f}°\n", scene.sigma_up_rad * 180 / M_PI);
  if (!std::isnan(scene.ground_rms)) fmt::print("ground   its points stand {:.3g} {} off (RMS)\n", scene.ground_rms, scene.unit());
  if (!scene.ground_outliers.empty()) fmt::print("         without {}: not in the plane of the others\n", fmt::join(scene.ground_outliers, ", "));
  fmt::print("scale    {:.6g} {} in a unit of the solve\n", scene.scene_from_solve.scale, scene.unit());
  if (!scene.moved.none()) {
    const Vec3 shift = toUpAxis(scene.up, scene.moved.shift), turn = toUpAxis(scene.up, scene.moved.turn_deg);
    fmt::print("moved    by hand: {:.4g}, {:.4g}, {:.4g} {}; turned {:.2f}°, {:.2f}°, {:.2f}° about X, Y, Z; × {:.4g}\n", shift.x(), shift.y(), shift.z(),
               scene.unit(), turn.x(), turn.y(), turn.z(), scene.moved.scale);
  }
  if (scene.up == UpAxis::Z) fmt::print("up       Z\n");
  for (const SceneResidual& r : residuals) {
    if (r.survey())
      fmt::print("survey   {}, track {}: {:.4g} m off\n", r.name, r.tracks[0], r.found);
    else if (r.tracks.empty())
      fmt::print("height   {}: {:.4g} m, known {:.4g} m ({:+.2f} %)\n", r.name, r.found, r.said, 100 * r.share());
    else
      fmt::print("length   {}: {:.4g} m, known {:.4g} m ({:+.2f} %)\n", r.name, r.found, r.said, 100 * r.share());
  }
  if (mesh) printMesh(*mesh, scene);
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
  auto placed = orientScene(*solution, picks.scene, picks.knowledge);
  if (!placed.ok() && a.camera_height <= 0) return failWith(placed.error());
  if (const auto settings = asked(a, workspace, placed.ok() ? *placed : SceneFrame())) {
    if (const Status taken = workspace.run(changeScene("Place the scene", workspace.document(), *settings)); !taken.ok()) return failWith(taken.error());
    placed = orientScene(*solution, picks.scene, picks.knowledge);
    if (!placed.ok()) return failWith(placed.error());
    if (const std::string why = notFree(settings->move, placed->moved); !why.empty()) return failWith(invalidInput(why));
  }
  const auto mesh = lookAtMesh(a, workspace);
  if (!mesh.ok()) return failWith(mesh.error());
  placed = orientScene(*solution, picks.scene, picks.knowledge);
  if (!placed.ok()) return failWith(placed.error());
  if (a.save) {
    if (const Status written = workspace.flush(); !written.ok()) return failWith(written.error());
  }
  const auto residuals = sceneResiduals(*solution, *placed, picks.scene, picks.knowledge);
  a.json ? printJson(workspace, *placed, residuals, *mesh, a.save) : printText(a.project, workspace, *placed, residuals, *mesh, a.save);
  return kSolved;
}

}  // namespace

void addScene(CLI::App& app, int& code) {
  auto* command =
      app.add_subcommand("scene",
                         "Says how the world of a solved project is placed, without solving again: ground, scale, known distances and a survey, and\n"
                         "how far each is off; moves, turns and scales it. The project is left alone unless --save is given.");
  auto a = std::make_shared<Arguments>();
  command->add_option("PROJECT", a->project, "A solved project (.moth)")->required();
  command->add_option("--knowledge", a->knowledge_file, "What is known of the set: a JSON file, or a survey as CSV");
  auto* height = command->add_option("--camera-height", a->camera_height, "Metres that the camera stands over the ground in --at-frame: sets the scale");
  height->check(CLI::PositiveNumber);
  auto* frame = command->add_option("--at-frame", a->at_frame, "The frame of --camera-height");
  height->needs(frame), frame->needs(height);
  command->add_option("--move", a->move, "How far the scene is moved by hand along X, Y and Z, scene units")->expected(3);
  command->add_option("--turn", a->turn, "How far it is turned by hand about X, Y and Z, degrees")->expected(3);
  command->add_option("--scale", a->scale, "How many times as large it is made, where no distance is known")->check(CLI::PositiveNumber);
  command->add_option("--up", a->up, "Which axis is up in numbers, tables and the report")->check(CLI::IsMember({"y", "z"}));
  command->add_option("--mesh", a->mesh, "A mesh or a scan of the set (OBJ, PLY, glTF): how the solved points lie to it");
  command->add_option("--mesh-unit", a->mesh_unit, "What one unit of its numbers is (m)")->check(CLI::IsMember({"m", "cm", "mm", "ft", "in"}));
  command->add_option("--mesh-up", a->mesh_up, "Which axis is up in its file (y)")->check(CLI::IsMember({"y", "z"}));
  auto* lay = command->add_flag("--lay-on-mesh", a->lay_on_mesh, "Move, turn and scale the scene until its points lie on the mesh, from where it is now");
  command->add_flag("--keep-scale", a->keep_scale, "With --lay-on-mesh: the scene stays as large as it is")->needs(lay);
  command->add_flag("--save", a->save, "Keep the knowledge in the project");
  command->add_flag("--json", a->json, "One JSON object");
  command->callback([a, &code] { code = scene(*a); });
}

}  // namespace dusky::cli
