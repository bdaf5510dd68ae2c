#include "core/pipeline/advice_step.h"

#include "core/project/edits.h"
#include "core/solve/remeasure.h"

namespace dusky {
namespace {

/// Every group of the lens that was solved is released; a lens without distortion gets one.
LensSettings withFreeLens(LensSettings lens, const Solution& solution) {
  LensModel model = solution.lens().model;
  if (model == LensModel::None) model = LensModel::Brown;
  if (lens.lens == LensChoice::None) lens.lens = LensChoice::Brown;
  for (const LensGroup& group : lensGroups(model)) lens.releases[std::string(group.name)] = Release::On;
  return lens;
}

}  // namespace

Result<std::vector<Advice>> adviseOn(const PruneTask& task, const std::vector<TrackMeasures>& measured, const Progress& progress) {
  const auto options = solveOptionsOf(task.document, task.footage);
  if (!options.ok()) return options.error();
  return adviceFor(*task.solution, *task.tracks, measured, *options, task.document.picks.pinned, progress);
}

Result<std::vector<Advice>> adviseOn(const PruneTask& task, const Progress& progress) {
  if (!madeFrom(*task.solution, *task.tracks)) return invalidInput("The solve was made from other tracks.");
  return adviseOn(task, measureTracks(*task.solution, *task.tracks), progress);
}

std::unique_ptr<Edit> takeAdvice(const Document& document, const Solution& solution, const Advice& advice) {
  LensSettings lens = document.lens;
  switch (advice.action) {
    case AdviceAction::SetAside: return setAsideChosen(document, advice.choice);
    case AdviceAction::FreeLens:
      if (!document.lens.known.empty()) return nullptr;  // a chart is what the artist knows
      return setMember("Free the lens", &Document::lens, withFreeLens(lens, solution));
    case AdviceAction::FindReadout: lens.free_readout = true, lens.global_shutter = false; return setMember("Find the readout", &Document::lens, lens);
    case AdviceAction::FreeZoom: lens.focal = FocalKnowledge::Zoom; return setMember("Solve as a zoom", &Document::lens, lens);
    case AdviceAction::FreeMotion: lens.motion = CameraMotion::Free; return setMember("Free the motion", &Document::lens, lens);
    case AdviceAction::GiveFocal:
    case AdviceAction::AddTracks: return nullptr;
  }
  return nullptr;
}

}  // namespace dusky
