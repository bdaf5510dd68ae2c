#include "apps/desktop/app/view_frame.h"

#include <QAction>
#include <QHBoxLayout>
#include <QEvent>
#include <QLabel>
#include <QMenu>
#include <QVBoxLayout>
#include <algorithm>

namespace dusky::desktop {

ViewFrame::ViewFrame(const QString& title, QWidget* view, QWidget* parent)
    : QWidget(parent), bar_(new QWidget), head_(new QHBoxLayout(bar_)), name_(new QLabel(title)), note_(new WholeLabel), more_(new QToolButton) {
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
  more_->setText("»");
  more_->setObjectName("moreTools");
  more_->setToolTip(tr("What has no room here."));
  more_->setPopupMode(QToolButton::InstantPopup);
  more_->setMenu(new QMenu(more_));
  more_->setFocusPolicy(Qt::NoFocus);
  more_->hide();
  head_->addWidget(more_);
  // The tools never make a view wider than there is room.
  bar_->setMinimumWidth(160);
  bar_->setToolTip(tr("Double-click: this view fills the window; again: as before."));
  bar_->installEventFilter(this);
  all->addWidget(bar_);
  all->addWidget(view, 1);
}

bool ViewFrame::eventFilter(QObject* watched, QEvent* event) {
  if (watched != bar_ || event->type() != QEvent::MouseButtonDblClick) return QWidget::eventFilter(watched, event);
  emit fillAsked();
  return true;
}

void ViewFrame::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  makeRoom();
}

/// From the right, tools that do not fit go into the menu behind them. Sliders and lists stay.
void ViewFrame::makeRoom() {
  const auto widthOf = [](const QWidget* widget) { return std::max(widget->minimumWidth(), widget->sizeHint().width()) + 1; };
  int wanted = 30 + (tabs_.isEmpty() ? widthOf(name_) : 0);
  for (const QWidget* tab : tabs_) wanted += widthOf(tab);
  for (const QWidget* tool : tools_) wanted += widthOf(tool);
  more_->menu()->clear();
  if (wanted > width()) wanted += widthOf(more_);
  QList<QAction*> hidden;
  for (auto tool = tools_.rbegin(); tool != tools_.rend(); ++tool) {
    auto* button = qobject_cast<QToolButton*>(*tool);
    QAction* action = button ? button->defaultAction() : nullptr;
    const bool hide = wanted > width() && action;
    (*tool)->setVisible(!hide);
    if (!hide) continue;
    hidden.prepend(action);
    wanted -= widthOf(*tool);
  }
  more_->menu()->addActions(hidden);
  more_->setVisible(!hidden.isEmpty());
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
    tabs_ << tab;
  }
}

void ViewFrame::setNote(const QString& note) { note_->setText(note); }

QToolButton* ViewFrame::addTool(QAction* action) {
  auto* button = new QToolButton;
  button->setDefaultAction(action);
  button->setIconSize({18, 18});
  button->setFocusPolicy(Qt::NoFocus);
  addTool(button);
  return button;
}

void ViewFrame::addTool(QWidget* widget) {
  head_->insertWidget(head_->indexOf(more_), widget);
  tools_ << widget;
}

void ViewFrame::addGap() { head_->insertSpacing(head_->indexOf(more_), 4); }

}  // namespace dusky::desktop
