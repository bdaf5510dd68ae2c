#include <fmt/format.h>

#include <filesystem>

#include "apps/cli/cli.h"
#include "core/media/footage.h"
#include "core/pipeline/workspace.h"

namespace dusky::cli {
namespace {

/// What is in a project, step by step.
int infoOfProject(const std::string& path) {
  Workspace workspace;
  std::string warning;
  if (const Status opened = workspace.openProject(path, &warning, ProjectStore::Access::Read); !opened.ok()) return failWith(opened.error());
  const Document& document = workspace.document();
  fmt::print("{}\n  footage  {}\n  picture  {}\n", path, document.footage_path, workspace.status(Step::Footage).line);
  for (const std::string& note : {workspace.readOnlyBecause(), warning}) {
    if (!note.empty()) fmt::print("  note     {}\n", note);
  }
  for (const StepInfo& step : kSteps) {
    if (step.step != Step::Footage && step.step != Step::Prune && step.step != Step::Deliver)
      fmt::print("  {:<8} {}\n", step.id, workspace.status(step.step).line);
  }
  const Picks& picks = document.picks;
  if (!picks.set_aside.empty() || !picks.pinned.empty() || !picks.weights.empty())
    fmt::print("  picks    {} tracks set aside, {} pinned, {} weighted\n", picks.set_aside.size(), picks.pinned.size(), picks.weights.size());
  if (const auto& verdict = workspace.verdict()) fmt::print("  verdict  {}: {}\n", describe(verdict->level), verdict->sentence);
  return kSolved;
}

int info(const std::string& path) {
  if (std::filesystem::path(path).extension() == ".moth") return infoOfProject(path);
  auto source = openFootage(path);
  if (!source.ok()) return failWith(source.error());
  const FootageInfo& i = (*source)->info();
  fmt::print("{}\n  kind     {}\n  picture  {}×{} px{}\n  frames   {} ({}–{})\n  rate     {:g} fps, {:.2f} s\n", i.path, i.kind, i.width, i.height,
             i.pixel_aspect == 1 ? "" : fmt::format(", pixels {:.4g} times as wide as high", i.pixel_aspect), i.frames(), i.first, i.last, i.fps,
             i.frames() / i.fps);
  if (i.focal_mm > 0) fmt::print("  focal    {:.4g} mm, says the file; take it as a hint, true to about 5 %\n", i.focal_mm);
  if (i.focal_35_mm > 0) fmt::print("  focal    {:.4g} mm on a 36 mm wide sensor, says the file; take it as a hint, true to about 10 %\n", i.focal_35_mm);
  for (const std::string& warning : i.warnings) fmt::print("  note     {}\n", warning);
  return kSolved;
}

}  // namespace

void addInfo(CLI::App& app, int& code) {
  auto* command =
      app.add_subcommand("info", "What is in a movie or an image sequence: size, frames, rate; or in a project (.moth): what was done and what came of it.");
  auto path = std::make_shared<std::string>();
  command->add_option("FOOTAGE", *path, "A movie, one picture of a sequence, a folder with one sequence, or a project (.moth)")->required();
  command->callback([path, &code] { code = info(*path); });
}

}  // namespace dusky::cli
