#include "apps/desktop/steps/fields.h"

#include <QSignalBlocker>

namespace dusky::desktop {

NumberField::NumberField(DocumentModel& model, Get get, Change change, QWidget* parent)
    : QDoubleSpinBox(parent), model_(model), get_(std::move(get)), change_(std::move(change)) {
  setKeyboardTracking(false);  // a typed number is one edit, so one undo step, not one per digit
  setFocusPolicy(Qt::StrongFocus);
  connect(&model_, &DocumentModel::documentChanged, this, &NumberField::refresh);
  connect(this, &QDoubleSpinBox::valueChanged, this, [this](double value) {
    model_.run(change_(model_.document(), value));
    refresh();
  });
}

NumberField* NumberField::range(double low, double high, int decimals, double step, const QString& suffix) {
  const QSignalBlocker quiet(this);
  setDecimals(decimals);
  setRange(low, high);
  setSingleStep(step);
  setSuffix(suffix);
  refresh();
  return this;
}

void NumberField::refresh() {
  const QSignalBlocker quiet(this);
  setValue(get_(model_.document()));
}

SwitchField::SwitchField(const QString& text, DocumentModel& model, Get get, Change change, QWidget* parent) : QCheckBox(text, parent) {
  const auto refresh = [this, &model, get] {
    const QSignalBlocker quiet(this);
    setChecked(get(model.document()));
  };
  connect(&model, &DocumentModel::documentChanged, this, refresh);
  connect(this, &QCheckBox::toggled, this, [&model, change](bool on) { model.run(change(model.document(), on)); });
  refresh();
}

ChoiceField::ChoiceField(const QStringList& choices, DocumentModel& model, Get get, Change change, QWidget* parent) : QComboBox(parent) {
  addItems(choices);
  setFocusPolicy(Qt::StrongFocus);
  const auto refresh = [this, &model, get] {
    const QSignalBlocker quiet(this);
    setCurrentIndex(get(model.document()));
  };
  connect(&model, &DocumentModel::documentChanged, this, refresh);
  connect(this, &QComboBox::currentIndexChanged, this, [&model, change](int index) { model.run(change(model.document(), index)); });
  refresh();
}

}  // namespace dusky::desktop
