#include "apps/cli/project_output.h"

#include <fmt/format.h>

#include "apps/cli/cli.h"
#include "core/base/atomic_file.h"
#include "core/base/paths.h"

namespace dusky::cli {
namespace {

using Plan = ProjectOutput::Plan;
using What = ProjectOutput::What;

/// The right to write a project, from before the work until it is saved. Errors: CannotWrite: who has it.
Result<std::shared_ptr<FileLock>> lockOf(const std::filesystem::path& path) {
  const FileLock::Taken taken = FileLock::take(path);
  if (taken.lock) return taken.lock;
  return cannotWrite(taken.held_by_other
                         ? fmt::format("{} is open in another Dusky Moth ({}). Close it there, or give --new-project FILE.", path.string(), taken.holder)
                         : fmt::format("Cannot write the project {}: {}.", path.string(), taken.holder));
}

/// Whether results may go into a project that is there; `itself`: it is the one that is read, and it was asked for.
Status checkAdding(const std::filesystem::path& path, const Document& document, bool itself) {
  const auto there = ProjectStore::open(path, ProjectStore::Access::Read);
  if (!there.ok()) {
    return invalidInput(fmt::format("{} stands where the project would go: {} Give --new-project FILE, or --replace.", path.string(), there.error().message));
  }
  if (const std::string& damage = (*there)->readOnlyBecause(); !damage.empty())
    return invalidInput(fmt::format("{} Give --new-project FILE{}.", damage, itself ? "" : ", or --replace"));
  if (itself) return Done{};
  const auto stored = (*there)->document();
  Document there_now = stored.ok() ? *stored : Document();
  there_now.ledger = document.ledger;  // it stays as it is there
  const bool same = stored.ok() && there_now == document;
  if (same || (*there)->madeByCommand()) return Done{};
  return invalidInput(fmt::format(
      "{} is a project with settings or work of its own, which this would replace. --new-project FILE writes another, --replace replaces it.", path.string()));
}

}  // namespace

void ProjectOutput::add(CLI::App& command) {
  command.add_option("--new-project", new_project, "Write the project to this file (.moth), in place of one beside the results");
  command.add_flag("--replace", replace, "Replace a project that is there, with all that was done in it");
  command.add_flag("--save", save, "PROJECT is kept up to date: what was said and the results are saved in it. Without it, it is left alone");
}

Result<Plan> ProjectOutput::plan(const Document& document, const std::filesystem::path& opened, const std::filesystem::path& usual) const {
  const bool from_project = opened.extension() == ".moth";
  if (save && !from_project) return invalidInput("--save is for a project (.moth) that is given as FOOTAGE.");
  if (save && !new_project.empty()) return invalidInput("Give --save or --new-project, not both.");
  if (!new_project.empty() && std::filesystem::path(new_project).extension() != ".moth")
    return invalidInput(fmt::format("--new-project takes a name that ends in .moth, not \"{}\".", new_project));
  const std::filesystem::path target = save ? opened : !new_project.empty() ? std::filesystem::path(new_project) : usual;
  std::error_code failed;
  const bool itself = from_project && std::filesystem::equivalent(opened, target, failed);
  if (itself && !save && new_project.empty())
    return Plan{What::Leave, opened, fmt::format("{} is left as it was; --save keeps this solve in it, --new-project FILE writes another.", opened.string()),
                nullptr};
  if (itself && !save)
    return invalidInput(fmt::format("--new-project names the project that is read, {}. Use --save to keep the solve in it.", opened.string()));
  const bool exists = std::filesystem::exists(target, failed);
  Plan plan{exists && (itself || !replace) ? What::AddTo : What::Make, target, {}, nullptr};
  // A folder that is still to be made takes it, and nobody has it open there.
  if (!std::filesystem::exists(folderOf(target), failed)) {
    if (const Status fine = checkOutputFolder(folderOf(target)); !fine.ok()) return fine.error();
    return plan;
  }
  if (const Status fine = checkOutputFile(target); !fine.ok()) return fine.error();
  auto lock = lockOf(target);
  if (!lock.ok()) return lock.error();
  plan.lock = std::move(*lock);
  if (plan.what == What::AddTo) {
    if (const Status fine = checkAdding(target, document, itself); !fine.ok()) return fine.error();
  }
  return plan;
}

Status openToRead(Workspace& workspace, const std::string& project) {
  std::string warning;
  const Status opened = workspace.openProject(project, &warning, ProjectStore::Access::Read);
  if (opened.ok() && !warning.empty()) fmt::print(errors(), "moth: note: {}\n", warning);
  return opened;
}

Status saveProject(Workspace& workspace, const Plan& plan) {
  if (plan.what == What::Leave) return Done{};
  std::error_code failed;
  const bool by_command = plan.what == What::Make || !std::filesystem::equivalent(plan.path, workspace.filePath(), failed);
  const Status saved = plan.what == What::Make ? workspace.saveAs(plan.path) : workspace.saveInto(plan.path);
  if (!saved.ok()) return saved;
  // What an artist made stays the artist's, also with a command's settings in it.
  return by_command ? workspace.markMadeByCommand() : Status(Done{});
}

}  // namespace dusky::cli
