#pragma once
#include <QScrollArea>
#include <array>

#include "apps/desktop/actions/track_actions.h"
#include "apps/desktop/model/session.h"
#include "apps/desktop/steps/step_row.h"

namespace dusky::desktop {

/// The steps column: map of the work, its state, and the settings of the one step that is open.
class StepsPanel : public QScrollArea {
  Q_OBJECT
 public:
  StepsPanel(Session& session, TrackActions& actions, QAction* open_footage, QWidget* parent = nullptr);

  void openStep(Step step);
  Step opened() const { return opened_; }
  StepRow& row(Step step) const { return *rows_[static_cast<std::size_t>(step)]; }

 private:
  void refresh();

  Session& session_;
  std::vector<StepRow*> rows_;  ///< As in kSteps.
  Step opened_ = Step::Footage;
};

}  // namespace dusky::desktop
