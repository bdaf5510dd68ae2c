#include "apps/desktop/model/prune_preview.h"

#include <QMetaObject>

namespace dusky::desktop {

PrunePreview::PrunePreview(DocumentModel& model, QObject* parent) : QObject(parent), model_(model), worker_([this](std::stop_token stop) { run(stop); }) {
  connect(&model_, &DocumentModel::documentChanged, this, &PrunePreview::ask);
  connect(&model_, &DocumentModel::solutionChanged, this, &PrunePreview::ask);
}

PrunePreview::~PrunePreview() {
  worker_.request_stop();
  wake_.notify_all();
}

void PrunePreview::watch(bool watched) {
  watched_ = watched;
  asked_solution_.reset();
  ask();
}

void PrunePreview::ask() {
  const bool possible = watched_ && model_.solution() && model_.tracks() && !model_.partial() && model_.peeked() == 0 &&
                        model_.workspace().status(Step::Solve).state == StepState::Current;
  const PruneRules& rules = model_.document().prune;
  if (!possible || !rules.any()) {
    asked_solution_.reset();
    ++serial_;
    working_ = false;
    return show({});
  }
  const std::vector<int>& pinned = model_.document().picks.pinned;
  if (asked_solution_ == model_.solution() && asked_rules_ == rules && asked_pinned_ == pinned) return;
  asked_solution_ = model_.solution(), asked_rules_ = rules, asked_pinned_ = pinned;
  working_ = true;
  {
    const std::lock_guard lock(mutex_);
    question_ = {++serial_, PruneTask{model_.document(), model_.workspace().footage(), model_.tracks(), model_.solution()}};
  }
  wake_.notify_all();
  emit changed();
}

void PrunePreview::show(const PruneChoice& choice) {
  choice_ = choice;
  prediction_.reset();
  model_.setGoing(choice.tracks);
  emit changed();
}

void PrunePreview::run(std::stop_token stop) {
  while (!stop.stop_requested()) {
    std::pair<int, PruneTask> question;
    {
      std::unique_lock lock(mutex_);
      if (!wake_.wait(lock, stop, [&] { return question_.has_value(); })) return;
      question = std::move(*question_);
      question_.reset();
    }
    const auto& [serial, task] = question;
    const auto post = [this, number = serial](auto action) {
      QMetaObject::invokeMethod(
          this,
          [this, number, action] {
            if (number == serial_) action();
          },
          Qt::QueuedConnection);
    };
    const PruneChoice choice = choosePruning(*task.solution, *task.tracks, task.document.prune, task.document.picks.pinned);
    post([this, choice] { show(choice); });
    const auto predicted = choice.empty() ? Result<PrunePrediction>(cancelled()) : predictPruning(task, choice, Progress({}, stop));
    post([this, predicted] {
      working_ = false;
      if (predicted.ok()) prediction_ = *predicted;
      emit changed();
    });
  }
}

}  // namespace dusky::desktop
