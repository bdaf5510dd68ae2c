#include "apps/desktop/app/view_frame.h"

#include <QAction>
#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>

namespace dusky::desktop {

ViewFrame::ViewFrame(const QString& title, QWidget* view, QWidget* parent) : QWidget(parent), head_(new QHBoxLayout), note_(new QLabel) {
  setObjectName("panel");
  setAttribute(Qt::WA_StyledBackground);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(0);
  head_->setContentsMargins(8, 2, 4, 2);
  head_->setSpacing(1);
  auto* name = new QLabel(title);
  name->setProperty("role", "head");
  note_->setProperty("role", "quiet");
  note_->setMinimumWidth(10);
  head_->addWidget(name);
  head_->addSpacing(10);
  head_->addWidget(note_, 1);
  all->addLayout(head_);
  all->addWidget(view, 1);
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

void ViewFrame::addGap() { head_->addSpacing(8); }

}  // namespace dusky::desktop
