#include "apps/desktop/model/advisor.h"

#include <QMetaObject>

#include "apps/desktop/model/preferences.h"

namespace dusky::desktop {

Advisor::Advisor(DocumentModel& model, TrackFacts& facts, Jobs& jobs, QObject* parent)
    : QObject(parent), model_(model), facts_(facts), jobs_(jobs), worker_([this](const Question& question, const std::stop_token& dropped) {
        answer(question, dropped);
      }) {
  connect(&facts_, &TrackFacts::changed, this, &Advisor::ask);
  connect(&model_, &DocumentModel::documentChanged, this, &Advisor::ask);
  connect(&model_, &DocumentModel::solutionChanged, this, &Advisor::tellOutcome);
  connect(&model_, &DocumentModel::opened, this, [this] {
    taken_.reset();
    outcome_.clear();
  });
}

void Advisor::ask() {
  const SolutionPtr solution = model_.solution();
  const bool possible =
      solution && facts_.current() && !model_.partial() && model_.peeked() == 0 && model_.workspace().status(Step::Solve).state == StepState::Current;
  if (possible && solution == asked_) return;
  asked_ = possible ? solution : nullptr;
  worker_.dropOlder();
  if (!advice_.empty()) {
    advice_.clear();
    emit changed();
  }
  if (possible) worker_.ask({PruneTask{model_.document(), model_.workspace().footage(), model_.tracks(), solution}, facts_.now()});
}

void Advisor::answer(const Question& question, const std::stop_token& dropped) {
  const auto advice = adviseOn(question.task, question.facts->tracks, Progress({}, dropped));
  if (!advice.ok()) return;
  QMetaObject::invokeMethod(
      this,
      [this, advice = *advice, dropped] {
        if (dropped.stop_requested()) return;
        advice_ = advice;
        emit changed();
      },
      Qt::QueuedConnection);
}

void Advisor::take(std::size_t index) {
  if (index >= advice_.size()) return;
  const Advice advice = advice_[index];
  auto edit = takeAdvice(model_.document(), *model_.solution(), advice);
  if (!edit) return emit asked(advice);
  taken_ = {advice, model_.solution()};
  outcome_.clear();
  model_.run(std::move(edit));
  // A lens that is freed and tracks that go leave the camera about where it is; what explains the footage in another way is found anew.
  if (advice.action == AdviceAction::SetAside || advice.action == AdviceAction::FreeLens)
    jobs_.carryOn();
  else
    jobs_.runSolve();
}

void Advisor::tellOutcome() {
  const SolutionPtr after = model_.solution();
  if (!taken_ || !after || model_.partial() || after == taken_->before || model_.peeked() != 0) return;
  if (model_.workspace().status(Step::Solve).state != StepState::Current) return;
  const auto& [advice, before] = *taken_;
  outcome_ = tr("%1: holdout %2 to %3 px, expected %4 px; an insert is likely to slip by %5 px, before by %6 px.")
                 .arg(QString::fromStdString(advice.deed), pxText(before->holdout_rms_px, 1), pxText(after->holdout_rms_px, 1), pxText(advice.holdout_px, 1),
                      pxText(after->evidence.likelySlip_px()), pxText(before->evidence.likelySlip_px()));
  taken_.reset();
  emit changed();
}

}  // namespace dusky::desktop
