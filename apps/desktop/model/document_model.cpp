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
  partial_tracks_.reset();
  partial_solution_.reset();
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

void DocumentModel::run(std::unique_ptr<Edit> edit) {
  report(workspace_.run(std::move(edit)));
  touched_ = true;
  refreshScene();
  emit documentChanged();
  emit resultsChanged();
}

void DocumentModel::undo() {
  if (!workspace_.undoStack().canUndo()) return;
  report(workspace_.undo());
  refreshScene();
  emit documentChanged();
  emit resultsChanged();
}

void DocumentModel::redo() {
  if (!workspace_.undoStack().canRedo()) return;
  report(workspace_.redo());
  refreshScene();
  emit documentChanged();
  emit resultsChanged();
}

void DocumentModel::refreshScene() {
  scene_.reset();
  verdict_.reset();
  scene_problem_.clear();
  const SolutionPtr shown = solution();
  if (!shown) return;
  // While a solve is under way, picks may not have a place yet: show it by a guess.
  const auto frame = orientScene(*shown, partial_solution_ ? SceneSettings{} : document().scene);
  if (frame.ok()) {
    scene_ = *frame;
  } else {
    scene_problem_ = QString::fromStdString(frame.error().message);
    const auto guess = orientScene(*shown, {});
    if (guess.ok()) scene_ = *guess;
  }
  if (!partial_solution_) verdict_ = judgeSolution(*shown);
}

void DocumentModel::showPartial(TrackSetPtr tracks) {
  partial_tracks_ = std::move(tracks);
  partial_solution_.reset();
  refreshScene();
  emit resultsChanged();
}

void DocumentModel::showPartial(SolutionPtr solution) {
  partial_solution_ = std::move(solution);
  refreshScene();
  emit resultsChanged();
}

void DocumentModel::dropPartial() {
  if (!partial()) return;
  partial_tracks_.reset();
  partial_solution_.reset();
  refreshScene();
  emit resultsChanged();
}

void DocumentModel::takeTracks(TrackSetPtr tracks, const std::string& key) {
  partial_tracks_.reset();
  partial_solution_.reset();
  report(workspace_.takeTracks(std::move(tracks), key));
  touched_ = true;
  refreshScene();
  emit documentChanged();
  emit resultsChanged();
}

void DocumentModel::takeSolution(SolutionPtr solution, const std::string& key) {
  partial_tracks_.reset();
  partial_solution_.reset();
  report(workspace_.takeSolution(std::move(solution), key));
  touched_ = true;
  refreshScene();
  emit documentChanged();
  emit resultsChanged();
}

}  // namespace dusky::desktop
