#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <numbers>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/step_settings.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

/// One pick: name and value, a button that takes the selection, a cross that takes the pick back.
class PickRow : public QWidget {
 public:
  using Value = std::function<QString(const Session&)>;  ///< Empty: not picked.
  using Clear = std::function<void(SceneSettings&)>;

  PickRow(Session& session, const QString& name, QPushButton* use, Value guess, Value value, Clear clear) {
    auto* title = new QLabel(name);
    auto* text = new QLabel;
    text->setProperty("role", "quiet");
    text->setWordWrap(true);
    auto* cross = crossButton(QObject::tr("Takes this pick back; it is guessed again."));
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setVerticalSpacing(2);
    grid->setColumnStretch(0, 1);
    grid->addWidget(title, 0, 0);
    grid->addWidget(use, 0, 1);
    grid->addWidget(cross, 0, 2);
    grid->addWidget(text, 1, 0, 1, 3);
    const auto refresh = [&session, text, cross, guess = std::move(guess), value] {
      const QString now = value(session);
      text->setText(now.isEmpty() ? guess(session) : now);
      cross->setEnabled(!now.isEmpty());
    };
    connect(&session.model, &DocumentModel::resultsChanged, this, refresh);
    connect(cross, &QToolButton::clicked, this, [&session, name, clear] {
      SceneSettings scene = session.model.document().picks.scene;
      clear(scene);
      session.model.run(changeScene(QObject::tr("Forget %1").arg(name.toLower()).toStdString(), session.model.document(), scene));
    });
    refresh();
  }
};

QString groundText(const Session& session) {
  const SceneSettings& scene = session.model.document().picks.scene;
  if (scene.ground.empty()) return {};
  const auto& frame = session.model.scene();
  const QString fit = frame && !std::isnan(frame->ground_rms) ? QObject::tr(", %1 off (RMS)").arg(sceneLengthText(*frame, frame->ground_rms, 2)) : "";
  return QObject::tr("%1 tracks%2").arg(scene.ground.size()).arg(fit);
}

PickRow::Value guessed(const QString& how) {
  return [how](const Session& session) {
    const auto& frame = session.model.scene();
    return frame && frame->surveyed ? QObject::tr("placed by the survey") : how;
  };
}

/// How level it is likely to be.
QString groundGuess(const Session& session) {
  const auto& frame = session.model.scene();
  if (frame && frame->surveyed) return QObject::tr("placed by the survey");
  const SolutionPtr solution = session.model.solution();
  const QString how =
      frame && !frame->ground_found ? QObject::tr("guessed by the camera: no ground was found") : QObject::tr("guessed: the plane under the camera");
  if (solution && solution->knowledge.up) return QObject::tr("%1, level by what is known").arg(how);
  if (!frame || std::isnan(frame->sigma_up_rad)) return how;
  return QObject::tr("%1, level to ± %2°").arg(how).arg(frame->sigma_up_rad * 180 / std::numbers::pi, 0, 'f', 1);
}

QString originText(const Session& session) {
  const auto& origin = session.model.document().picks.scene.origin;
  return origin ? QObject::tr("track %1").arg(*origin) : QString();
}

QString directionText(const Session& session) {
  const auto& direction = session.model.document().picks.scene.direction;
  return direction ? QObject::tr("track %1 → %2 runs along X").arg(direction->from).arg(direction->to) : QString();
}

QString knownLengthText(const Session& session) {
  const auto& length = session.model.document().picks.scene.length;
  return length ? QObject::tr("track %1 – %2 is %3").arg(length->from).arg(length->to).arg(lengthText(length->metres, 5)) : QString();
}

/// How high the camera stood, and what sets the scale where that does not.
QString heightText(const Session& session) {
  const auto& height = session.model.document().picks.scene.height;
  if (!height) return {};
  const QString said = QObject::tr("%1 above it in frame %2").arg(lengthText(height->metres, 4)).arg(height->frame);
  const auto& frame = session.model.scene();
  const SolutionPtr solution = session.model.solution();
  if (!frame || !solution || !frame->metric || !(frame->surveyed || frame->free.lift)) return said;  // it sets the scale itself
  for (const SceneResidual& r : sceneResiduals(*solution, *frame, session.model.document().picks.scene, {})) {
    if (r.tracks.empty()) return QObject::tr("%1; as the scene is placed: %2").arg(said, lengthText(r.found, 4));
  }
  return said;
}

QWidget* heightRow(Session& session) {
  auto* metres = new QDoubleSpinBox;
  metres->setObjectName("cameraHeight");
  metres->setDecimals(3);
  metres->setKeyboardTracking(false);
  metres->setToolTip(QObject::tr("How high the camera stood over the ground in the frame that is shown."));
  metres->setRange(0.001 * unitsPerMetre(), 100000 * unitsPerMetre());
  metres->setSuffix(" " + unitSign());
  metres->setValue(1.6 * unitsPerMetre());
  const auto know = [&session, metres](int frame) {
    SceneSettings scene = session.model.document().picks.scene;
    scene.height = CameraHeight{frame, metres->value() / unitsPerMetre()};
    session.model.run(changeScene("Use the camera's height", session.model.document(), scene));
  };
  auto* use = new QPushButton(QObject::tr("Use this frame"));
  use->setObjectName("useCameraHeight");
  use->setToolTip(QObject::tr("In this frame the camera stands so high over the ground: that sets the scale, where no distance is known."));
  QObject::connect(use, &QPushButton::clicked, metres, [&session, know] { know(session.playback.frame()); });
  QObject::connect(metres, &QDoubleSpinBox::valueChanged, use, [&session, know] {
    if (const auto& height = session.model.document().picks.scene.height) know(height->frame);
  });
  const auto refresh = [&session, metres, use] {
    const QSignalBlocker quiet(metres);
    metres->setSuffix(" " + unitSign());
    if (const auto& height = session.model.document().picks.scene.height) metres->setValue(height->metres * unitsPerMetre());
    use->setEnabled(session.model.solution() != nullptr);
  };
  QObject::connect(&session.model, &DocumentModel::resultsChanged, metres, refresh);
  QObject::connect(&Preferences::instance(), &Preferences::changed, metres, refresh);
  refresh();
  auto* row = new QWidget;
  auto* column = new QVBoxLayout(row);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  column->addWidget(
      new PickRow(session, QObject::tr("Camera height"), use, guessed(QObject::tr("not known")), heightText, [](SceneSettings& s) { s.height.reset(); }));
  column->addWidget(metres);
  return row;
}

QWidget* lengthField(Session& session, TrackActions& actions) {
  auto* field = new QDoubleSpinBox;
  field->setObjectName("lengthMetres");
  field->setDecimals(3);
  field->setKeyboardTracking(false);
  field->setToolTip(QObject::tr("The real distance between the two tracks."));
  const auto refresh = [&actions, field] {
    const QSignalBlocker quiet(field);
    field->setRange(0.001 * unitsPerMetre(), 100000 * unitsPerMetre());
    field->setSuffix(" " + unitSign());
    field->setValue(actions.lengthMetres() * unitsPerMetre());
  };
  refresh();
  QObject::connect(&Preferences::instance(), &Preferences::changed, field, refresh);
  QObject::connect(field, &QDoubleSpinBox::valueChanged, &actions, [&session, &actions](double value) {
    const double metres = value / unitsPerMetre();
    actions.setLengthMetres(metres);
    // A length that is picked already takes the new number.
    if (const auto& length = session.model.document().picks.scene.length)
      session.model.run(useAsLength(session.model.document(), length->from, length->to, metres));
  });
  QObject::connect(&session.model, &DocumentModel::documentChanged, field, [&session, &actions, refresh] {
    const auto& length = session.model.document().picks.scene.length;
    if (!length) return;
    actions.setLengthMetres(length->metres);
    refresh();
  });
  return field;
}
}  // namespace

QWidget* sceneSettings(Session& session, TrackActions& actions) {
  auto* body = new QWidget;
  auto* column = new QVBoxLayout(body);
  column->setSpacing(6);
  auto* hint = new QLabel(QObject::tr("Select tracks, then use them:"));
  hint->setProperty("role", "quiet");
  hint->setWordWrap(true);
  column->addWidget(hint);
  auto* problem = new QLabel;
  problem->setProperty("role", "failure");
  problem->setWordWrap(true);
  column->addWidget(problem);
  const auto tell = [&session, problem] {
    problem->setText(session.model.sceneProblem());
    problem->setVisible(!problem->text().isEmpty());
  };
  QObject::connect(&session.model, &DocumentModel::resultsChanged, problem, tell);
  tell();
  auto* ground = buttonFor(actions.ground, QObject::tr("Use selection"), true);
  ground->setObjectName("useAsGround");
  column->addWidget(new PickRow(session, QObject::tr("Ground"), ground, groundGuess, groundText, [](SceneSettings& s) { s.ground.clear(); }));
  column->addWidget(new PickRow(session, QObject::tr("Origin"), buttonFor(actions.origin, QObject::tr("Use selection")),
                                guessed(QObject::tr("guessed: under the middle of the path")), originText, [](SceneSettings& s) { s.origin.reset(); }));
  column->addWidget(new PickRow(session, QObject::tr("X axis"), buttonFor(actions.direction, QObject::tr("Use selection")),
                                guessed(QObject::tr("guessed: X to the first camera's right")), directionText, [](SceneSettings& s) { s.direction.reset(); }));
  column->addWidget(new PickRow(session, QObject::tr("Known distance"), buttonFor(actions.length, QObject::tr("Use selection")),
                                guessed(QObject::tr("guessed: camera 1.6 above it")), knownLengthText, [](SceneSettings& s) { s.length.reset(); }));
  column->addWidget(lengthField(session, actions));
  column->addWidget(heightRow(session));
  column->addWidget(sceneMoves(session));
  column->addWidget(meshRows(session));
  auto* known = new QLabel(QObject::tr("For the next solve, selected tracks are:"));
  known->setProperty("role", "quiet");
  column->addWidget(known);
  auto* kinds = new QHBoxLayout;
  kinds->setSpacing(4);
  for (const auto& [kind, name] : {std::pair(actions.flat, QObject::tr("Flat")),
                                   {actions.level, QObject::tr("Level")},
                                   {actions.upright, QObject::tr("Upright")},
                                   {actions.straight, QObject::tr("Straight")}}) {
    auto* button = buttonFor(kind, name);
    button->setObjectName("make " + name);
    button->setProperty("role", "small");
    kinds->addWidget(button);
  }
  column->addLayout(kinds);
  column->addWidget(knowledgeRows(session));
  auto* objects = new QLabel(QObject::tr("Test objects on the selected tracks"));
  objects->setProperty("role", "quiet");
  column->addWidget(objects);
  auto* buttons = new QGridLayout;
  const std::vector<std::pair<QAction*, QString>> shapes = {{actions.cone, QObject::tr("Cone")},     {actions.cube, QObject::tr("Cube")},
                                                            {actions.card, QObject::tr("Card")},     {actions.floor, QObject::tr("Floor")},
                                                            {actions.figure, QObject::tr("Figure")}, {actions.remove_objects, QObject::tr("Remove")}};
  for (std::size_t i = 0; i < shapes.size(); ++i)
    buttons->addWidget(buttonFor(shapes[i].first, shapes[i].second), static_cast<int>(i) / 3, static_cast<int>(i) % 3);
  column->addLayout(buttons);
  column->addWidget(objectRows(session));
  return body;
}
}  // namespace dusky::desktop
