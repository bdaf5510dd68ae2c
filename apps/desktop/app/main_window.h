#pragma once
#include <QMainWindow>
#include <optional>

#include "apps/desktop/actions/edit_actions.h"
#include "apps/desktop/actions/track_actions.h"
#include "apps/desktop/model/view_table.h"
#include "apps/desktop/model/session.h"
#include "apps/desktop/space/eye.h"
#include "core/base/thread_limit.h"

class QActionGroup;
class QFrame;
class QLabel;
class QSplitter;
class QStackedWidget;

namespace dusky::desktop {

class CloseupView;
class CoverageView;
class ErrorMap;
class LedgerView;
class LensView;
class PlateView;
class SpaceView;
class StepsPanel;
class SweepView;
class TrackList;
class TwoFramesView;
class VerdictLine;
class ViewFrame;
class Welcome;

/// The window: puts the views together and gives them their menus. What it knows of the shot is in its Session.
class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  explicit MainWindow(QWidget* parent = nullptr);
  ~MainWindow() override;

  Session& session() { return session_; }
  StepsPanel& steps() { return *steps_; }
  PlateView& plate() { return *plate_; }
  SpaceView& space() { return *space_; }
  ErrorMap& errorMap() { return *error_map_; }
  TrackActions& trackActions() { return *track_actions_; }
  EditActions& editActions() { return *edit_actions_; }
  CloseupView& closeup() { return *closeup_; }
  TwoFramesView& twoFrames() { return *two_frames_; }
  TrackList& trackList() { return *track_list_; }
  CoverageView& coverage() { return *coverage_; }
  LensView& lensView() { return *lens_view_; }
  SweepView& sweepView() { return *sweep_view_; }
  LedgerView& ledgerView() { return *ledger_view_; }
  /// Shows a view in its place.
  void showView(View view);
  /// Lets a view fill the window beside the steps; again: as before.
  void fillWith(ViewPlace place);
  /// The view that fills the window so.
  std::optional<ViewPlace> filled() const { return filled_; }

  /// Opens footage or a project in the background; asks first when unsaved work would be lost.
  void open(const QString& path);
  /// Takes another mesh of the set; what is wrong with it stands in the Scene step.
  void useMesh(const QString& path);
  /// Takes a knowledge file over; what is wrong with it stands in the notice.
  void useKnowledgeFile(const QString& path);
  /// Writes what is known of the set; that it did, or why not, stands in the notice.
  void saveKnowledgeFile(const QString& path);
  /// Where the shipped demo shot is.
  static QString demoPath();
  bool saveTo(const QString& path);
  /// What the message line under the menu says; empty when it is hidden.
  QString notice() const;

 protected:
  void closeEvent(QCloseEvent*) override;
  void changeEvent(QEvent* event) override;
  void dragEnterEvent(QDragEnterEvent*) override;
  void dropEvent(QDropEvent*) override;

 private:
  void makeActions();
  void makeMenus();
  void makeViews();
  QWidget* makeWork();
  void rememberSplitters();
  void fillUnderPointer();
  ViewFrame* makeFrame(View view);
  ViewFrame* framePlate();
  ViewFrame* frameSpace();
  ViewFrame* frameErrorMap();
  ViewFrame* frameCloseup();
  ViewFrame* frameTwoFrames();
  ViewFrame* frameTrackList();
  ViewFrame* frameCoverage();
  ViewFrame* frameLens();
  ViewFrame* frameSweep();
  ViewFrame* frameLedger();
  /// The views of one place; their actions choose.
  QStackedWidget* stackOf(ViewPlace place);
  void makeToolActions();
  void makeViewActions();
  void connectTools();
  void askCandidates();
  QWidget* makeNotice();
  void connectModel();

  QAction* action(const QString& text, const QString& tip, const QKeySequence& key, const char* icon_name = nullptr);
  QAction* switchAction(const QString& text, const QString& tip, const QKeySequence& key, const char* icon_name, bool (ViewSettings::*get)() const,
                        void (ViewSettings::*set)(bool));
  QAction* spaceMode(Eye::Mode mode, const QString& text, const QString& tip, const QKeySequence& key, const char* icon_name);

  /// One of a kind at a time; it stays open beside the work.
  template <class Dialog>
  void showDialog();
  void chooseFootage();
  void chooseFootagePlace();
  void chooseImport();
  void chooseKnowledge();
  void chooseMesh();
  void chooseSaveKnowledge();
  void chooseExport();
  void chooseProject();
  bool save();
  bool saveAs();
  bool mayLeave();
  /// Whether another shot may be opened now; says why not.
  bool mayOpen();
  void showNotice(const QString& sentence);
  void lookAtProjectFile();
  void refreshTitle();
  void refreshActions();
  void shotOpened();
  void refreshMasks();
  void refreshFootage();
  void jobFinished(bool well);
  void remember(const QString& path);
  QStringList recent() const;
  void refreshRecent();
  void refreshUnsaved();
  void applyPreferences();
  void mentionUnsaved();
  void openUnsaved(const QString& kept);
  void dropUnsaved(const QString& kept);

  Session session_;
  TrackActions* track_actions_;
  EditActions* edit_actions_;
  QMenu* track_menu_;
  QStackedWidget* pages_ = nullptr;
  Welcome* welcome_ = nullptr;
  StepsPanel* steps_ = nullptr;
  PlateView* plate_ = nullptr;
  SpaceView* space_ = nullptr;
  ErrorMap* error_map_ = nullptr;
  CloseupView* closeup_ = nullptr;
  TwoFramesView* two_frames_ = nullptr;
  TrackList* track_list_ = nullptr;
  CoverageView* coverage_ = nullptr;
  LensView* lens_view_ = nullptr;
  SweepView* sweep_view_ = nullptr;
  LedgerView* ledger_view_ = nullptr;
  VerdictLine* verdict_ = nullptr;
  QFrame* notice_ = nullptr;
  QLabel* notice_text_ = nullptr;
  QMenu *recent_menu_ = nullptr, *unsaved_menu_ = nullptr;
  QActionGroup *space_modes_, *tools_;
  QAction *open_footage_, *open_project_, *open_demo_, *save_, *save_as_, *relink_, *import_tracks_, *export_tracks_, *use_knowledge_, *save_knowledge_,
      *import_mesh_, *quit_, *undo_, *redo_, *preferences_;
  QAction *track_, *solve_, *deliver_, *cancel_;
  QAction *box_, *lasso_, *fit_, *actual_, *tracks_, *aside_, *masks_, *grid_, *handles_, *sets_, *objects_, *paths_, *field_, *next_colors_, *orbit_, *top_,
      *front_, *side_, *ellipsoids_, *difference_, *through_, *frame_all_, *whole_map_;
  QAction *mask_edit_, *hand_, *region_, *edge_, *straight_, *candidates_, *leave_tool_;
  std::map<ViewPlace, QWidget*> places_;  ///< What stands in them.
  std::optional<ViewPlace> filled_;
  QSplitter *above_ = nullptr, *halves_ = nullptr;
  QAction* fill_;
  std::map<View, QAction*> show_;  ///< Of the views that share a place.
  /// How the pictures on the screen are taken.
  struct ShownFootage {
    ShotView as;
    std::string path;
    bool gone = false;
    bool operator==(const ShownFootage&) const = default;
  };
  std::optional<ShownFootage> shown_as_;
  SolutionPtr scaled_for_;         ///< The solve that the error scale was last set for.
  bool asked_about_file_ = false;  ///< That another program changed it.
  bool mentioned_unsaved_ = false;
  std::optional<ThreadLimit> threads_;
  bool high_contrast_ = false;
};

}  // namespace dusky::desktop
