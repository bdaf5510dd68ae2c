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
  tell(true);
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

void DocumentModel::tell(bool everything) {
  peek_.reset();
  dropForeignPartial();
  refreshScene();
  emit documentChanged();
  tellResults(everything);
  const Workspace& now = workspace_;
  const bool same_ledger = told_.shown_run == now.shownRun() && told_.runs == now.ledger().runs().size() && told_.ledger == document().ledger;
  told_.shown_run = now.shownRun(), told_.runs = now.ledger().runs().size(), told_.ledger = document().ledger;
  if (!same_ledger || everything) emit ledgerChanged();
}

/// Each view hears only of what it shows.
void DocumentModel::tellResults(bool everything) {
  const Document& d = document();
  const bool other_tracks = told_.tracks != tracks();
  const bool other_solution = told_.solution != solution();
  const auto scene = scene_ ? std::optional(d.picks.scene) : std::nullopt;
  const bool other_scene = other_solution || told_.scene != scene || !(told_.knowledge == d.picks.knowledge) || told_.objects != d.picks.objects;
  const bool other_marks = told_.set_aside != d.picks.set_aside || told_.pinned != d.picks.pinned || told_.weights != d.picks.weights ||
                           told_.labels != d.work.labels || told_.followed_key != workspace_.followedKey();
  told_.tracks = tracks(), told_.solution = solution(), told_.scene = scene, told_.knowledge = d.picks.knowledge;
  told_.objects = d.picks.objects, told_.set_aside = d.picks.set_aside, told_.pinned = d.picks.pinned, told_.weights = d.picks.weights,
  told_.labels = d.work.labels;
  told_.followed_key = workspace_.followedKey();
  if (other_tracks || everything) emit tracksChanged();
  if (other_solution || everything) emit solutionChanged();
  if (other_scene || everything) emit sceneChanged();
  if (other_marks || everything) emit marksChanged();
  if (other_tracks || other_solution || other_scene || other_marks || everything) emit resultsChanged();
}

void DocumentModel::redrawAll() { tell(true); }

void DocumentModel::run(std::unique_ptr<Edit> edit) {
  report(workspace_.run(std::move(edit)));
  touched_ = true;
  tell();
}

void DocumentModel::undo() {
  if (!workspace_.undoStack().canUndo()) return;
  report(workspace_.undo());
  tell();
}

void DocumentModel::redo() {
  if (!workspace_.undoStack().canRedo()) return;
  report(workspace_.redo());
  tell();
}

void DocumentModel::refreshScene() {
  scene_problem_.clear();
  const SolutionPtr shown = solution();
  // While a solve is under way, picks may not have a place yet: it is shown by a guess.
  scene_ = partial_solution_ ? partial_scene_ : std::nullopt;
  if (!shown || partial_solution_) return;
  if (const auto& frame = peek_ ? orientScene(*shown, document().picks.scene, document().picks.knowledge) : workspace_.scene(); frame.ok()) {
    scene_ = *frame;
  } else {
    scene_problem_ = QString::fromStdString(frame.error().message);
    const auto guess = orientScene(*shown, {});
    if (guess.ok()) scene_ = *guess;
  }
}

void DocumentModel::previewScene(std::optional<SceneFrame> scene) {
  if (scene && scene_)
    scene_ = std::move(scene);
  else
    refreshScene();
  emit scenePreviewed();
}

const std::optional<Verdict>& DocumentModel::verdict() const {
  static const std::optional<Verdict> none;
  return partial() ? none : peek_ ? peek_verdict_ : workspace_.verdict();
}

void DocumentModel::setPartial(TrackSetPtr tracks, SolutionPtr solution) {
  partial_tracks_ = std::move(tracks);
  partial_solution_ = std::move(solution);
}

void DocumentModel::showPartial(TrackSetPtr tracks) {
  setPartial(std::move(tracks), nullptr);
  refreshScene();
  tellResults();
}

void DocumentModel::showPartial(SolutionPtr solution, const std::optional<SceneFrame>& scene, const std::string& tracks_key) {
  if (tracks_key != workspace_.followedKey()) return;
  setPartial(nullptr, std::move(solution));
  partial_scene_ = scene, partial_tracks_key_ = tracks_key;
  refreshScene();
  tellResults();
}

void DocumentModel::dropPartial() {
  if (!partial()) return;
  setPartial(nullptr, nullptr);
  refreshScene();
  tellResults();
}

void DocumentModel::takeTracks(TrackSetPtr tracks, const std::string& key) {
  setPartial(nullptr, nullptr);
  workspace_.takeTracks(std::move(tracks), key);
  touched_ = true;
  tell();
}

void DocumentModel::takeSolution(SolutionPtr solution, const SolveKeys& keys, const RunOrigin& origin) {
  setPartial(nullptr, nullptr);
  workspace_.takeSolution(std::move(solution), keys, origin);
  touched_ = true;
  tell();
}

void DocumentModel::lookAtDense() {
  workspace_.lookAtDense();
  emit documentChanged();
}

void DocumentModel::relinkFootage(const FootageRecord& found) {
  report(workspace_.relinkFootage(found));
  touched_ = true;
  tell();
}

void DocumentModel::takePruned(const Pruned& pruned) {
  report(workspace_.takePruned(pruned));
  touched_ = true;
  tell();
}

void DocumentModel::restoreRun(const RunResult& run) {
  report(workspace_.restoreRun(run));
  touched_ = true;
  tell();
}

void DocumentModel::peek(const RunResult& run) {
  if (partial()) return;
  peek_ = run, peek_verdict_ = judgeSolution(*run.solution);
  refreshScene();
  emit documentChanged();
  tellResults();
}

void DocumentModel::setGoing(const std::vector<int>& tracks) {
  if (tracks == going_) return;
  going_ = tracks;
  emit marksChanged();
  emit resultsChanged();
}

void DocumentModel::peekEnd() {
  if (!peek_) return;
  peek_.reset();
  refreshScene();
  emit documentChanged();
  tellResults();
}

void DocumentModel::takeFilePrints(const FilePrints& prints) {
  if (workspace_.takeFilePrints(prints)) tell();
}
}  // namespace dusky::desktop
