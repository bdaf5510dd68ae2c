// The scene moved by hand: numbers, handles, which axis is up.
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QToolButton>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/steps/step_settings.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

enum class Number { ShiftX, ShiftY, ShiftZ, TurnX, TurnY, TurnZ, Scale };

bool isTurn(Number n) { return n >= Number::TurnX && n <= Number::TurnZ; }
int axisOf(Number n) { return static_cast<int>(n) % 3; }

/// The scene's axis that numbers call X, Y or Z, and which way it runs.
Vec3 sceneAxis(const SceneFrame& scene, Number n) { return fromUpAxis(scene.up, Vec3::Unit(axisOf(n))); }

double told(const SceneFrame& scene, Number n) {
  if (n == Number::Scale) return scene.moved.scale;
  const Vec3& numbers = isTurn(n) ? scene.moved.turn_deg : scene.moved.shift;
  return sceneAxis(scene, n).dot(numbers) * (isTurn(n) || !scene.metric ? 1 : unitsPerMetre());
}

SceneMove changed(const SceneFrame& scene, Number n, double value) {
  SceneMove move = scene.moved;
  move.metres = scene.metric;
  if (n == Number::Scale) {
    move.scale = value;
    return move;
  }
  const Vec3 axis = sceneAxis(scene, n);
  Vec3& numbers = isTurn(n) ? move.turn_deg : move.shift;
  numbers += (value / (isTurn(n) || !scene.metric ? 1 : unitsPerMetre()) - axis.dot(numbers)) * axis;
  return move;
}

bool freeIn(const SceneFrame& scene, Number n) {
  if (n == Number::Scale) return scene.free.scale;
  const bool upright = sceneAxis(scene, n).y() != 0;
  if (isTurn(n)) return upright ? scene.free.turn : scene.free.tilt;
  return upright ? scene.free.lift : scene.free.shift;
}

QString whyNot(const SceneFrame& scene, Number n) {
  if (scene.surveyed) return QObject::tr("The survey says where the set stands.");
  if (n == Number::Scale) return QObject::tr("The scale is known.");
  if (isTurn(n))
    return scene.free.turn ? QObject::tr("What is up is known, or the camera’s height over the ground.") : QObject::tr("How the set lies is known.");
  return QObject::tr("The camera’s height over the ground is known.");
}

QDoubleSpinBox* field(Session& session, Number n, const QString& name, const QString& tip) {
  auto* box = new QDoubleSpinBox;
  box->setObjectName(name);
  box->setKeyboardTracking(false);
  box->setButtonSymbols(QAbstractSpinBox::NoButtons);
  box->setMinimumWidth(72);
  box->setDecimals(isTurn(n) ? 2 : 3);
  if (isTurn(n)) box->setRange(-360, 360), box->setSuffix("°");
  if (n == Number::Scale) box->setRange(0.001, 1000);
  if (!isTurn(n) && n != Number::Scale) box->setRange(-1e6, 1e6);
  const auto refresh = [&session, box, n, tip] {
    const QSignalBlocker quiet(box);
    const auto& scene = session.model.scene();
    const bool free = scene && !session.model.partial() && freeIn(*scene, n);
    box->setEnabled(free);
    box->setToolTip(free || !scene ? tip : whyNot(*scene, n));
    if (!isTurn(n) && n != Number::Scale) box->setSuffix(scene && scene->metric ? " " + unitSign() : QString());
    box->setValue(scene ? told(*scene, n) : n == Number::Scale ? 1 : 0);
  };
  QObject::connect(&session.model, &DocumentModel::resultsChanged, box, refresh);
  QObject::connect(&session.model, &DocumentModel::scenePreviewed, box, refresh);
  QObject::connect(&Preferences::instance(), &Preferences::changed, box, refresh);
  QObject::connect(box, &QDoubleSpinBox::valueChanged, &session.mover, [&session, n](double value) {
    if (const auto& scene = session.model.scene()) session.mover.set(changed(*scene, n, value));
  });
  refresh();
  return box;
}

QComboBox* upField(Session& session) {
  auto* choice = new QComboBox;
  choice->setObjectName("upAxis");
  choice->addItems({QObject::tr("Y up"), QObject::tr("Z up")});
  choice->setToolTip(QObject::tr("Which axis is up in numbers, the camera table, the points and the report. glTF files always have Y up."));
  const auto refresh = [&session, choice] {
    const QSignalBlocker quiet(choice);
    choice->setCurrentIndex(session.model.document().picks.scene.up == UpAxis::Z ? 1 : 0);
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, choice, refresh);
  QObject::connect(choice, &QComboBox::currentIndexChanged, &session.model, [&session](int index) {
    SceneSettings scene = session.model.document().picks.scene;
    scene.up = index == 1 ? UpAxis::Z : UpAxis::Y;
    session.model.run(changeScene("Choose which axis is up", session.model.document(), scene));
  });
  refresh();
  return choice;
}

QPushButton* handlesButton(Session& session) {
  auto* button = new QPushButton(QObject::tr("Handles"));
  button->setObjectName("sceneHandles");
  button->setProperty("role", "small");
  button->setCheckable(true);
  button->setToolTip(QObject::tr("Drag the whole scene in Plate and Space, about the selected points; Shift: by steps."));
  QObject::connect(button, &QPushButton::clicked, &session.view, &ViewSettings::showHandles);
  QObject::connect(&session.view, &ViewSettings::changed, button, [&session, button] { button->setChecked(session.view.handlesShown()); });
  return button;
}

QToolButton* resetButton(Session& session) {
  auto* cross = crossButton(QObject::tr("Takes all moves by hand back."));
  cross->setObjectName("resetMove");
  const auto refresh = [&session, cross] { cross->setEnabled(!session.model.document().picks.scene.move.none()); };
  QObject::connect(&session.model, &DocumentModel::documentChanged, cross, refresh);
  QObject::connect(cross, &QToolButton::clicked, &session.mover, [&session] { session.mover.set({}); });
  refresh();
  return cross;
}

}  // namespace

QWidget* sceneMoves(Session& session) {
  auto* whole = new QWidget;
  auto* grid = new QGridLayout(whole);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setVerticalSpacing(3);
  grid->setColumnStretch(1, 1), grid->setColumnStretch(2, 1);
  auto* head = new QHBoxLayout;
  head->addWidget(new QLabel(QObject::tr("Move by hand")), 1);
  head->addWidget(handlesButton(session));
  head->addWidget(resetButton(session));
  grid->addLayout(head, 0, 0, 1, 3);
  const auto quiet = [](const QString& text) {
    auto* label = new QLabel(text);
    label->setProperty("role", "quiet");
    return label;
  };
  grid->addWidget(quiet(QObject::tr("moved")), 1, 1);
  grid->addWidget(quiet(QObject::tr("turned")), 1, 2);
  constexpr std::array kShifts = {Number::ShiftX, Number::ShiftY, Number::ShiftZ}, kTurns = {Number::TurnX, Number::TurnY, Number::TurnZ};
  for (int axis = 0; axis < 3; ++axis) {
    const QString name(QChar('X' + axis));
    const auto at = static_cast<std::size_t>(axis);
    grid->addWidget(quiet(name), 2 + axis, 0);
    grid->addWidget(field(session, kShifts[at], "move" + name, QObject::tr("How far the scene is moved along %1.").arg(name)), 2 + axis, 1);
    grid->addWidget(field(session, kTurns[at], "turn" + name, QObject::tr("How far the scene is turned about %1.").arg(name)), 2 + axis, 2);
  }
  grid->addWidget(quiet(QObject::tr("×")), 5, 0);
  grid->addWidget(field(session, Number::Scale, "moveScale", QObject::tr("How many times as large, where no distance is known.")), 5, 1);
  grid->addWidget(upField(session), 5, 2);
  return whole;
}

}  // namespace dusky::desktop
