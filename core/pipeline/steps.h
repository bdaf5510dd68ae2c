#pragma once
#include <functional>

#include "core/deliver/delivery.h"
#include "core/image/frame_source.h"
#include "core/project/document.h"

namespace dusky {

// The steps of the work as plain functions of the document and of what came before. Both programs run them; each is safe to run on
// a worker thread with copies of its inputs.

/// Keys: the same key means the same result. Paths count together with the file's size and time.
std::string tracksKey(const Document& document, const FootageInfo& footage);
std::string solveKey(const Document& document, const FootageInfo& footage);

/// Masks ready for these frames of the footage. Errors: as MaskSet::make, and what the folder of mattes says.
Result<std::unique_ptr<MaskSet>> makeMasks(const MaskSettings& settings, const FootageInfo& footage, const std::vector<int>& frames);

Result<TrackSetPtr> runTracks(const Document& document, const Progress& progress, const std::function<void(TrackSetPtr)>& on_partial = {});
Result<SolutionPtr> runSolve(const Document& document, const TrackSet& tracks, const Progress& progress,
                             const std::function<void(SolutionPtr)>& on_partial = {});
/// A delivery as a value: safe to run on a worker thread while the artist goes on.
struct DeliveryJob {
  FootageInfo footage;
  SolutionPtr solution;
  SceneFrame scene;
  RunTimings timings;
  std::vector<std::string> warnings;  ///< Besides the solution's own.

  /// Errors: as deliver().
  Result<std::vector<DeliveredFile>> run(const DeliveryOptions& options, const Progress& progress) const;
};

/// The document's delivery settings, the folder made definite.
DeliveryOptions deliveryOptionsOf(const Document& document);

/// The folder that a delivery goes to when none is set: beside the footage, named after it.
std::filesystem::path defaultDeliveryFolder(const Document& document);

/// What solveShot is asked, from the document's millimetres.
SolveOptions solveOptionsOf(const Document& document, int width);

}  // namespace dusky
