#include "apps/desktop/steps/settings_body.h"

#include <QLabel>
#include <QPushButton>
#include <QToolButton>

#include "apps/desktop/model/user_settings.h"

namespace dusky::desktop {

void showField(QGridLayout& grid, QWidget* field, bool shown) {
  int row = 0, column = 0, rows = 0, columns = 0;
  grid.getItemPosition(grid.indexOf(field), &row, &column, &rows, &columns);
  field->setVisible(shown);
  if (const QLayoutItem* label = grid.itemAtPosition(row, 0); label && label->widget()) label->widget()->setVisible(shown);
}

Body addMore(Body& body, const char* name) {
  Body more;
  more.column->setContentsMargins(0, 0, 0, 0);
  auto* open = new QToolButton;
  open->setObjectName(QString("more %1").arg(name));
  open->setCheckable(true);
  open->setAutoRaise(true);
  open->setFocusPolicy(Qt::NoFocus);
  open->setToolTip(QObject::tr("Settings that are seldom needed."));
  const QString kept = QString("more/%1").arg(name);
  const auto show = [open, widget = more.widget](bool on) {
    open->setText(on ? QObject::tr("Less") : QObject::tr("More…"));
    widget->setVisible(on);
  };
  QObject::connect(open, &QToolButton::toggled, more.widget, show);
  QObject::connect(open, &QToolButton::clicked, more.widget, [kept](bool on) { userSettings().setValue(kept, on); });
  open->setChecked(userSettings().value(kept).toBool());
  body.column->addWidget(open, 0, Qt::AlignLeft);
  body.column->addWidget(more.widget);
  show(open->isChecked());
  return more;
}

void addText(Body& body, Session& session, std::function<QString()> text) {
  auto* label = new QLabel;
  label->setProperty("role", "quiet");
  label->setWordWrap(true);
  label->setTextInteractionFlags(Qt::TextSelectableByMouse);
  body.column->addWidget(label);
  const auto refresh = [label, text = std::move(text)] {
    label->setText(text());
    label->setVisible(!label->text().isEmpty());
  };
  QObject::connect(&session.model, &DocumentModel::resultsChanged, label, refresh);
  refresh();
}

void enableWithFootage(QPushButton* button, Session& session) {
  const auto refresh = [button, &session] { button->setEnabled(session.model.hasFootage()); };
  QObject::connect(&session.model, &DocumentModel::opened, button, refresh);
  refresh();
}

QPushButton* primary(const QString& text, const QString& tip) {
  auto* button = new QPushButton(text);
  button->setProperty("primary", true);
  button->setToolTip(tip);
  return button;
}
}  // namespace dusky::desktop
