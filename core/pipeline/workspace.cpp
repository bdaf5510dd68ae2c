#include "core/pipeline/workspace.h"

#include <fmt/format.h>

#include "core/media/footage.h"
#include "core/project/result_codec.h"

namespace dusky {

Status Workspace::openFootage(const std::string& path) {
  auto source = dusky::openFootage(path);
  if (!source.ok()) return source.error();
  *this = Workspace();
  footage_ = (*source)->info();
  // A project may be opened from anywhere.
  document_.footage_path = std::filesystem::absolute(path).lexically_normal().string();
  return Done{};
}

Status Workspace::openProject(const std::filesystem::path& path, std::string* warning) {
  auto store = ProjectStore::open(path);
  if (!store.ok()) return store.error();
  auto document = (*store)->document();
  if (!document.ok()) return document.error();
  *this = Workspace();
  store_ = std::move(*store);
  document_ = std::move(*document);
  auto source = dusky::openFootage(document_.footage_path);
  if (source.ok())
    footage_ = (*source)->info();
  else if (warning)
    *warning = source.error().message;
  recall();
  return Done{};
}

Status Workspace::saveAs(const std::filesystem::path& path) {
  auto store = ProjectStore::create(path, document_);
  if (!store.ok()) return store.error();
  store_ = std::move(*store);
  if (tracks_) {
    if (Status saved = store_->saveResult("tracks", tracks_key_, encode(*tracks_)); !saved.ok()) return saved;
  }
  if (solution_) return store_->saveResult("solve", solution_key_, encode(*solution_));
  return Done{};
}

Status Workspace::afterChange() {
  recall();
  return store_ ? store_->saveDocument(document_) : Status(Done{});
}

Status Workspace::run(std::unique_ptr<Edit> edit) {
  if (!undo_.run(document_, std::move(edit))) return Done{};
  return afterChange();
}

Status Workspace::undo() {
  undo_.undo(document_);
  return afterChange();
}

Status Workspace::redo() {
  undo_.redo(document_);
  return afterChange();
}

std::optional<std::string> Workspace::stored(const std::string& step, const std::string& key) const {
  return store_ ? store_->result(step, key) : std::nullopt;
}

/// Going back to earlier settings finds their results again.
void Workspace::recall() {
  if (!hasFootage()) return;
  const std::string tracks_key = tracksKey(document_, footage_), solve_key = solveKey(document_, footage_);
  if (tracks_key != tracks_key_) {
    if (const auto made = made_tracks_.find(tracks_key); made != made_tracks_.end()) {
      tracks_ = made->second, tracks_key_ = tracks_key;
    } else if (const auto bytes = stored("tracks", tracks_key)) {
      if (auto decoded = decodeTracks(*bytes); decoded.ok()) tracks_ = *decoded, tracks_key_ = tracks_key, made_tracks_[tracks_key] = tracks_;
    }
  }
  if (solve_key != solution_key_ || !solution_) {
    if (const auto made = made_solutions_.find(solve_key); made != made_solutions_.end()) {
      holdSolution(made->second, solve_key);
    } else if (const auto bytes = stored("solve", solve_key)) {
      if (auto decoded = decodeSolution(*bytes); decoded.ok()) holdSolution(made_solutions_[solve_key] = *decoded, solve_key);
    }
  }
  dropForeignSolution();
}

void Workspace::holdSolution(SolutionPtr solution, const std::string& key) {
  solution_ = std::move(solution);
  solution_key_ = key;
  solution_tracks_key_ = tracks_key_;
}

/// A solve names tracks by their ids; shown with other tracks it would tell lies about them. It stays among the made ones.
void Workspace::dropForeignSolution() {
  if (solution_ && solution_tracks_key_ != tracks_key_) solution_.reset();
}

Status Workspace::takeTracks(TrackSetPtr tracks, const std::string& key) {
  tracks_ = std::move(tracks);
  tracks_key_ = key;
  made_tracks_[key] = tracks_;
  dropForeignSolution();
  return store_ ? store_->saveResult("tracks", key, encode(*tracks_)) : Status(Done{});
}

Status Workspace::takeSolution(SolutionPtr solution, const std::string& key) {
  holdSolution(std::move(solution), key);
  made_solutions_[key] = solution_;
  return store_ ? store_->saveResult("solve", key, encode(*solution_)) : Status(Done{});
}

Result<SceneFrame> Workspace::scene() const {
  if (!solution_) return invalidInput("There is no solved camera yet.");
  return orientScene(*solution_, document_.scene);
}

StepStatus Workspace::status(Step step) const {
  if (!hasFootage()) return {StepState::NotRun, step == Step::Footage ? "none yet" : "not run"};
  const bool tracks_current = tracks_ && tracks_key_ == tracksKey(document_, footage_);
  const bool solve_current = solution_ && tracks_current && solution_key_ == solveKey(document_, footage_);
  switch (step) {
    case Step::Footage:
      return {StepState::Current, fmt::format("{} frames · {}×{} · {:g} fps", footage_.frames(), footage_.width, footage_.height, footage_.fps)};
    case Step::Masks: {
      const MaskSettings& masks = document_.masks;
      if (!masks.any()) return {StepState::NotRun, "none"};
      if (masks.mattes.folder.empty()) return {StepState::Current, fmt::format("{} shapes", masks.shapes.size())};
      return {StepState::Current, "mattes · " + std::filesystem::path(masks.mattes.folder).filename().string()};
    }
    case Step::Tracks:
      if (!tracks_) return {StepState::NotRun, "not run"};
      if (!tracks_current) return {StepState::Stale, "frames, masks or settings changed"};
      return {StepState::Current, fmt::format("{} · median life {:.0f} frames", tracks_->tracks.size(), tracks_->medianLife())};
    case Step::Solve:
      if (!solution_) return solution_key_.empty() ? StepStatus{StepState::NotRun, "not run"} : StepStatus{StepState::Stale, "tracks changed"};
      if (!tracks_current) return {StepState::Stale, "tracks changed"};
      if (!solve_current) return {StepState::Stale, "lens or track choice changed"};
      return {StepState::Current, fmt::format("{:.2f} px · {} camera", solution_->rms_px, solution_->motion)};
    case Step::Scene: {
      if (!solution_) return {StepState::NotRun, "not run"};
      const auto frame = scene();
      if (!frame.ok()) return {StepState::Stale, frame.error().message};
      const std::string ground = !document_.scene.ground.empty() ? "ground set" : frame->ground_found ? "ground guessed" : "no ground found";
      return {solve_current ? StepState::Current : StepState::Stale, ground + (frame->metric ? " · 1 length" : " · no length yet")};
    }
    case Step::Deliver: return {StepState::NotRun, solution_ ? "ready" : "not run"};
  }
  return {};
}

Result<DeliveryJob> Workspace::deliveryJob(double total_s) const {
  const auto frame = scene();
  if (!frame.ok()) return frame.error();
  DeliveryJob job{
      .footage = footage_, .solution = solution_, .scene = *frame, .timings = {.solve_s = solution_->summary.total_s, .total_s = total_s}, .warnings = {}};
  if (tracks_) {
    job.timings.decode_s = tracks_->summary.decode_s;
    job.timings.track_s = tracks_->summary.track_s;
    job.warnings = tracks_->summary.warnings;
  }
  return job;
}

}  // namespace dusky
