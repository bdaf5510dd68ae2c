// What the window opened before, and what it kept unsaved.
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QMessageBox>

#include "apps/desktop/app/main_window.h"
#include "apps/desktop/cards/welcome.h"
#include "apps/desktop/model/unsaved.h"
#include "apps/desktop/model/user_settings.h"
#include "apps/desktop/steps/steps_panel.h"

namespace dusky::desktop {

QStringList MainWindow::recent() const { return userSettings().value("recent").toStringList(); }

void MainWindow::remember(const QString& path) {
  QStringList paths = recent();
  const QString whole = QFileInfo(path).absoluteFilePath();
  paths.removeAll(whole);
  paths.prepend(whole);
  userSettings().setValue("recent", paths.mid(0, 8));
  refreshRecent();
}

void MainWindow::refreshRecent() {
  recent_menu_->clear();
  QStringList there;
  for (const QString& path : recent()) {
    if (!QFileInfo::exists(path)) continue;
    there << path;
    connect(recent_menu_->addAction(path), &QAction::triggered, this, [this, path] { open(path); });
  }
  recent_menu_->setEnabled(!there.isEmpty());
  welcome_->setRecent(there);
}

void MainWindow::mentionUnsaved() {
  refreshUnsaved();
  if (mentioned_unsaved_ || !unsaved_menu_->isEnabled() || !notice().isEmpty()) return;
  mentioned_unsaved_ = true;
  showNotice(tr("Dusky Moth ended before another shot was saved. It is kept: File › Shots not saved."));
}

void MainWindow::refreshUnsaved() {
  const std::vector<UnsavedShot> shots = unsavedShots(unsavedFolder());
  unsaved_menu_->clear();
  for (const UnsavedShot& shot : shots) {
    const QString kept = QString::fromStdString(shot.file.string());
    connect(unsaved_menu_->addAction(desktop::nameOf(shot)), &QAction::triggered, this, [this, kept] { openUnsaved(kept); });
  }
  unsaved_menu_->setEnabled(!shots.empty());
  welcome_->setUnsaved(shots);
}

void MainWindow::chooseMesh() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Mesh of the set"), {}, tr("Mesh or scan (*.obj *.ply *.gltf *.glb)"));
  if (!path.isEmpty()) useMesh(path);
}

void MainWindow::useMesh(const QString& path) {
  MeshSettings mesh;
  mesh.path = QFileInfo(path).absoluteFilePath().toStdString();
  if (session_.model.document().mesh.path == mesh.path) return session_.mesh.readAgain();
  session_.model.set("Use mesh of the set", &Document::mesh, mesh);
  steps_->openStep(Step::Scene);
}

void MainWindow::openUnsaved(const QString& kept) {
  if (!mayOpen()) return;
  session_.jobs.openUnsaved(kept.toStdString());
}

void MainWindow::dropUnsaved(const QString& kept) {
  const auto answer = QMessageBox::question(this, tr("Remove this shot?"), tr("What was tracked and solved in it is gone then; the footage stays."),
                                            QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Cancel);
  if (answer != QMessageBox::Discard) return;
  const Status dropped = dropUnsavedShot(kept.toStdString());
  if (!dropped.ok()) showNotice(QString::fromStdString(dropped.error().message));
  refreshUnsaved();
}

}  // namespace dusky::desktop
