#include "apps/desktop/cards/welcome.h"

#include <QAction>
#include <QFileInfo>
#include <QFrame>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "apps/desktop/actions/track_actions.h"
#include "apps/desktop/model/unsaved.h"
#include "apps/desktop/paint/clear_layout.h"

namespace dusky::desktop {
namespace {

void offer(QVBoxLayout& column, QAction* action, const QString& text, const QString& sentence, bool primary) {
  auto* button = buttonFor(action, text, primary);
  button->setFixedSize(230, 34);
  auto* words = new QLabel(sentence);
  words->setProperty("role", "quiet");
  column.addSpacing(10);
  column.addWidget(button, 0, Qt::AlignLeft);
  column.addWidget(words);
}

}  // namespace

Welcome::Welcome(QAction* open_footage, QAction* open_project, QAction* open_demo, QWidget* parent)
    : QWidget(parent), unsaved_(new QVBoxLayout), recent_(new QVBoxLayout) {
  setObjectName("welcome");
  auto* middle = new QWidget;
  auto* column = new QVBoxLayout(middle);
  auto* mark = new QLabel;
  mark->setPixmap(QIcon(":/icons/moth.svg").pixmap(72, 72));
  auto* title = new QLabel(tr("<span style='font-size:24px; font-weight:600'>Dusky Moth</span>"));
  auto* words = new QLabel(tr("Finds the camera that shot your footage: where it stood, how it turned, and its lens, for every frame."));
  words->setProperty("role", "quiet");
  column->addWidget(mark);
  column->addWidget(title);
  column->addWidget(words);
  column->addLayout(unsaved_);
  offer(*column, open_footage, tr("Open footage…"), tr("A movie or an image sequence. Or drop one anywhere on this window."), true);
  offer(*column, open_demo, tr("Open the demo shot"), tr("A walk along a ferry landing at dusk, 120 frames: try everything on it."), false);
  offer(*column, open_project, tr("Open a project…"), tr("A .moth file with footage, tracks and solves from before."), false);
  column->addSpacing(14);
  column->addLayout(recent_);
  auto* all = new QVBoxLayout(this);
  all->addStretch(2);
  all->addWidget(middle, 0, Qt::AlignHCenter);
  all->addStretch(3);
}

void Welcome::setUnsaved(const std::vector<UnsavedShot>& shots) {
  clearLayout(*unsaved_);
  if (shots.empty()) return;
  auto* box = new QFrame;
  box->setObjectName("unsaved");
  auto* rows = new QGridLayout(box);
  rows->setContentsMargins(12, 8, 12, 10);
  auto* words = new QLabel(tr("Dusky Moth ended before this was saved. Nothing of it is lost."));
  rows->addWidget(words, 0, 0, 1, 3);
  for (std::size_t i = 0; i < shots.size(); ++i) {
    const QString kept = QString::fromStdString(shots[i].file.string());
    const int row = static_cast<int>(i) + 1;
    auto* name = new QLabel(nameOf(shots[i]));
    name->setToolTip(QString::fromStdString(shots[i].footage));
    auto* open = new QPushButton(tr("Go on with it"));
    open->setObjectName("openUnsaved");
    open->setToolTip(tr("Opens it as it was, with its tracks and its solve."));
    auto* drop = new QPushButton(tr("Remove…"));
    drop->setObjectName("dropUnsaved");
    drop->setToolTip(tr("Removes what was kept of it. The footage stays."));
    connect(open, &QPushButton::clicked, this, [this, kept] { emit unsavedAsked(kept); });
    connect(drop, &QPushButton::clicked, this, [this, kept] { emit dropAsked(kept); });
    rows->addWidget(name, row, 0);
    rows->addWidget(open, row, 1);
    rows->addWidget(drop, row, 2);
  }
  rows->setColumnStretch(0, 1);
  unsaved_->addSpacing(10);
  unsaved_->addWidget(box);
}

void Welcome::setRecent(const QStringList& paths) {
  clearLayout(*recent_);
  if (paths.isEmpty()) return;
  auto* head = new QLabel(tr("OPENED BEFORE"));
  head->setProperty("role", "head");
  recent_->addWidget(head);
  for (const QString& path : paths.mid(0, 5)) {
    auto* button = new QPushButton(tr("%1   in %2").arg(QFileInfo(path).fileName(), QFileInfo(path).absolutePath()));
    button->setProperty("role", "verdict");
    button->setToolTip(path);
    connect(button, &QPushButton::clicked, this, [this, path] { emit openAsked(path); });
    recent_->addWidget(button, 0, Qt::AlignLeft);
  }
}

}  // namespace dusky::desktop
