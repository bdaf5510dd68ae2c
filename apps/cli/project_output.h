#pragma once
#include <CLI/CLI.hpp>

#include "core/pipeline/workspace.h"

namespace dusky::cli {

/// Where a command keeps its project. A project that is there is never replaced unasked: results are added to it where its settings are the command's own, or
/// where nobody changed it since a command wrote it.
struct ProjectOutput {
  std::string new_project;  ///< --new-project.
  bool replace = false, save = false;

  void add(CLI::App& command);

  enum class What { Leave, Make, AddTo };
  struct Plan {
    What what = What::Leave;
    std::filesystem::path path;
    std::string note;                ///< What the artist should know of it; empty: nothing.
    std::shared_ptr<FileLock> lock;  ///< Held until it is written: nobody opens it meanwhile and makes the work vain.
  };
  /// Decides before the work begins. `opened`: what the command reads; `usual`: the project's name beside the results.
  /// Errors: InvalidInput that names the options; CannotWrite where another program has it open.
  Result<Plan> plan(const Document& document, const std::filesystem::path& opened, const std::filesystem::path& usual) const;
};

/// Opens a project to be read; what is to be known of it goes to errors(). Errors: as Workspace::openProject().
Status openToRead(Workspace& workspace, const std::string& project);

/// Writes document and results as planned.
Status saveProject(Workspace& workspace, const ProjectOutput::Plan& plan);

}  // namespace dusky::cli
