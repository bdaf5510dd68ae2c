#include <fmt/format.h>

#include "core/pipeline/workspace.h"
#include "core/solve/remeasure.h"
#include "core/track/track_files.h"

namespace dusky {

const Result<SceneFrame>& Workspace::scene() const {
  static const Result<SceneFrame> none = invalidInput("There is no solved camera yet.");
  if (!solution_) return none;
  const SceneSettings& settings = seen_.picks.scene;
  const Knowledge& knowledge = seen_.picks.knowledge;
  if (!scene_ || scene_->solution != solution_ || scene_->settings != settings || !(scene_->knowledge == knowledge))
    scene_ = {solution_, settings, knowledge, orientScene(*solution_, settings, knowledge)};
  return scene_->frame;
}

static std::string lostLine(int lost) { return lost > 0 ? fmt::format(" · {} picked {} not here", lost, lost == 1 ? "track is" : "tracks are") : ""; }

const std::optional<Verdict>& Workspace::verdict() const {
  if (!solution_) return verdict_ = std::nullopt;
  const auto folder = denseFolder();
  if (!verdict_ || judged_ != solution_ || judged_with_ != folder)
    verdict_ = judgeSolution(*solution_, pictureOffsets(dense().frames)), judged_ = solution_, judged_with_ = folder;
  return verdict_;
}

std::filesystem::path Workspace::denseFolder(const DenseSettings& settings) const {
  if (!file_.store || solution_keys_.own.empty()) return {};
  const auto cache = denseCacheOf(file_.store->path());
  return cache / denseKey(document_, prints_, solution_keys_.own, settings);
}

std::filesystem::path Workspace::denseFolder() const { return denseFolder(document_.dense); }

const DenseSummary& Workspace::dense() const {
  const auto folder = denseFolder();
  if (!dense_ || dense_->folder != folder) dense_ = {folder, denseSummaryIn(folder)};
  return dense_->summary;
}

Result<DenseJob> Workspace::denseJob(const std::optional<DenseSettings>& settings) const {
  auto shot = deliveryJob();
  if (!shot.ok()) return shot.error();
  if (settings) shot->document.dense = *settings, shot->dense_folder = denseFolder(*settings);
  return DenseJob{std::move(*shot)};
}

StepStatus Workspace::status(Step step) const {
  if (!hasFootage()) return {StepState::NotRun, step == Step::Footage ? "none yet" : "not run"};
  const bool tracks_current = followed_ ? tracks_key_ == asked_tracks_key_ : tracks_ && !document_.work.imported.empty();
  const auto by_hand = document_.work.by_hand.size();
  std::size_t imported = 0;
  for (const ImportedTracks& import : document_.work.imported) imported += import.tracks ? import.tracks->tracks.size() - import.removed.size() : 0;
  const bool solve_current = solution_ && tracks_current && solution_keys_.asked == asked_solve_key_;
  switch (step) {
    case Step::Footage:
      return {footage_gone_ ? StepState::Stale : StepState::Current,
              fmt::format("{} frames · {}×{} · {:g} fps{}", footage_.frames(), footage_.width, footage_.height, footage_.fps,
                          footage_gone_                         ? " · not where it was"
                          : isTrackFile(document_.footage_path) ? " · tracks alone, no pictures"
                                                                : "")};
    case Step::Masks: {
      const MaskSettings& masks = document_.masks;
      if (!masks.any()) return {StepState::NotRun, "none"};
      std::string line = masks.shapes.empty() ? "" : fmt::format("{} {}", masks.shapes.size(), masks.shapes.size() == 1 ? "shape" : "shapes");
      if (!masks.mattes.folder.empty()) line += (line.empty() ? "mattes " : " · mattes ") + std::filesystem::path(masks.mattes.folder).filename().string();
      if (masks.alpha.used) line += line.empty() ? "alpha" : " · alpha";
      return {StepState::Current, line};
    }
    case Step::Tracks:
      if (!followed_) {
        if (imported > 0)
          return {StepState::Current, fmt::format("{} imported{}, none followed", imported, by_hand > 0 ? fmt::format(" · {} by hand", by_hand) : "")};
        return {StepState::NotRun, by_hand > 0 ? fmt::format("{} by hand, none followed yet", by_hand) : "not run"};
      }
      if (!tracks_current) return {StepState::Stale, "frames, masks or settings changed"};
      return {StepState::Current,
              fmt::format("{} · median life {:.0f} frames{}{}", tracks_->tracks.size(), tracks_->medianLife(),
                          by_hand > 0 ? fmt::format(" · {} by hand", by_hand) : "", imported > 0 ? fmt::format(" · {} imported", imported) : "") +
                  lostLine(lost_picks_)};
    case Step::Solve:
      if (!solution_) return solution_keys_.own.empty() ? StepStatus{StepState::NotRun, "not run"} : StepStatus{StepState::Stale, "tracks changed"};
      if (!tracks_current) return {StepState::Stale, "tracks changed"};
      if (!solve_current) return {StepState::Stale, "lens, track choice or tracks by hand changed"};
      return {StepState::Current, fmt::format("{:.2f} px · {} camera · {}", solution_->rms_px, describe(solution_->motion),
                                              verdict()->level == TrustLevel::Reject ? "do not use" : describe(verdict()->level))};
    case Step::Prune: {
      const auto aside = seen_.picks.set_aside.size(), dropped = seen_.picks.dropped.size();
      if (aside + dropped == 0) return {StepState::NotRun, solution_ ? "nothing set aside" : "not run"};
      return {solve_current ? StepState::Current : StepState::Stale,
              fmt::format("{} set aside{}", aside, dropped > 0 ? fmt::format(" · {} sightings dropped", dropped) : "")};
    }
    case Step::Scene: {
      if (!solution_) return {StepState::NotRun, "not run"};
      const auto& frame = scene();
      if (!frame.ok()) return {StepState::Stale, frame.error().message};
      const std::string ground = !seen_.picks.scene.ground.empty() ? "ground set" : frame->ground_found ? "ground guessed" : "no ground found";
      const std::size_t lengths = seen_.picks.knowledge.distances.size() + (seen_.picks.scene.length ? 1 : 0);
      const std::string scale = lengths > 1      ? fmt::format("{} lengths", lengths)
                                : !frame->metric ? "no length yet"
                                : lengths == 1   ? "1 length"
                                                 : "camera height";
      const std::string placed = frame->surveyed ? "placed by survey" : fmt::format("{} · {}{}", ground, scale, frame->moved.none() ? "" : " · moved");
      return {solve_current ? StepState::Current : StepState::Stale, placed};
    }
    case Step::Dense: {
      if (!solution_) return {StepState::NotRun, "not run"};
      const DenseSummary& made = dense();
      if (made.points == 0) return {StepState::NotRun, fmt::format("none of this solve, {} quality", describe(document_.dense.quality))};
      return {solve_current ? StepState::Current : StepState::Stale,
              fmt::format("{} points · {} keyframes · {}", roundedCount(made.points), made.frames.size(), describe(made.quality))};
    }
    case Step::Deliver: return {StepState::NotRun, solution_ ? "ready" : "not run"};
  }
  return {};
}

Result<DeliveryJob> Workspace::deliveryJob(double total_s) const {
  const auto& frame = scene();
  if (!frame.ok()) return frame.error();
  DeliveryJob job{.footage = footage_,
                  .solution = solution_,
                  .scene = *frame,
                  .timings = {.solve_s = solution_->summary.total_s, .total_s = total_s},
                  .warnings = {},
                  .advice = std::nullopt};
  // Advice is on a solve of these settings; on one that is stale there is none.
  job.document = document();
  job.dense_folder = denseFolder();
  job.current = status(Step::Solve).state == StepState::Current;
  if (tracks_ && madeFrom(*solution_, *tracks_)) job.tracks = tracks_;
  if (tracks_) {
    job.timings.decode_s = tracks_->summary.decode_s;
    job.timings.track_s = tracks_->summary.track_s;
    job.warnings = tracks_->summary.warnings;
  }
  return job;
}
}  // namespace dusky
