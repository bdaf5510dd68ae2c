#pragma once
#include "core/pipeline/steps.h"
#include "core/project/project_store.h"
#include "core/project/result_writer.h"

namespace dusky {

/// What a solve began with.
struct RunOrigin {
  std::optional<Document> document;  ///< That it was asked for; none: the present one.
  int parent = 0;                    ///< The run that was shown then.
  bool carried_on = false;           ///< It began with that run's camera.
};

/// A run as it was when it was made.
struct RunResult {
  Run run;
  Document document;
  SolutionPtr solution;
  TrackSetPtr followed;  ///< nullptr: it was made from imported ones alone.
  TrackSetPtr tracks;    ///< With everything done by hand.
};

/// All that is needed to read a run, apart from the workspace: a value that may be used on a worker thread.
struct RunSource {
  Run run;
  SolutionPtr solution;  ///< nullptr: it is read from the store.
  TrackSetPtr followed;  ///< The same.
  FootageInfo footage;
  std::shared_ptr<ProjectStore> store;   ///< nullptr: nothing is stored.
  std::shared_ptr<ResultWriter> writer;  ///< What is not written yet is waited for.
  std::vector<ImportedTracks> imported;  ///< Those that are in memory.

  /// Errors: Unreadable: what of it is lost.
  Result<RunResult> read() const;
};

/// What the ledger shows of a solve.
RunSummary summaryOf(const Solution& solution);

/// Where the places of imported tracks are stored, and those that are. Errors: Unreadable: they are not there, or damaged.
std::string stepOfImport(const ImportedTracks& import);
Result<TrackSetPtr> importedFrom(const ProjectStore& store, const ImportedTracks& import);
/// The places of imported tracks are no result that could be made again: they are in the file before a document speaks of them, each kept as long as the file.
Status storeImported(const TrackWork& work, ProjectStore& store);

}  // namespace dusky
