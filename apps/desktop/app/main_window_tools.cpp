#include <QAction>
#include <QActionGroup>
#include <QStackedWidget>
#include <QToolButton>

#include "apps/desktop/app/main_window.h"
#include "apps/desktop/app/view_frame.h"
#include "apps/desktop/closeup/closeup_view.h"
#include "apps/desktop/coverage/coverage_view.h"
#include "apps/desktop/curves/lens_view.h"
#include "apps/desktop/ledger/ledger_view.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/steps/steps_panel.h"
#include "apps/desktop/sweep/sweep_view.h"
#include "apps/desktop/tracklist/track_list.h"
#include "apps/desktop/twoframes/two_frames_view.h"

namespace dusky::desktop {

using Tool = ViewSettings::Tool;

/// What the left button does on the Plate; the step settings choose the same tools.
void MainWindow::makeToolActions() {
  mask_edit_ = action(tr("Edit masks"), tr("Move, turn, scale and reshape masks on the Plate."), QKeySequence(Qt::Key_E), "mask-edit");
  hand_ = action(tr("Place tracks by hand"), tr("Click where a track should begin; drag its point to set keys."), QKeySequence(Qt::Key_P), "hand");
  region_ = action(tr("Add tracks here"), tr("Draw round where more tracks are wanted."), QKeySequence(Qt::Key_R), "region");
  edge_ =
      action(tr("Straight-line check"), tr("Draw along something straight: the line bends as the solved lens would bend it."), QKeySequence(Qt::Key_B), "edge");
  straight_ = switchAction(tr("Undistorted plate"), tr("Takes the solved lens’s distortion out of the picture."), QKeySequence(Qt::Key_U), "straight",
                           &ViewSettings::straight, &ViewSettings::showStraight);
  leave_tool_ = action(tr("Back to selecting"), tr("Lets go of the tool and of what is half drawn."), QKeySequence(Qt::Key_Backspace));
  candidates_ = switchAction(tr("Show candidates"), tr("Features that tracking would begin with in this frame."), QKeySequence(Qt::SHIFT | Qt::Key_T),
                             "candidates", &ViewSettings::candidatesShown, &ViewSettings::showCandidates);
  const std::vector<std::pair<QAction*, Tool>> all = {{box_, Tool::Box},   {lasso_, Tool::Lasso},   {mask_edit_, Tool::MaskEdit},
                                                      {hand_, Tool::Hand}, {region_, Tool::Region}, {edge_, Tool::Edge}};
  tools_ = new QActionGroup(this);
  tools_->setExclusionPolicy(QActionGroup::ExclusionPolicy::ExclusiveOptional);
  for (const auto& [one, tool] : all) {
    one->setCheckable(true);
    tools_->addAction(one);
    connect(one, &QAction::triggered, this, [this, tool](bool on) { session_.view.setTool(on || tool == Tool::Box ? tool : Tool::Box); });
  }
  box_->setChecked(true);
  connect(&session_.view, &ViewSettings::changed, this, [this, all] {
    for (const auto& [one, tool] : all) one->setChecked(session_.view.tool() == tool);
    leave_tool_->setEnabled(session_.view.tool() != Tool::Box && session_.view.tool() != Tool::Lasso);
  });
  leave_tool_->setEnabled(false);
  connect(leave_tool_, &QAction::triggered, this, [this] {
    if (!plate_->leaveTool()) session_.view.setTool(Tool::Box);
  });
}

void MainWindow::makeViewActions() {
  for (const ViewInfo& info : kViews) {
    if (info.key == 0) continue;
    QAction* made = action(tr(info.name), tr(info.tip), QKeySequence(Qt::CTRL | static_cast<Qt::Key>(info.key)));
    made->setCheckable(true);
    show_[info.view] = made;
  }
  fill_ = action(tr("Fill the window with a view"), tr("The view under the pointer, or the Plate; again: all views. A double click on a heading does it too."),
                 QKeySequence(Qt::Key_Z));
  fill_->setCheckable(true);
  connect(fill_, &QAction::triggered, this, &MainWindow::fillUnderPointer);
}

void MainWindow::showView(View view) {
  if (filled_ && *filled_ != viewInfo(view).place) fillWith(*filled_);
  if (const auto show = show_.find(view); show != show_.end()) show->second->trigger();
}

QStackedWidget* MainWindow::stackOf(ViewPlace place) {
  auto* stack = new QStackedWidget;
  auto* group = new QActionGroup(this);
  QList<QAction*> actions;
  QList<ViewFrame*> frames;
  for (const ViewInfo& info : kViews) {
    if (info.place != place) continue;
    ViewFrame* frame = makeFrame(info.view);
    QAction* show = show_.at(info.view);
    group->addAction(show);
    actions << show;
    frames << frame;
    stack->addWidget(frame);
    connect(show, &QAction::triggered, stack, [stack, frame] { stack->setCurrentWidget(frame); });
  }
  for (ViewFrame* frame : frames) frame->setTabs(actions);
  actions.front()->setChecked(true);
  return stack;
}

ViewFrame* MainWindow::makeFrame(View view) {
  switch (view) {
    case View::Plate: return framePlate();
    case View::Space: return frameSpace();
    case View::Closeup: return frameCloseup();
    case View::TwoFrames: return frameTwoFrames();
    case View::ErrorMap: return frameErrorMap();
    case View::Tracks: return frameTrackList();
    case View::Coverage: return frameCoverage();
    case View::Lens: return frameLens();
    case View::Sweep: return frameSweep();
    case View::Ledger: return frameLedger();
  }
  return nullptr;
}

ViewFrame* MainWindow::frameLedger() {
  auto* frame = new ViewFrame(tr("LEDGER"), ledger_view_);
  for (QAction* tool : ledger_view_->actions()) {
    QToolButton* button = frame->addTool(tool);
    button->setToolButtonStyle(Qt::ToolButtonTextOnly);
  }
  connect(ledger_view_, &LedgerView::noteChanged, frame, &ViewFrame::setNote);
  return frame;
}

ViewFrame* MainWindow::frameLens() {
  auto* frame = new ViewFrame(tr("LENS"), lens_view_);
  for (QAction* tool : {edge_, straight_}) frame->addTool(tool);
  connect(lens_view_, &LensView::noteChanged, frame, &ViewFrame::setNote);
  return frame;
}

ViewFrame* MainWindow::frameSweep() { return new ViewFrame(tr("SWEEP"), sweep_view_); }

ViewFrame* MainWindow::frameCloseup() {
  auto* frame = new ViewFrame(tr("CLOSE-UP"), closeup_);
  for (const int times : {4, 8, 16, 32}) {
    auto* zoom = new QToolButton;
    zoom->setText(tr("×%1").arg(times));
    zoom->setToolTip(tr("Enlarge %1 times. The wheel does too.").arg(times));
    zoom->setFocusPolicy(Qt::NoFocus);
    connect(zoom, &QToolButton::clicked, closeup_, [this, times] { closeup_->setZoom(times); });
    frame->addTool(zoom);
  }
  connect(closeup_, &CloseupView::noteChanged, frame, &ViewFrame::setNote);
  return frame;
}

ViewFrame* MainWindow::frameTwoFrames() { return new ViewFrame(tr("TWO FRAMES"), two_frames_); }

ViewFrame* MainWindow::frameTrackList() {
  auto* frame = new ViewFrame(tr("TRACKS"), track_list_);
  connect(track_list_, &TrackList::noteChanged, frame, &ViewFrame::setNote);
  return frame;
}

ViewFrame* MainWindow::frameCoverage() {
  auto* frame = new ViewFrame(tr("COVERAGE"), coverage_);
  auto* add = new QToolButton;
  add->setObjectName("addTracksInCells");
  add->setText(tr("Add tracks here"));
  add->setToolTip(tr("Finds more tracks in the chosen cells and frames: drag over the map to choose."));
  add->setFocusPolicy(Qt::NoFocus);
  add->setEnabled(false);
  frame->addTool(add);
  connect(add, &QToolButton::clicked, coverage_, &CoverageView::addTracksHere);
  const auto refresh = [this, add] { add->setEnabled(coverage_->hasChoice()); };
  connect(coverage_, &CoverageView::choiceChanged, add, refresh);
  connect(coverage_, &CoverageView::noteChanged, frame, &ViewFrame::setNote);
  return frame;
}

void MainWindow::askCandidates() {
  if (session_.view.candidatesShown() && session_.model.hasFootage())
    session_.candidates.ask(session_.model.document(), session_.playback.frame());
  else
    session_.candidates.clear();
}

void MainWindow::connectTools() {
  connect(&session_.view, &ViewSettings::changed, this, &MainWindow::askCandidates);
  connect(&session_.model, &DocumentModel::documentChanged, this, &MainWindow::askCandidates);
  connect(&session_.playback, &Playback::frameChanged, this, &MainWindow::askCandidates);
  connect(&session_.advisor, &Advisor::asked, this, [this](const Advice& advice) {
    if (advice.action != AdviceAction::AddTracks) return steps_->openStep(Step::Solve);
    // Only where they are to be is left to say.
    steps_->openStep(Step::Tracks);
    session_.playback.pause();
    session_.playback.setFrame((advice.frames->first + advice.frames->last) / 2);
    session_.view.setRegionFrames(std::max(1, (advice.frames->last - advice.frames->first) / 2));
    session_.view.setTool(Tool::Region);
  });
  connect(&session_.jobs, &Jobs::placedByHand, this, [this](int track) {
    session_.selection.pick({track}, Selection::Mode::Replace);
    showView(View::Closeup);
  });
}

}  // namespace dusky::desktop
