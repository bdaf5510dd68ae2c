#include "apps/desktop/steps/known_values.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>

#include "apps/desktop/steps/settings_body.h"
#include "apps/desktop/model/scalar_names.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

/// The model that parameters are named for: the chosen one, else that of the solve.
LensModel modelNow(const Session& session) {
  switch (session.model.document().lens.lens) {
    case LensChoice::None: return LensModel::None;
    case LensChoice::Brown: return LensModel::Brown;
    case LensChoice::Fisheye: return LensModel::Fisheye;
    case LensChoice::Anamorphic: return LensModel::Anamorphic;
    case LensChoice::Auto: break;
  }
  const SolutionPtr solution = session.model.solution();
  return solution ? solution->lens().model : LensModel::Brown;
}

QDoubleSpinBox* smallNumber(const char* object, const QString& tip, double least) {
  auto* field = new QDoubleSpinBox;
  field->setObjectName(object);
  field->setRange(least, 1e5);
  field->setDecimals(5);
  field->setButtonSymbols(QAbstractSpinBox::NoButtons);
  field->setMinimumWidth(60);
  field->setToolTip(tip);
  return field;
}

QString numberText(double v) { return QString::number(v, 'g', 6); }

/// One line for each value that is known, with a button that forgets it.
void fillList(Session& session, QWidget* list) {
  auto* grid = static_cast<QGridLayout*>(list->layout());
  qDeleteAll(list->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly));
  int row = 0;
  for (const auto& [name, known] : session.model.document().lens.values) {
    auto* text = new QLabel(known.sigma > 0 ? QObject::tr("%1: %2 ± %3").arg(scalarName(name), numberText(known.value), numberText(known.sigma))
                                            : QObject::tr("%1: %2, stands").arg(scalarName(name), numberText(known.value)));
    text->setWordWrap(true);
    auto* forget = new QPushButton(QObject::tr("Forget"));
    forget->setObjectName("forget " + QString::fromStdString(name));
    forget->setToolTip(QObject::tr("The next solve finds it again, where it may."));
    QObject::connect(forget, &QPushButton::clicked, list, [&session, name = name] {
      // Later: the button itself goes with the list.
      QMetaObject::invokeMethod(
          &session.model, [&session, name] { session.model.run(knowValue(session.model.document(), name, std::nullopt)); }, Qt::QueuedConnection);
    });
    grid->addWidget(text, row, 0);
    grid->addWidget(forget, row++, 1);
  }
  list->setVisible(row > 0);
}

}  // namespace

QWidget* knownValues(Session& session) {
  auto* whole = new QWidget;
  auto* column = new QVBoxLayout(whole);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  column->addWidget(quietLabel(QObject::tr("Known of single lens values:")));
  auto* list = new QWidget;
  auto* lines = new QGridLayout(list);
  lines->setContentsMargins(0, 0, 0, 0);
  lines->setColumnStretch(0, 1);
  column->addWidget(list);
  auto* row = new QHBoxLayout;
  row->setSpacing(4);
  auto* name = new QComboBox;
  name->setObjectName("knownName");
  name->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  name->setToolTip(QObject::tr("Which value of the lens is known."));
  auto* value = smallNumber("knownValue", QObject::tr("Its value."), -1e5);
  auto* sigma = smallNumber("knownSigma", QObject::tr("How well it is known: one standard deviation; 0: it stands, and is not looked for."), 0);
  row->addWidget(value, 1);
  row->addWidget(new QLabel("±"));
  row->addWidget(sigma, 1);
  column->addWidget(name);
  column->addLayout(row);
  auto* know = new QPushButton(QObject::tr("Know this value"));
  know->setObjectName("knowValue");
  know->setToolTip(QObject::tr("The next solve keeps to it."));
  column->addWidget(know);
  const auto offer = [&session, name, value] {
    const SolutionPtr solution = session.model.solution();
    if (solution && name->currentIndex() >= 0) value->setValue(solution->lens().parameters()[static_cast<std::size_t>(name->currentIndex() + 1)]);
  };
  const auto refresh = [&session, list, name, offer] {
    fillList(session, list);
    const auto names = lensParameterNames(modelNow(session));
    if (name->count() == static_cast<int>(names.size()) - 1 && name->property("model").toInt() == static_cast<int>(modelNow(session))) return;
    const QSignalBlocker quiet(name);
    name->clear();
    name->setProperty("model", static_cast<int>(modelNow(session)));
    // The focal length has a field of its own.
    for (std::size_t k = 1; k < names.size(); ++k) name->addItem(scalarName(std::string(names[k])), QString::fromStdString(std::string(names[k])));
    name->setCurrentIndex(std::min(2, name->count() - 1));
    offer();
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, whole, refresh);
  QObject::connect(&session.model, &DocumentModel::resultsChanged, whole, [refresh, offer] {
    refresh();
    offer();
  });
  QObject::connect(name, &QComboBox::currentIndexChanged, whole, offer);
  QObject::connect(know, &QPushButton::clicked, whole, [&session, name, value, sigma] {
    session.model.run(knowValue(session.model.document(), name->currentData().toString().toStdString(), KnownValue{value->value(), sigma->value()}));
  });
  refresh();
  return whole;
}

}  // namespace dusky::desktop
