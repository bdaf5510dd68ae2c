#include "apps/desktop/steps/settings_body.h"

#include <QLabel>
#include <QPushButton>

namespace dusky::desktop {

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
