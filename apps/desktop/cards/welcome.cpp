#include "apps/desktop/cards/welcome.h"

#include <QAction>
#include <QFileInfo>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "apps/desktop/app/track_actions.h"

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

Welcome::Welcome(QAction* open_footage, QAction* open_project, QAction* open_demo, QWidget* parent) : QWidget(parent), recent_(new QVBoxLayout) {
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

void Welcome::setRecent(const QStringList& paths) {
  while (QLayoutItem* item = recent_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
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
