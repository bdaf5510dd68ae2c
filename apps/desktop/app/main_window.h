#pragma once
#include <QMainWindow>

#include "apps/desktop/app/track_actions.h"
#include "apps/desktop/model/session.h"
#include "apps/desktop/space/eye.h"

class QActionGroup;
class QFrame;
class QLabel;
class QStackedWidget;

namespace dusky::desktop {

class ErrorMap;
class PlateView;
class SpaceView;
class StepsPanel;
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

  /// Opens footage or a project in the background; asks first when unsaved work would be lost.
  void open(const QString& path);
  /// Where the shipped demo shot is.
  static QString demoPath();
  bool saveTo(const QString& path);
  /// What the message line under the menu says; empty when it is hidden.
  QString notice() const;

 protected:
  void closeEvent(QCloseEvent*) override;
  void dragEnterEvent(QDragEnterEvent*) override;
  void dropEvent(QDropEvent*) override;

 private:
  void makeActions();
  void makeMenus();
  void makeViews();
  QWidget* makeWork();
  ViewFrame* framePlate();
  ViewFrame* frameSpace();
  ViewFrame* frameErrorMap();
  QWidget* makeNotice();
  void connectModel();

  QAction* action(const QString& text, const QString& tip, const QKeySequence& key, const char* icon_name = nullptr);
  QAction* switchAction(const QString& text, const QString& tip, const QKeySequence& key, const char* icon_name, bool (ViewSettings::*get)() const,
                        void (ViewSettings::*set)(bool));
  QAction* spaceMode(Eye::Mode mode, const QString& text, const QString& tip, const QKeySequence& key, const char* icon_name);

  void chooseFootage();
  void chooseProject();
  bool save();
  bool saveAs();
  bool mayLeave();
  void showNotice(const QString& sentence);
  void refreshTitle();
  void refreshActions();
  void shotOpened();
  void refreshMasks();
  void jobFinished(bool well);
  void remember(const QString& path);
  QStringList recent() const;
  void refreshRecent();

  Session session_;
  TrackActions* track_actions_;
  QMenu* track_menu_;
  QStackedWidget* pages_ = nullptr;
  Welcome* welcome_ = nullptr;
  StepsPanel* steps_ = nullptr;
  PlateView* plate_ = nullptr;
  SpaceView* space_ = nullptr;
  ErrorMap* error_map_ = nullptr;
  VerdictLine* verdict_ = nullptr;
  QFrame* notice_ = nullptr;
  QLabel* notice_text_ = nullptr;
  QMenu* recent_menu_ = nullptr;
  QActionGroup* space_modes_;
  QAction *open_footage_, *open_project_, *open_demo_, *save_, *save_as_, *quit_, *undo_, *redo_;
  QAction *track_, *solve_, *deliver_, *cancel_;
  QAction *box_, *lasso_, *fit_, *actual_, *tracks_, *aside_, *masks_, *grid_, *objects_, *colors_, *orbit_, *top_, *through_, *frame_all_;
  SolutionPtr scaled_for_;  ///< The solve that the error scale was last set for.
};

}  // namespace dusky::desktop
