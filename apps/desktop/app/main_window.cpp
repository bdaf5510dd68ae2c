#include "apps/desktop/app/main_window.h"

#include <QActionGroup>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QFrame>
#include <QInputDialog>
#include <QLabel>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QRegularExpression>
#include <QScreen>
#include <QStackedWidget>
#include <QToolButton>
#include <QVBoxLayout>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/cards/verdict_line.h"
#include "apps/desktop/cards/welcome.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/model/preferences.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/steps/step_settings.h"
#include "apps/desktop/steps/steps_panel.h"
#include "core/base/atomic_file.h"
#include "core/base/log.h"
#include "core/project/edits.h"
#include "core/pipeline/knowledge_step.h"
#include "core/track/track_files.h"

namespace dusky::desktop {

MainWindow::MainWindow(QWidget* parent)
    : QMainWindow(parent),
      track_actions_(new TrackActions(session_, this)),
      edit_actions_(new EditActions(session_, this)),
      track_menu_(new QMenu(this)),
      space_modes_(new QActionGroup(this)) {
  setAcceptDrops(true);
  resize(QSize(1280, 800).boundedTo(screen()->availableSize()));
  track_actions_->fill(*track_menu_);
  track_menu_->addSeparator();
  edit_actions_->fill(*track_menu_);
  makeActions();
  makeViews();
  makeMenus();
  connectModel();
  connectTools();
  refreshRecent();
  refreshUnsaved();
  high_contrast_ = Preferences::instance().values().high_contrast;
  applyPreferences();
  connect(&Preferences::instance(), &Preferences::changed, this, &MainWindow::applyPreferences);
  refreshTitle();
  refreshActions();
}

/// Views go before the session that they look at.
MainWindow::~MainWindow() { delete takeCentralWidget(); }

QString MainWindow::demoPath() {
  const QString installed = QCoreApplication::applicationDirPath() + "/../share/dusky-moth/demo-data/ferry-landing.mp4";
  return QFileInfo::exists(installed) ? QFileInfo(installed).canonicalFilePath() : QStringLiteral(DUSKY_DEMO_SHOT);
}

QWidget* MainWindow::makeNotice() {
  notice_ = new QFrame;
  notice_->setObjectName("notice");
  notice_text_ = new QLabel;
  notice_text_->setWordWrap(true);
  notice_text_->setObjectName("noticeText");
  auto* close = new QToolButton;
  close->setIcon(icon("close"));
  close->setIconSize({12, 12});
  close->setToolTip(tr("Close this message."));
  connect(close, &QToolButton::clicked, notice_, &QFrame::hide);
  auto* line = new QHBoxLayout(notice_);
  line->setContentsMargins(14, 6, 8, 6);
  line->addWidget(notice_text_, 1);
  line->addWidget(close);
  notice_->hide();
  return notice_;
}

void MainWindow::showNotice(const QString& sentence) {
  logLine(sentence.toStdString());
  notice_text_->setText(sentence);
  notice_->show();
}

void MainWindow::applyPreferences() {
  const PreferenceValues& wanted = Preferences::instance().values();
  session_.frames.setBound(static_cast<std::size_t>(wanted.frame_memory_mb) << 20);
  threads_.reset();
  threads_.emplace(wanted.threads);
  if (high_contrast_ != wanted.high_contrast) applyTheme(*qApp, wanted.high_contrast);
  high_contrast_ = wanted.high_contrast;
  session_.model.redrawAll();
}

QString MainWindow::notice() const { return notice_->isHidden() ? QString() : notice_text_->text(); }

void MainWindow::connectModel() {
  connect(&session_.model, &DocumentModel::opened, this, &MainWindow::shotOpened);
  connect(&session_.model, &DocumentModel::problem, this, &MainWindow::showNotice);
  connect(&session_.jobs, &Jobs::openFailed, this, &MainWindow::showNotice);
  connect(&session_.jobs, &Jobs::changed, this, &MainWindow::refreshActions);
  connect(&session_.jobs, &Jobs::finished, this, &MainWindow::jobFinished);
  connect(&session_.model, &DocumentModel::documentChanged, this, [this] {
    const FootageInfo& info = session_.model.workspace().footage();
    if (session_.model.hasFootage()) session_.playback.setRange(session_.model.firstFrame(), session_.model.lastFrame(), info.fps);
    refreshTitle();
    refreshActions();
    refreshFootage();
    refreshMasks();
  });
  connect(&session_.view, &ViewSettings::changed, this, &MainWindow::refreshMasks);
  connect(&session_.model, &DocumentModel::resultsChanged, this, [this] {
    refreshActions();
    const SolutionPtr solution = session_.model.solution();
    if (!solution || session_.model.partial() || solution == scaled_for_) return;
    scaled_for_ = solution;
    // Small errors need longer whiskers to be seen at all.
    const double top = usualErrorTop(*solution);
    session_.view.setErrorTop(top);
    session_.view.setWhisker(top < 0.3 ? 100 : top < 1.5 ? 50 : top < 3 ? 20 : 10);
  });
}

/// Pictures are read anew when the footage is taken another way.
void MainWindow::refreshFootage() {
  const ShownFootage view{shotViewOf(session_.model.document()), session_.model.document().footage_path, session_.model.workspace().footageGone()};
  if (!session_.model.hasFootage() || shown_as_ == view) return;
  shown_as_ = view;
  const FootageInfo& info = session_.model.workspace().footage();
  if (view.gone || isTrackFile(view.path)) return session_.frames.setNoPictures({info.width, info.height});
  session_.frames.setFootage(QString::fromStdString(view.path), view.as, info.first, info.last);
}

void MainWindow::refreshMasks() {
  session_.frames.setMasks(session_.view.masksShown() ? session_.model.document().masks : MaskSettings(), session_.model.workspace().footage());
}

void MainWindow::shotOpened() {
  const FootageInfo& info = session_.model.workspace().footage();
  notice_->hide();
  scaled_for_.reset();
  session_.view.setTool(ViewSettings::Tool::Box);
  session_.view.chooseMask(0);
  session_.candidates.clear();
  session_.playback.pause();
  shown_as_.reset();
  refreshFootage();
  refreshMasks();
  asked_about_file_ = false;
  if (!info.warnings.empty()) showNotice(QString::fromStdString(info.warnings.front()));
  if (const std::string why = session_.model.workspace().readOnlyBecause(); !why.empty()) showNotice(QString::fromStdString(why));
  session_.playback.setRange(session_.model.firstFrame(), session_.model.lastFrame(), info.fps);
  session_.playback.setFrame(session_.model.firstFrame());
  pages_->setCurrentIndex(1);
  steps_->openStep(session_.model.workspace().solution() ? Step::Scene : session_.model.workspace().tracks() ? Step::Solve : Step::Tracks);
  const Workspace& workspace = session_.model.workspace();
  mentionUnsaved();
  remember(QString::fromStdString(workspace.filePath().empty() ? session_.model.document().footage_path : workspace.filePath().string()));
}

void MainWindow::jobFinished(bool well) {
  refreshActions();
  const Workspace& workspace = session_.model.workspace();
  // The next thing to do stands open.
  if (!well || !session_.model.hasFootage()) return;
  if (steps_->opened() == Step::Tracks && workspace.status(Step::Tracks).state == StepState::Current) steps_->openStep(Step::Solve);
  if (steps_->opened() == Step::Solve && workspace.status(Step::Solve).state == StepState::Current) steps_->openStep(Step::Scene);
}

void MainWindow::open(const QString& path) {
  if (path.isEmpty() || !mayOpen()) return;
  QSize picture(0, 0);
  if (path.endsWith(".csv")) {
    // A table of places does not say how large the picture is.
    bool sure = false;
    const QString text =
        QInputDialog::getText(this, tr("Tracks without footage"), tr("Width × height of the picture behind them, px:"), QLineEdit::Normal, "1920x1080", &sure);
    const QStringList sides = text.split(QRegularExpression("[x×, ]+"), Qt::SkipEmptyParts);
    if (!sure) return;
    if (sides.size() == 2) picture = {sides[0].toInt(), sides[1].toInt()};
  }
  session_.jobs.open(path, picture);
}

void MainWindow::chooseFootagePlace() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Relink footage: where it lies now"), {}, tr("All files (*)"));
  if (!path.isEmpty()) session_.jobs.relinkFootage(path);
}

void MainWindow::chooseImport() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Import tracks"), {}, tr("2D tracks (*.json *.csv)"));
  if (!path.isEmpty()) session_.jobs.importTracks(path);
}

void MainWindow::chooseKnowledge() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Use knowledge of the set"), {}, tr("Knowledge or survey (*.json *.csv)"));
  if (!path.isEmpty()) useKnowledgeFile(path);
}

void MainWindow::useKnowledgeFile(const QString& path) {
  if (session_.model.partial()) return showNotice(tr("Wait for the solve to end: knowledge speaks of tracks that have a place."));
  const auto refuse = [&](const Error& error) { showNotice(QString::fromStdString(error.message)); };
  const auto file = readKnowledge(path.toStdString());
  if (!file.ok()) return refuse(file.error());
  auto edit = editFor(session_.model.workspace(), *file);
  if (!edit.ok()) return showNotice(tr("%1: %2").arg(path, QString::fromStdString(edit.error().message)));
  session_.model.run(std::move(*edit));
  steps_->openStep(Step::Scene);
}

void MainWindow::chooseSaveKnowledge() {
  QString path = QFileDialog::getSaveFileName(this, tr("Save knowledge of the set"), "knowledge.json", tr("Knowledge (*.json)"));
  if (path.isEmpty()) return;
  if (!path.endsWith(".json")) path += ".json";
  saveKnowledgeFile(path);
}

void MainWindow::saveKnowledgeFile(const QString& path) {
  const Status written = writeKnowledge(session_.model.workspace(), path.toStdString());
  showNotice(written.ok() ? tr("Saved what is known of the set in %1.").arg(path) : QString::fromStdString(written.error().message));
}

void MainWindow::chooseExport() {
  QString path = QFileDialog::getSaveFileName(this, tr("Export tracks"), "tracks.json", tr("2D tracks (*.json *.csv)"));
  if (path.isEmpty()) return;
  if (!path.endsWith(".json") && !path.endsWith(".csv")) path += ".json";
  session_.jobs.exportTracks(path);
}

void MainWindow::chooseFootage() {
  open(QFileDialog::getOpenFileName(this, tr("Open footage: a movie, or one picture of a sequence"), {},
                                    tr("Footage (*.mp4 *.mov *.mkv *.avi *.mxf *.webm *.m4v *.png *.jpg *.jpeg *.tif *.tiff *.dpx *.exr);;2D tracks without "
                                       "footage (*.json *.csv);;All files (*)")));
}

void MainWindow::chooseProject() { open(QFileDialog::getOpenFileName(this, tr("Open project"), {}, tr("Dusky Moth projects (*.moth)"))); }

bool MainWindow::saveTo(const QString& path) {
  if (!session_.model.saveAs(path)) return false;
  remember(path);
  return true;
}

bool MainWindow::save() {
  // With a file, every edit is saved as it is made; there is nothing left to write.
  const Workspace& workspace = session_.model.workspace();
  return (workspace.hasFile() && !workspace.fileChangedOutside()) || saveAs();
}

bool MainWindow::saveAs() {
  QString path = QFileDialog::getSaveFileName(this, tr("Save project as"), QString::fromStdString(shotName(session_.model.document().footage_path)) + ".moth",
                                              tr("Dusky Moth projects (*.moth)"));
  if (path.isEmpty()) return false;
  if (!path.endsWith(".moth")) path += ".moth";
  return saveTo(path);
}

bool MainWindow::mayOpen() {
  if (!session_.jobs.busy()) return mayLeave();
  showNotice(tr("Something still runs on this shot: wait for it or cancel it (Ctrl+.), then open the other one."));
  return false;
}

bool MainWindow::mayLeave() {
  if (!session_.model.unsaved()) return true;
  const bool file = !session_.model.workspace().filePath().empty();
  const QString why = file ? tr("What you changed is in no file: the project could only be read, or another program changed it. Save it under another name?")
                           : tr("This shot has no project file yet. Save it before it is closed?");
  const auto answer =
      QMessageBox::question(this, tr("Save this shot?"), why, QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Save);
  if (answer == QMessageBox::Save) return save();
  return answer == QMessageBox::Discard;
}

void MainWindow::closeEvent(QCloseEvent* event) {
  if (!mayLeave()) return event->ignore();
  session_.jobs.cancel();
  event->accept();
}

/// Whoever comes back from another program may have changed the footage there.
void MainWindow::changeEvent(QEvent* event) {
  QMainWindow::changeEvent(event);
  if (event->type() != QEvent::ActivationChange || !isActiveWindow()) return;
  session_.jobs.lookAtFiles();
  lookAtProjectFile();
}

/// Asked once: whoever goes on sees in the title that nothing is saved.
void MainWindow::lookAtProjectFile() {
  const Workspace& workspace = session_.model.workspace();
  if (asked_about_file_ || !workspace.fileChangedOutside() || session_.jobs.busy()) return;
  asked_about_file_ = true;
  refreshTitle();
  const QString path = QString::fromStdString(workspace.filePath().string());
  auto* box = new QMessageBox(QMessageBox::Warning, tr("The project was changed"),
                              tr("Another program changed or removed %1. Nothing more is saved into it from here.").arg(path), QMessageBox::NoButton, this);
  box->setObjectName("projectChanged");
  box->setAttribute(Qt::WA_DeleteOnClose);
  QPushButton* reload = box->addButton(tr("Open it anew"), QMessageBox::DestructiveRole);
  reload->setEnabled(QFileInfo::exists(path));
  QPushButton* keep = box->addButton(tr("Save mine as…"), QMessageBox::AcceptRole);
  box->addButton(tr("Later"), QMessageBox::RejectRole);
  connect(reload, &QPushButton::clicked, this, [this, path] { session_.jobs.open(path, {0, 0}); });
  connect(keep, &QPushButton::clicked, this, [this] { saveAs(); });
  box->open();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls() && event->mimeData()->urls().front().isLocalFile()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) { open(event->mimeData()->urls().front().toLocalFile()); }

void MainWindow::refreshTitle() {
  const Workspace& workspace = session_.model.workspace();
  if (!session_.model.hasFootage()) return setWindowTitle(tr("Dusky Moth"));
  const std::filesystem::path file = workspace.filePath();
  const QString name = QString::fromStdString((file.empty() ? std::filesystem::path(session_.model.document().footage_path) : file).filename().string());
  const QString state = file.empty()                     ? tr("not saved yet")
                        : !workspace.hasFile()           ? tr("read only")
                        : workspace.fileChangedOutside() ? tr("not saved: changed by another program")
                                                         : tr("saved");
  setWindowTitle(tr("%1 · %2 – Dusky Moth").arg(name, state));
}

}  // namespace dusky::desktop
