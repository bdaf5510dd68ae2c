#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/image/frame_source.h"
#include "core/review/prune.h"

namespace dusky {

/// What a piece of advice is to do.
enum class AdviceAction : std::uint8_t {
  SetAside,     ///< Tracks out of the solve.
  FreeLens,     ///< More of the lens free.
  FindReadout,  ///< A rolling shutter's readout time looked for.
  FreeZoom,     ///< A focal length for each frame.
  FreeMotion,   ///< No shape of the path held.
  GiveFocal,    ///< Say what is known of the focal length.
  AddTracks     ///< More tracks in some frames.
};
/// "set_aside", "free_lens" ...
std::string_view describe(AdviceAction action);

/// What would make a solve better, and by how much it is expected to.
struct Advice {
  AdviceAction action = AdviceAction::SetAside;
  std::string sentence;              ///< What is wrong, and what comes of the action: "12 tracks slide along edges. Without them: holdout 0.31 to 0.24 px."
  std::string deed;                  ///< The action in a few words: "Set 12 aside".
  double holdout_px = kUnknown;      ///< Expected after it; unknown where the holdout tells nothing of it.
  double slip_px = kUnknown;         ///< How far an insert is then likely to slip; unknown where that is not what it is about.
  double gain_px = 0;                ///< By how much the one or the other becomes less.
  std::optional<FrameRange> frames;  ///< Where; nothing: all over the shot.
  PruneChoice choice;                ///< Of SetAside.
};

/// At most three pieces of advice on a finished solve, those that promise most first; none where nothing promises anything that chance could not. What to set
/// aside is tried by one step of the standing normal equations with the same holdout tracks (predictPruning); what to free, by the score tests of the evidence
/// (Rao, Mathematical Proceedings of the Cambridge Philosophical Society 44(1), 1948). `measured`: of measureTracks(). `options`: of the solve. `pinned`:
/// tracks that never go, ascending. Errors: Cancelled; InvalidInput when the tracks are others.
Result<std::vector<Advice>> adviceFor(const Solution& solution, const TrackSet& tracks, const std::vector<TrackMeasures>& measured, const SolveOptions& options,
                                      const std::vector<int>& pinned, const Progress& progress);

}  // namespace dusky
