#pragma once
#include "core/knowledge/knowledge_file.h"
#include "core/pipeline/workspace.h"
#include "core/project/edits.h"

namespace dusky {

/// Reads what is known of the set: a knowledge file, or a survey as CSV (its points named as the tracks are). Errors: as readFile, knowledgeFromJson and
/// surveyFromCsv, with the path.
Result<KnowledgeFile> readKnowledge(const std::filesystem::path& path);

/// Finds what a file speaks of among the tracks of the solve that is shown, and gives the edit that takes it over. `knowledge` gets what was found.
/// Errors: InvalidInput where there is no solve; as findMembers.
Result<std::unique_ptr<Edit>> editFor(const Workspace& workspace, const KnowledgeFile& file, FoundKnowledge* found = nullptr);

/// Writes what is known of the shot, and how its scene is placed, as a knowledge file; tracks by where they are seen, so that it works on fresh tracks.
/// Errors: InvalidInput where nothing is known; CannotWrite.
Status writeKnowledge(const Workspace& workspace, const std::filesystem::path& path);

/// A solve taken on with what the document knows of the set, and reviewed; where it knows nothing, `plain` itself, reviewed.
/// Errors: as orientScene and solveWithKnowledge.
Result<SolutionPtr> solvedWithKnowledge(const Document& document, const SolveOptions& options, const TrackSet& tracks, const SolutionPtr& plain,
                                        const Progress& progress);

}  // namespace dusky
