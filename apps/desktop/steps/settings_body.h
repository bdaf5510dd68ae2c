#pragma once
#include <QGridLayout>
#include <QVBoxLayout>
#include <functional>

#include "apps/desktop/steps/step_settings.h"

class QPushButton;

namespace dusky::desktop {

/// An empty body with a grid for fields; a value that points to widgets which Qt owns.
struct Body {
  QWidget* widget = new QWidget;
  QVBoxLayout* column = new QVBoxLayout(widget);
  QGridLayout* grid = new QGridLayout;
  Body() {
    column->setSpacing(8);
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(6);
    grid->setColumnStretch(0, 1);
    column->addLayout(grid);
  }
};

/// Shows a field with its label, or neither.
void showField(QGridLayout& grid, QWidget* field, bool shown);
/// What is seldom needed: behind a "More…" that stays open where it was opened, by a name for the settings file.
Body addMore(Body& body, const char* name);

/// A quiet text under the fields that is made anew with every change.
void addText(Body& body, Session& session, std::function<QString()> text);
/// The one button that the step is for.
QPushButton* primary(const QString& text, const QString& tip);
/// Only while there is footage.
void enableWithFootage(QPushButton* button, Session& session);
}  // namespace dusky::desktop
