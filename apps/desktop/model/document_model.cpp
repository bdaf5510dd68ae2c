#include "apps/desktop/model/document_model.h"

#include <QMetaObject>

namespace dusky::desktop {

int DocumentModel::firstFrame() const {
  const FollowOptions& range = document().tracking;
  return range.first_frame != 0 || range.last_frame != 0 ? range.first_frame : workspace_.footage().first;
}

int DocumentModel::lastFrame() const {
  const FollowOptions& range = document().tracking;
  return range.first_frame != 0 || range.last_frame != 0 ? range.last_frame : workspace_.footage().last;
}

void DocumentModel::adopt(Workspace workspace) {
  workspace_ = std::move(workspace);
  listenToWrites();
  setPartial(nullptr, nullptr);
  touched_ = workspace_.keptUnsaved();
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

void DocumentModel::listenToWrites() {
  workspace_.onWriteProblem([this](const Error& error) {
    QMetaObject::invokeMethod(
        this, [this, error] { report(error); }, Qt::QueuedConnection);
  });
}

/// A solve on its way goes when the tracks that it is made from do.
void DocumentModel::dropForeignPartial() {
  if (partial_solution_ && partial_tracks_key_ != workspace_.followedKey()) setPartial(nullptr, nullptr);
}

void DocumentModel::tellAll() {
  dropForeignPartial();
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
  scene_problem_.clear();
  const SolutionPtr shown = solution();
  // While a solve is under way, picks may not have a place yet: it is shown by a guess.
  scene_ = partial_solution_ ? partial_scene_ : std::nullopt;
  if (!shown || partial_solution_) return;
  if (const auto& frame = workspace_.scene(); frame.ok()) {
    scene_ = *frame;
  } else {
    scene_problem_ = QString::fromStdString(frame.error().message);
    const auto guess = orientScene(*shown, {});
    if (guess.ok()) scene_ = *guess;
  }
}

const std::optional<Verdict>& DocumentModel::verdict() const {
  static const std::optional<Verdict> none;
  return partial() ? none : workspace_.verdict();
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

void DocumentModel::showPartial(SolutionPtr solution, const std::optional<SceneFrame>& scene, const std::string& tracks_key) {
  if (tracks_key != workspace_.followedKey()) return;
  setPartial(nullptr, std::move(solution));
  partial_scene_ = scene, partial_tracks_key_ = tracks_key;
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
  workspace_.takeTracks(std::move(tracks), key);
  touched_ = true;
  tellAll();
}

void DocumentModel::takeSolution(SolutionPtr solution, const SolveKeys& keys) {
  setPartial(nullptr, nullptr);
  workspace_.takeSolution(std::move(solution), keys);
  touched_ = true;
  tellAll();
}

void DocumentModel::relinkFootage(const FootageRecord& found) {
  report(workspace_.relinkFootage(found));
  touched_ = true;
  tellAll();
}

void DocumentModel::takeFilePrints(const FilePrints& prints) {
  if (workspace_.takeFilePrints(prints)) tellAll();
}
}  // namespace dusky::desktop
