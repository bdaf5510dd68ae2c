#include "apps/desktop/model/document_model.h"

namespace dusky::desktop {

int DocumentModel::firstFrame() const {
  const int chosen = document().tracking.first_frame;
  return chosen != 0 ? chosen : workspace_.footage().first;
}

int DocumentModel::lastFrame() const {
  const int chosen = document().tracking.last_frame;
  return chosen != 0 ? chosen : workspace_.footage().last;
}

void DocumentModel::adopt(Workspace workspace) {
  workspace_ = std::move(workspace);
  setPartial(nullptr, nullptr);
  touched_ = false;
  refreshScene();
  emit opened();
  emit documentChanged();
  emit resultsChanged();
}

bool DocumentModel::saveAs(const QString& path) {
  const Status saved = workspace_.saveAs(path.toStdString());
  report(saved);
  if (saved.ok()) touched_ = false;
  emit documentChanged();
  return saved.ok();
}

void DocumentModel::report(const Status& status) {
  if (!status.ok()) emit problem(QString::fromStdString(status.error().message));
}

void DocumentModel::tellAll() {
  refreshScene();
  emit documentChanged();
  emit resultsChanged();
}

void DocumentModel::run(std::unique_ptr<Edit> edit) {
  report(workspace_.run(std::move(edit)));
  touched_ = true;
  tellAll();
}

void DocumentModel::undo() {
  if (!workspace_.undoStack().canUndo()) return;
  report(workspace_.undo());
  tellAll();
}

void DocumentModel::redo() {
  if (!workspace_.undoStack().canRedo()) return;
  report(workspace_.redo());
  tellAll();
}

void DocumentModel::refreshScene() {
  scene_.reset();
  verdict_.reset();
  scene_problem_.clear();
  const SolutionPtr shown = solution();
  if (!shown) return;
  // While a solve is under way, picks may not have a place yet: show it by a guess.
  const auto frame = orientScene(*shown, partial_solution_ ? SceneSettings{} : document().picks.scene);
  if (frame.ok()) {
    scene_ = *frame;
  } else {
    scene_problem_ = QString::fromStdString(frame.error().message);
    const auto guess = orientScene(*shown, {});
    if (guess.ok()) scene_ = *guess;
  }
  if (!partial_solution_) verdict_ = judgeSolution(*shown);
}

void DocumentModel::setPartial(TrackSetPtr tracks, SolutionPtr solution) {
  partial_tracks_ = std::move(tracks);
  partial_solution_ = std::move(solution);
}

void DocumentModel::showPartial(TrackSetPtr tracks) {
  setPartial(std::move(tracks), nullptr);
  refreshScene();
  emit resultsChanged();
}

void DocumentModel::showPartial(SolutionPtr solution) {
  setPartial(nullptr, std::move(solution));
  refreshScene();
  emit resultsChanged();
}

void DocumentModel::dropPartial() {
  if (!partial()) return;
  setPartial(nullptr, nullptr);
  refreshScene();
  emit resultsChanged();
}

void DocumentModel::takeTracks(TrackSetPtr tracks, const std::string& key) {
  setPartial(nullptr, nullptr);
  report(workspace_.takeTracks(std::move(tracks), key));
  touched_ = true;
  tellAll();
}

void DocumentModel::takeSolution(SolutionPtr solution, const std::string& key) {
  setPartial(nullptr, nullptr);
  report(workspace_.takeSolution(std::move(solution), key));
  touched_ = true;
  tellAll();
}
}  // namespace dusky::desktop
