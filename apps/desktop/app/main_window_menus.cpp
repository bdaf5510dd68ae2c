#include <QAction>
#include <QActionGroup>
#include <QMenuBar>
#include <QMessageBox>

#include "apps/desktop/app/main_window.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/cards/cheat_sheet.h"
#include "apps/desktop/cards/log_window.h"
#include "apps/desktop/cards/preferences_dialog.h"
#include "apps/desktop/space/space_view.h"
#include "apps/desktop/steps/steps_panel.h"
#include "core/base/version.h"

namespace dusky::desktop {

QAction* MainWindow::action(const QString& text, const QString& tip, const QKeySequence& key, const char* icon_name) {
  auto* made = new QAction(text, this);
  made->setShortcut(key);
  made->setToolTip(key.isEmpty() ? tip : tr("%1 (%2)").arg(tip, key.toString(QKeySequence::NativeText)));
  if (icon_name) made->setIcon(icon(icon_name));
  return made;
}

QAction* MainWindow::switchAction(const QString& text, const QString& tip, const QKeySequence& key, const char* icon_name, bool (ViewSettings::*get)() const,
                                  void (ViewSettings::*set)(bool)) {
  QAction* made = action(text, tip, key, icon_name);
  made->setCheckable(true);
  made->setChecked((session_.view.*get)());
  connect(made, &QAction::toggled, &session_.view, set);
  connect(&session_.view, &ViewSettings::changed, made, [this, made, get] { made->setChecked((session_.view.*get)()); });
  return made;
}

QAction* MainWindow::spaceMode(Eye::Mode mode, const QString& text, const QString& tip, const QKeySequence& key, const char* icon_name) {
  QAction* made = action(text, tip, key, icon_name);
  made->setCheckable(true);
  space_modes_->addAction(made);
  connect(made, &QAction::triggered, this, [this, mode] { space_->setMode(mode); });
  return made;
}

template <class Dialog>
void MainWindow::showDialog() {
  auto* dialog = findChild<Dialog*>(QString(), Qt::FindDirectChildrenOnly);
  if (!dialog) dialog = new Dialog(this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->show();
  dialog->raise();
  dialog->activateWindow();
}

void MainWindow::makeActions() {
  open_footage_ = action(tr("Open footage…"), tr("A movie or an image sequence."), QKeySequence::Open);
  open_project_ = action(tr("Open project…"), tr("A .moth file."), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O));
  open_demo_ = action(tr("Open the demo shot"), tr("A walk along a ferry landing at dusk."), {});
  save_ = action(tr("Save project"), tr("Gives the shot a project file; from then on every change is saved as it is made."), QKeySequence::Save);
  relink_ = action(tr("Relink footage…"), tr("Says where the footage lies now, when it was moved: tracks and solve stay."), {});
  import_tracks_ = action(tr("Import tracks…"),
                          tr("2D tracks from a .json or .csv file, added as a group of their own. They lie in the footage's px and frame numbers."), {});
  use_knowledge_ = action(tr("Use knowledge of the set…"),
                          tr("Planes, lines, angles, distances, a survey, the camera, ground and axes from a .json file, or a survey from a .csv one; the next "
                             "solve takes them in."),
                          {});
  import_mesh_ =
      action(tr("Mesh of the set…"), tr("A mesh or a scan (OBJ, PLY, glTF) that the scene is to stand in: to pick tracks on, and to check the camera by."), {});
  save_knowledge_ =
      action(tr("Save knowledge of the set…"), tr("What is known of the set as a .json file, which works on other tracks of the same footage too."), {});
  export_tracks_ = action(tr("Export tracks…"), tr("Writes the 2D tracks that are shown: .json holds all, .csv the places alone."), {});
  save_as_ = action(tr("Save project as…"), tr("Goes on in another file."), QKeySequence::SaveAs);
  quit_ = action(tr("Quit"), tr("Closes the window."), QKeySequence::Quit);
  undo_ = action(tr("Undo"), tr("Takes the last change back."), QKeySequence::Undo);
  redo_ = action(tr("Redo"), tr("Makes it again."), QKeySequence::Redo);
  preferences_ = action(tr("Preferences…"), tr("Threads, memory, units, decimals, size of text and contrast."), QKeySequence(Qt::CTRL | Qt::Key_Comma));
  track_ = action(tr("Track features"), tr("Finds features and follows them."), QKeySequence(Qt::CTRL | Qt::Key_T));
  solve_ = action(tr("Solve the shot"), tr("Camera, lens and points; tracks first where needed."), QKeySequence(Qt::CTRL | Qt::Key_R));
  deliver_ = action(tr("Deliver"), tr("Writes the files chosen in the Deliver step."), QKeySequence(Qt::CTRL | Qt::Key_D));
  cancel_ = action(tr("Cancel what runs"), tr("Stops the running step, and forgets what waits."), QKeySequence(Qt::CTRL | Qt::Key_Period));
  box_ = action(tr("Select by box"), tr("Drag a box to select."), {}, "box");
  lasso_ = action(tr("Select by lasso"), tr("Draw round what to select."), QKeySequence(Qt::Key_Q), "lasso");
  fit_ = action(tr("Fit the plate"), tr("The whole picture in the view."), QKeySequence(Qt::Key_F), "fit");
  actual_ = action(tr("Plate one to one"), tr("One px of footage on one px of screen."), QKeySequence(Qt::Key_1), "actual");
  tracks_ = switchAction(tr("Show tracks"), tr("Tracks and points in Plate and Space."), QKeySequence(Qt::Key_T), "tracks", &ViewSettings::tracksShown,
                         &ViewSettings::showTracks);
  aside_ = switchAction(tr("Show tracks set aside"), tr("Also those that take no part."), QKeySequence(Qt::Key_H), "aside", &ViewSettings::asideShown,
                        &ViewSettings::showAside);
  grid_ = switchAction(tr("Ground grid on the plate"), tr("The ground plane, drawn through the solved lens."), QKeySequence(Qt::Key_G), "grid",
                       &ViewSettings::gridShown, &ViewSettings::showGrid);
  sets_ = switchAction(tr("Show planes and lines"), tr("Those that are known of the set and shaped the solve, in Plate and Space."),
                       QKeySequence(Qt::SHIFT | Qt::Key_P), nullptr, &ViewSettings::setsShown, &ViewSettings::showSets);
  handles_ = switchAction(tr("Handles that move the scene"),
                          tr("In Plate and Space: drag the whole scene along and about its axes, about the selected points; Shift: by steps."),
                          QKeySequence(Qt::SHIFT | Qt::Key_M), "handles", &ViewSettings::handlesShown, &ViewSettings::showHandles);
  masks_ = switchAction(tr("Show what masks leave out"), tr("Dims and hatches it on the Plate."), QKeySequence(Qt::Key_M), "mask", &ViewSettings::masksShown,
                        &ViewSettings::showMasks);
  objects_ = switchAction(tr("Show test objects"), tr("Cones, cubes, cards, floors and figures in Plate and Space. Click one to move, turn and scale it."),
                          QKeySequence(Qt::Key_O), "solid", &ViewSettings::objectsShown, &ViewSettings::showObjects);
  paths_ = switchAction(tr("Show paths of tracks"), tr("Where each was in the eight frames before and, fainter, will be in the eight after."),
                        QKeySequence(Qt::Key_S), "paths", &ViewSettings::pathsShown, &ViewSettings::showPaths);
  field_ = switchAction(tr("Mean errors over the picture"),
                        tr("The errors of all frames, a mean for each part of the picture: what is wrong everywhere alike, as a lens is, shows as a pattern."),
                        QKeySequence(Qt::Key_V), "field", &ViewSettings::fieldShown, &ViewSettings::showField);
  next_colors_ =
      action(tr("Space: other colours of points"), tr("Picture, error, depth, parallax, how sure the depth is: one after the other."), QKeySequence(Qt::Key_C));
  connect(next_colors_, &QAction::triggered, &session_.view, &ViewSettings::nextPointColor);
  orbit_ = spaceMode(Eye::Mode::Orbit, tr("Space: orbit"), tr("Look round the set."), QKeySequence(Qt::Key_2), "orbit");
  top_ = spaceMode(Eye::Mode::Top, tr("Space: from above"), tr("Straight down on the ground, without perspective."), QKeySequence(Qt::Key_3), "top");
  front_ = spaceMode(Eye::Mode::Front, tr("Space: from the front"), tr("Along the axis nearest to where the camera looks, without perspective."),
                     QKeySequence(Qt::Key_5), "front");
  side_ = spaceMode(Eye::Mode::Side, tr("Space: from the side"), tr("From the right of that, without perspective."), QKeySequence(Qt::Key_6), "side");
  ellipsoids_ = switchAction(tr("Space: ellipsoids of the selection"), tr("How sure the places of the selected points are: one standard deviation, enlarged."),
                             QKeySequence(Qt::Key_D), "ellipsoid", &ViewSettings::ellipsoidsShown, &ViewSettings::showEllipsoids);
  through_ = spaceMode(Eye::Mode::Camera, tr("Space: through the camera"), tr("As the solved camera sees it in this frame, without lens distortion."),
                       QKeySequence(Qt::Key_4), "through");
  orbit_->setChecked(true);
  frame_all_ = action(tr("Space: selection or everything in view"), tr("The selected points in the middle; without any, the whole set."),
                      QKeySequence(Qt::Key_A), "frame-all");
  whole_map_ = action(tr("Error map: the whole shot"), tr("All tracks and frames in the map’s height and width. A double click on the map does it too."),
                      QKeySequence(Qt::SHIFT | Qt::Key_A), "frame-all");
  difference_ = switchAction(tr("Error map: difference of two runs"),
                             tr("How much larger (warm) or smaller (cool) each error is than in the other run of the ledger’s comparison."),
                             QKeySequence(Qt::SHIFT | Qt::Key_Y), "difference", &ViewSettings::differenceShown, &ViewSettings::showDifference);
  const auto tellDifference = [this] {
    const Jobs::Comparison& compared = session_.jobs.compared();
    difference_->setEnabled(compared.first.has_value() && compared.same_tracks);
  };
  connect(&session_.jobs, &Jobs::comparisonChanged, difference_, tellDifference);
  tellDifference();

  makeToolActions();
  makeViewActions();
  connect(open_footage_, &QAction::triggered, this, &MainWindow::chooseFootage);
  connect(open_project_, &QAction::triggered, this, &MainWindow::chooseProject);
  connect(open_demo_, &QAction::triggered, this, [this] { open(demoPath()); });
  connect(save_, &QAction::triggered, this, &MainWindow::save);
  connect(save_as_, &QAction::triggered, this, &MainWindow::saveAs);
  connect(relink_, &QAction::triggered, this, &MainWindow::chooseFootagePlace);
  connect(import_tracks_, &QAction::triggered, this, &MainWindow::chooseImport);
  connect(use_knowledge_, &QAction::triggered, this, &MainWindow::chooseKnowledge);
  connect(import_mesh_, &QAction::triggered, this, &MainWindow::chooseMesh);
  connect(save_knowledge_, &QAction::triggered, this, &MainWindow::chooseSaveKnowledge);
  connect(export_tracks_, &QAction::triggered, this, &MainWindow::chooseExport);
  connect(quit_, &QAction::triggered, this, &QWidget::close);
  connect(undo_, &QAction::triggered, &session_.model, &DocumentModel::undo);
  connect(redo_, &QAction::triggered, &session_.model, &DocumentModel::redo);
  connect(track_, &QAction::triggered, &session_.jobs, &Jobs::runTracks);
  connect(solve_, &QAction::triggered, &session_.jobs, &Jobs::runSolve);
  connect(deliver_, &QAction::triggered, this, [this] {
    steps_->openStep(Step::Deliver);
    session_.jobs.deliver();
  });
  connect(cancel_, &QAction::triggered, this, [this] { session_.jobs.cancel(); });
  connect(preferences_, &QAction::triggered, this, [this] { showDialog<PreferencesDialog>(); });
}

void MainWindow::makeMenus() {
  QMenu* file = menuBar()->addMenu(tr("File"));
  file->addActions({open_footage_, open_project_});
  recent_menu_ = file->addMenu(tr("Open recent"));
  unsaved_menu_ = file->addMenu(tr("Shots not saved"));
  unsaved_menu_->setEnabled(false);
  connect(file, &QMenu::aboutToShow, this, &MainWindow::refreshUnsaved);
  file->addAction(open_demo_);
  file->addSeparator();
  file->addActions({save_, save_as_, relink_});
  file->addSeparator();
  file->addActions({import_tracks_, export_tracks_, use_knowledge_, save_knowledge_, import_mesh_});
  file->addSeparator();
  file->addAction(quit_);
  QMenu* edit = menuBar()->addMenu(tr("Edit"));
  edit->addActions({undo_, redo_});
  edit->addSeparator();
  edit->addActions({track_actions_->select_all, track_actions_->select_others, track_actions_->select_none});
  edit->addActions({track_actions_->next_worst, track_actions_->worst_before});
  edit->addSeparator();
  track_actions_->fill(*edit);
  edit->addSeparator();
  edit_actions_->fill(*edit);
  QMenu* nudge = edit->addMenu(tr("Nudge the key"));
  for (QAction* one : edit_actions_->nudges) nudge->addAction(one);
  edit->addSeparator();
  edit->addAction(preferences_);
  QMenu* shot = menuBar()->addMenu(tr("Shot"));
  shot->addActions({track_, solve_, deliver_});
  shot->addSeparator();
  shot->addAction(cancel_);
  shot->addSeparator();
  Playback& playback = session_.playback;
  const auto time = [&](const QString& text, const QList<QKeySequence>& keys, auto&& slot) {
    QAction* made = shot->addAction(text);
    made->setShortcuts(keys);
    connect(made, &QAction::triggered, this, slot);
  };
  time(tr("Play or pause"), {QKeySequence(Qt::Key_Space)}, [&playback] { playback.toggle(); });
  time(tr("Play"), {QKeySequence(Qt::Key_L)}, [&playback] { playback.play(1); });
  time(tr("Stop"), {QKeySequence(Qt::Key_K)}, [&playback] { playback.pause(); });
  time(tr("Play back"), {QKeySequence(Qt::Key_J)}, [&playback] { playback.play(-1); });
  time(tr("One frame back"), {QKeySequence(Qt::Key_Left)}, [&playback] { playback.step(-1); });
  time(tr("One frame on"), {QKeySequence(Qt::Key_Right)}, [&playback] { playback.step(1); });
  time(tr("First frame"), {QKeySequence(Qt::Key_Home)}, [&playback] { playback.pause(), playback.setFrame(playback.first()); });
  time(tr("Last frame"), {QKeySequence(Qt::Key_End)}, [&playback] { playback.pause(), playback.setFrame(playback.last()); });
  QMenu* view = menuBar()->addMenu(tr("View"));
  view->addActions({box_, lasso_, mask_edit_, hand_, region_, edge_, leave_tool_});
  view->addSeparator();
  view->addActions({fit_, actual_, tracks_, aside_, paths_, field_, candidates_, masks_, grid_, handles_, sets_, objects_, straight_});
  view->addSeparator();
  for (const ViewInfo& info : kViews) {
    if (info.key != 0) view->addAction(show_.at(info.view));
  }
  view->addAction(fill_);
  view->addSeparator();
  view->addActions({orbit_, top_, front_, side_, through_, frame_all_, next_colors_, ellipsoids_});
  view->addSeparator();
  view->addActions({whole_map_, difference_});
  QMenu* help = menuBar()->addMenu(tr("Help"));
  QAction* keys = help->addAction(tr("Keys and gestures"));
  keys->setShortcut(QKeySequence(Qt::Key_F1));
  connect(keys, &QAction::triggered, this, [this] { showDialog<CheatSheet>(); });
  QAction* log = help->addAction(tr("Log"));
  log->setToolTip(tr("What happened, and what libraries said: to look for the cause of trouble."));
  connect(log, &QAction::triggered, this, [this] { showDialog<LogWindow>(); });
  connect(help->addAction(tr("About Dusky Moth")), &QAction::triggered, this, [this] {
    QMessageBox::about(
        this, tr("About Dusky Moth"),
        tr("Dusky Moth %1\n\nFinds the camera that shot a piece of footage.\nFree software under the GNU General Public License, version 3 or later.")
            .arg(kVersionText));
  });
  for (QMenu* menu : {file, edit, shot, view, help}) menu->setToolTipsVisible(true);
}

void MainWindow::refreshActions() {
  const bool footage = session_.model.hasFootage(), idle = !session_.jobs.busy();
  const UndoStack& stack = session_.model.workspace().undoStack();
  undo_->setEnabled(stack.canUndo());
  redo_->setEnabled(stack.canRedo());
  undo_->setText(stack.canUndo() ? tr("Undo: %1").arg(QString::fromStdString(stack.undoName())) : tr("Undo"));
  redo_->setText(stack.canRedo() ? tr("Redo: %1").arg(QString::fromStdString(stack.redoName())) : tr("Redo"));
  for (QAction* opening : {open_footage_, open_project_, open_demo_}) opening->setEnabled(idle);
  for (QAction* run : {track_, solve_}) run->setEnabled(footage);
  deliver_->setEnabled(session_.model.solution() && !session_.model.partial());
  cancel_->setEnabled(!idle);
  save_->setEnabled(footage);
  save_as_->setEnabled(footage);
  relink_->setEnabled(footage);
  import_tracks_->setEnabled(footage);
  import_mesh_->setEnabled(footage);
  for (QAction* one : {use_knowledge_, save_knowledge_}) one->setEnabled(session_.model.solution() != nullptr);
  export_tracks_->setEnabled(session_.model.workspace().tracks() != nullptr);
}

}  // namespace dusky::desktop
