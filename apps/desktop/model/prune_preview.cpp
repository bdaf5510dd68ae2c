#include "apps/desktop/model/prune_preview.h"

#include <QMetaObject>

namespace dusky::desktop {

PrunePreview::PrunePreview(DocumentModel& model, TrackFacts& facts, QObject* parent)
    : QObject(parent), model_(model), facts_(facts), worker_([this](const Question& question, const std::stop_token& dropped) { answer(question, dropped); }) {
  connect(&model_, &DocumentModel::documentChanged, this, &PrunePreview::ask);
  connect(&model_, &DocumentModel::solutionChanged, this, &PrunePreview::ask);
}

void PrunePreview::watch(bool watched) {
  watched_ = watched;
  asked_solution_.reset();
  ask();
}

void PrunePreview::tryRules(const std::optional<PruneRules>& rules) {
  tried_ = rules;
  ask();
}

void PrunePreview::ask() {
  const bool possible = watched_ && model_.solution() && model_.tracks() && !model_.partial() && model_.peeked() == 0 &&
                        model_.workspace().status(Step::Solve).state == StepState::Current;
  if (!possible || !rules().any()) {
    asked_solution_.reset();
    worker_.dropOlder();
    working_ = false;
    return show({});
  }
  const std::vector<int>& pinned = model_.document().picks.pinned;
  if (asked_solution_ == model_.solution() && asked_rules_ == rules() && asked_pinned_ == pinned) return;
  asked_solution_ = model_.solution(), asked_rules_ = rules(), asked_pinned_ = pinned;
  working_ = true;
  Document document = model_.document();
  document.prune = rules();
  worker_.ask({PruneTask{std::move(document), model_.workspace().footage(), model_.tracks(), model_.solution()}, facts_.now()});
  emit changed();
}

void PrunePreview::show(const PruneChoice& choice) {
  choice_ = choice;
  prediction_.reset();
  model_.setGoing(choice.tracks);
  emit changed();
}

void PrunePreview::answer(const Question& question, const std::stop_token& dropped) {
  const PruneTask& task = question.task;
  const auto post = [this, dropped](auto action) {
    QMetaObject::invokeMethod(
        this,
        [dropped, action] {
          if (!dropped.stop_requested()) action();
        },
        Qt::QueuedConnection);
  };
  const std::vector<int>& pinned = task.document.picks.pinned;
  const bool measured = question.facts->solution == task.solution && !question.facts->tracks.empty();
  const PruneChoice choice = measured ? choosePruning(*task.solution, *task.tracks, question.facts->tracks, task.document.prune, pinned)
                                      : choosePruning(*task.solution, *task.tracks, task.document.prune, pinned);
  post([this, choice] { show(choice); });
  const auto predicted = choice.empty() ? Result<PrunePrediction>(cancelled()) : predictPruning(task, choice, Progress({}, dropped));
  post([this, predicted] {
    working_ = false;
    if (predicted.ok()) prediction_ = *predicted;
    emit changed();
  });
}

}  // namespace dusky::desktop
