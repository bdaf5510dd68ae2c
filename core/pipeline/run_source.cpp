#include "core/pipeline/run_source.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/project/result_codec.h"
#include "core/review/verdict.h"
#include "core/solve/remeasure.h"

namespace dusky {
namespace {

Error lost(const Run& run, std::string_view what) { return unreadable(fmt::format("{} of run {} cannot be read from the project any more.", what, run.id)); }

/// The places of imported tracks, which the document's own text leaves out.
void fillImported(const RunSource& source, Document& document) {
  for (ImportedTracks& import : document.work.imported) {
    const auto here = std::find_if(source.imported.begin(), source.imported.end(), [&](const ImportedTracks& one) { return one.key == import.key; });
    if (here != source.imported.end()) import.tracks = here->tracks;
    if (import.tracks || !source.store) continue;
    if (const auto read = importedFrom(*source.store, import); read.ok()) import.tracks = *read;
  }
}

}  // namespace

std::string stepOfImport(const ImportedTracks& import) { return "imported " + import.key; }

Result<TrackSetPtr> importedFrom(const ProjectStore& store, const ImportedTracks& import) {
  const auto bytes = store.result(stepOfImport(import), import.key);
  const auto read = bytes ? decodeTracks(*bytes) : Result<TrackSetPtr>(unreadable("they are not in the project file"));
  if (!read.ok()) return read;
  return numberedFrom(**read, (*read)->tracks.empty() ? kFirstImportedId : (*read)->tracks.front().id);
}

Status storeImported(const TrackWork& work, ProjectStore& store) {
  for (const ImportedTracks& import : work.imported) {
    if (!import.tracks || store.has(stepOfImport(import), import.key)) continue;
    if (const Status saved = store.saveResult(stepOfImport(import), import.key, encode(*import.tracks)); !saved.ok()) return saved;
  }
  return Done{};
}

Result<RunResult> RunSource::read() const {
  if (writer && (!solution || !followed)) (void)writer->flush();
  auto document = documentFromJson(run.document);
  if (!document.ok()) return lost(run, "The settings");
  fillImported(*this, *document);
  TrackSetPtr made_from = followed;
  if (!made_from && store && !run.keys.tracks.empty()) {
    const auto bytes = store->result("tracks", run.keys.tracks);
    const auto decoded = bytes ? decodeTracks(*bytes) : Result<TrackSetPtr>(unreadable("gone"));
    if (!decoded.ok()) return lost(run, "The tracks");
    made_from = *decoded;
  }
  RunResult result{run, std::move(*document), solution, made_from, nullptr};
  result.tracks = withHandWork(made_from, run.keys.tracks, result.document, footage);
  if (!result.tracks) return lost(run, "The tracks");
  if (result.solution) return result;
  const auto bytes = store ? store->result("solve", run.keys.own) : std::nullopt;
  const auto decoded = bytes ? decodeSolution(*bytes) : Result<std::shared_ptr<Solution>>(unreadable("gone"));
  if (!decoded.ok() || !remeasure(**decoded, *result.tracks).ok()) return lost(run, "The solve");
  result.solution = *decoded;
  return result;
}

RunSummary summaryOf(const Solution& solution) {
  const Verdict verdict = judgeSolution(solution);
  RunSummary s;
  s.rms_px = solution.rms_px, s.holdout_rms_px = solution.holdout_rms_px, s.noise_floor_px = solution.evidence.noise_floor_px;
  s.verdict = describe(verdict.level), s.sentence = verdict.sentence;
  s.likely_slip_px = verdict.likely_slip_px, s.stability_px = verdict.stability_px, s.explained_share = verdict.explained_share;
  s.motion = describe(solution.motion), s.lens = describe(solution.lens().model);
  s.zooms = solution.zooms(), s.focal_px = solution.lens().focal_px, s.sigma_focal_px = solution.cameras.front().sigma[0];
  s.placed = solution.placedFrames(), s.frames = static_cast<int>(solution.frames.size());
  s.kept = solution.keptTracks(), s.tracks = static_cast<int>(solution.tracks.size());
  s.thinnest_frame = verdict.thinnest_frame.value_or(0), s.thinnest_tracks = verdict.thinnest_tracks;
  s.total_s = solution.summary.total_s;
  return s;
}

}  // namespace dusky
