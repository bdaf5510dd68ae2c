#include "apps/desktop/app/view_frame.h"

#include <QAction>
#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>

namespace dusky::desktop {

ViewFrame::ViewFrame(const QString& title, QWidget* view, QWidget* parent)
    : QWidget(parent), head_(new QHBoxLayout), name_(new QLabel(title)), note_(new WholeLabel) {
  setObjectName("panel");
  setAttribute(Qt::WA_StyledBackground);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(0);
  head_->setContentsMargins(8, 2, 4, 2);
  head_->setSpacing(1);
  name_->setProperty("role", "head");
  note_->setProperty("role", "quiet");
  note_->setMinimumWidth(10);
  head_->addWidget(name_);
  head_->addSpacing(10);
  head_->addWidget(note_, 1);
  all->addLayout(head_);
  all->addWidget(view, 1);
}

void ViewFrame::setTabs(const QList<QAction*>& views) {
  name_->hide();
  int place = 0;
  for (QAction* view : views) {
    auto* tab = new QToolButton;
    tab->setDefaultAction(view);
    tab->setToolButtonStyle(Qt::ToolButtonTextOnly);
    tab->setProperty("role", "tab");
    tab->setFocusPolicy(Qt::NoFocus);
    head_->insertWidget(place++, tab);
  }
}

void ViewFrame::setNote(const QString& note) { note_->setText(note); }

QToolButton* ViewFrame::addTool(QAction* action) {
  auto* button = new QToolButton;
  button->setDefaultAction(action);
  button->setIconSize({18, 18});
  button->setFocusPolicy(Qt::NoFocus);
  head_->addWidget(button);
  return button;
}

void ViewFrame::addTool(QWidget* widget) { head_->addWidget(widget); }

void ViewFrame::addGap() { head_->addSpacing(4); }

}  // namespace dusky::desktop
