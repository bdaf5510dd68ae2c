#include "apps/desktop/cards/preferences_dialog.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QThread>
#include <functional>

#include "apps/desktop/model/preferences.h"

namespace dusky::desktop {
namespace {

/// One member anew, the others as they are.
template <class Change>
void change(const Change& with) {
  PreferenceValues values = Preferences::instance().values();
  with(values);
  Preferences::instance().set(values);
}

QSpinBox* numberOf(const char* name, int PreferenceValues::*member, int low, int high, int step, const QString& suffix) {
  auto* field = new QSpinBox;
  field->setObjectName(name);
  field->setRange(low, high);
  field->setSingleStep(step);
  field->setSuffix(suffix);
  field->setKeyboardTracking(false);
  field->setValue(Preferences::instance().values().*member);
  QObject::connect(field, &QSpinBox::valueChanged, field, [member](int value) { change([&](PreferenceValues& v) { v.*member = value; }); });
  QObject::connect(&Preferences::instance(), &Preferences::changed, field, [field, member] {
    const QSignalBlocker quiet(field);
    field->setValue(Preferences::instance().values().*member);
  });
  return field;
}

QComboBox* unitField() {
  auto* field = new QComboBox;
  field->setObjectName("lengthUnit");
  field->addItems({QObject::tr("metres"), QObject::tr("centimetres"), QObject::tr("feet")});
  const auto refresh = [field] {
    const QSignalBlocker quiet(field);
    field->setCurrentIndex(static_cast<int>(Preferences::instance().values().unit));
  };
  refresh();
  QObject::connect(field, &QComboBox::currentIndexChanged, field,
                   [](int index) { change([index](PreferenceValues& v) { v.unit = static_cast<LengthUnit>(index); }); });
  QObject::connect(&Preferences::instance(), &Preferences::changed, field, refresh);
  return field;
}

QCheckBox* contrastField() {
  auto* field = new QCheckBox(QObject::tr("Higher contrast"));
  field->setObjectName("highContrast");
  const auto refresh = [field] {
    const QSignalBlocker quiet(field);
    field->setChecked(Preferences::instance().values().high_contrast);
  };
  refresh();
  QObject::connect(field, &QCheckBox::toggled, field, [](bool on) { change([on](PreferenceValues& v) { v.high_contrast = on; }); });
  QObject::connect(&Preferences::instance(), &Preferences::changed, field, refresh);
  return field;
}

}  // namespace

PreferencesDialog::PreferencesDialog(QWidget* parent) : QDialog(parent) {
  setObjectName("preferences");
  setWindowTitle(tr("Preferences"));
  auto* form = new QFormLayout;
  form->setHorizontalSpacing(16);
  form->setVerticalSpacing(9);
  const auto add = [form](const QString& label, QWidget* field, const QString& tip) {
    field->setToolTip(tip);
    form->addRow(label, field);
  };
  auto* threads = numberOf("threads", &PreferenceValues::threads, 0, 1024, 1, {});
  threads->setSpecialValueText(tr("all %1 cores").arg(QThread::idealThreadCount()));
  add(tr("Threads"), threads, tr("How many cores tracking and solving may use; fewer leave room for other programs. The result is the same."));
  add(tr("Frame memory"), numberOf("frameMemory", &PreferenceValues::frame_memory_mb, 64, 65536, 256, tr(" MB")),
      tr("How much memory frames once read may take, MB; 1080p needs 8 MB a frame."));
  add(tr("Lengths in"), unitField(), tr("Of distances on the set, once a length is known. Deliveries are in metres."));
  add(tr("Decimals of errors"), numberOf("errorDecimals", &PreferenceValues::error_decimals, 1, 4, 1, {}), tr("Of errors in px."));
  add(tr("Size of text"), numberOf("scalePercent", &PreferenceValues::scale_percent, 75, 300, 25, tr(" %")),
      tr("Of all text and controls, from the next start on."));
  add({}, contrastField(), tr("Brighter text and edges on darker ground."));
  auto* words = new QLabel(tr("A change is taken at once; the size of text from the next start on."));
  words->setProperty("role", "quiet");
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close | QDialogButtonBox::RestoreDefaults);
  buttons->button(QDialogButtonBox::RestoreDefaults)->setText(tr("Restore defaults"));
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::close);
  connect(buttons->button(QDialogButtonBox::RestoreDefaults), &QPushButton::clicked, this, [] { Preferences::instance().set({}); });
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(18, 16, 18, 14);
  column->setSpacing(14);
  column->addLayout(form);
  column->addWidget(words);
  column->addWidget(buttons);
}

}  // namespace dusky::desktop
