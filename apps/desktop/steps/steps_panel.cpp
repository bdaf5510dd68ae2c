#include "apps/desktop/steps/steps_panel.h"

#include <QVBoxLayout>
#include <map>

#include "apps/desktop/steps/step_settings.h"

namespace dusky::desktop {

StepsPanel::StepsPanel(Session& session, TrackActions& actions, QAction* open_footage, QWidget* parent) : QScrollArea(parent), session_(session) {
  setFixedWidth(264);
  setWidgetResizable(true);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* all = new QWidget;
  all->setObjectName("steps");
  setWidget(all);
  auto* column = new QVBoxLayout(all);
  column->setContentsMargins(0, 4, 0, 0);
  column->setSpacing(0);
  const std::map<Step, QWidget*> settings = {{Step::Footage, footageSettings(session, open_footage)},
                                             {Step::Masks, maskSettings(session)},
                                             {Step::Tracks, tracksSettings(session)},
                                             {Step::Solve, solveSettings(session)},
                                             {Step::Prune, pruneSettings(session)},
                                             {Step::Scene, sceneSettings(session, actions)},
                                             {Step::Dense, denseSettings(session)},
                                             {Step::Deliver, deliverSettings(session)}};
  for (const StepInfo& step : kSteps) rows_.push_back(new StepRow(tr(step.name.data()), tr(step.purpose.data()), settings.at(step.step)));
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    column->addWidget(rows_[i]);
    connect(rows_[i], &StepRow::headClicked, this, [this, i] { openStep(static_cast<Step>(i)); });
    connect(rows_[i], &StepRow::cancelClicked, this, [this, i] { session_.jobs.cancel(static_cast<Step>(i)); });
  }
  column->addStretch();
  connect(&session_.model, &DocumentModel::documentChanged, this, &StepsPanel::refresh);
  connect(&session_.jobs, &Jobs::changed, this, &StepsPanel::refresh);
  openStep(Step::Footage);
  refresh();
}

void StepsPanel::openStep(Step step) {
  opened_ = step;
  session_.prune.watch(step == Step::Prune);
  session_.dense.watch(step == Step::Dense);
  for (std::size_t i = 0; i < rows_.size(); ++i) rows_[i]->setOpen(static_cast<Step>(i) == step);
}

void StepsPanel::refresh() {
  for (std::size_t i = 0; i < rows_.size(); ++i) {
    const auto step = static_cast<Step>(i);
    StepStatus status = session_.model.workspace().status(step);
    if (step == Step::Deliver && !session_.jobs.delivered().files.empty()) {
      status = session_.jobs.deliveredIsCurrent()
                   ? StepStatus{StepState::Current, tr("%1 files written").arg(session_.jobs.delivered().files.size()).toStdString()}
                   : StepStatus{StepState::Stale, tr("solve or scene changed since").toStdString()};
    }
    rows_[i]->show(status, session_.jobs.state(step));
  }
}

}  // namespace dusky::desktop
