#include "apps/desktop/steps/step_settings.h"

#include <QAbstractItemView>
#include <QAction>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSettings>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QVBoxLayout>
#include <filesystem>
#include <map>

#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/settings_body.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

template <class Value>
NumberField* trackingField(Session& session, const char* name, Value FollowOptions::*field) {
  return new NumberField(
      session.model, [field](const Document& d) { return static_cast<double>(d.tracking.*field); },
      [name, field](const Document& d, double v) { return changeField(name, d, &Document::tracking, field, static_cast<Value>(v)); });
}

QPushButton* primary(const QString& text, const QString& tip) {
  auto* button = new QPushButton(text);
  button->setProperty("primary", true);
  button->setToolTip(tip);
  return button;
}

/// Which sizes of features are looked for; the last one cannot be switched off.
QWidget* sizeSwitches(Session& session) {
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  line->setSpacing(6);
  const auto add = [&](const QString& text, const QString& tip, bool FeatureSizes::*size) {
    auto* made = new SwitchField(
        text, session.model, [size](const Document& d) { return d.tracking.sizes.*size; },
        [size](const Document& d, bool on) {
          FeatureSizes sizes = d.tracking.sizes;
          sizes.*size = on;
          return changeField("Change sizes of features", d, &Document::tracking, &FollowOptions::sizes, sizes.any() ? sizes : d.tracking.sizes);
        });
    QObject::connect(&session.model, &DocumentModel::documentChanged, made, [&session, made, size] {
      const FeatureSizes& s = session.model.document().tracking.sizes;
      made->setEnabled(!(s.*size) || s.fine + s.medium + s.coarse > 1);
    });
    made->setToolTip(tip);
    line->addWidget(made);
  };
  add(QObject::tr("Fine"), QObject::tr("Small features, 7 px across: sharp, detailed footage."), &FeatureSizes::fine);
  add(QObject::tr("Medium"), QObject::tr("Features 11 px across: right for most footage."), &FeatureSizes::medium);
  add(QObject::tr("Coarse"), QObject::tr("Large features, 22 px across: soft or blurred footage."), &FeatureSizes::coarse);
  line->addStretch();
  return row;
}

QString stopReasons(const TrackSet& tracks) {
  std::map<StopReason, int> counts;
  for (const Track& track : tracks.tracks) ++counts[track.stop];
  QStringList lines;
  for (const auto& [reason, count] : counts) lines << QObject::tr("%1: %2").arg(QString::fromUtf8(describe(reason).data())).arg(count);
  if (tracks.summary.rejoined > 0) lines << QObject::tr("joined again: %1").arg(tracks.summary.rejoined);
  if (tracks.summary.too_short > 0) lines << QObject::tr("dropped for a short life: %1").arg(tracks.summary.too_short);
  return lines.join("\n");
}

QString staircaseText(const Solution& solution) {
  QStringList lines;
  for (const StaircaseStep& step : solution.staircase) {
    const double error = std::isnan(step.holdout_rms_px) ? step.rms_px : step.holdout_rms_px;
    lines
        << QObject::tr("%1 %2: %3 px").arg(step.kept ? QStringLiteral("+") : QStringLiteral("–"), QString::fromStdString(step.released)).arg(error, 0, 'f', 3);
  }
  return lines.isEmpty() ? QString() : QObject::tr("Released, holdout error after it:\n") + lines.join("\n");
}

}  // namespace

QLabel* quietLabel(const QString& text) {
  auto* label = new QLabel(text);
  label->setProperty("role", "quiet");
  label->setWordWrap(true);
  return label;
}

void addField(QGridLayout& grid, const QString& label, QWidget* field, const QString& tip) {
  const int row = grid.rowCount();
  auto* name = new QLabel(label);
  name->setToolTip(tip);
  field->setToolTip(tip);
  field->setFixedWidth(104);
  grid.addWidget(name, row, 0);
  grid.addWidget(field, row, 1);
}

/// "Add tracks here": the tool, how far in time, and taking all of it back.
QWidget* regionSettings(Session& session) {
  auto* row = new QWidget;
  auto* grid = new QGridLayout(row);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setHorizontalSpacing(8);
  grid->setColumnStretch(0, 1);
  auto* draw = new QPushButton(QObject::tr("Add tracks here"));
  draw->setObjectName("addTracksHere");
  draw->setCheckable(true);
  draw->setToolTip(
      QObject::tr("Draw round a thin place on the Plate: more features are found there, twice as dense and half as strong. The tracks there are stay (R)."));
  auto* reach = new QSpinBox;
  reach->setObjectName("regionFrames");
  reach->setRange(0, 100000);
  reach->setValue(session.view.regionFrames());
  reach->setPrefix(QObject::tr("± "));
  reach->setSuffix(QObject::tr(" frames"));
  reach->setSpecialValueText(QObject::tr("all frames"));
  reach->setFixedWidth(104);
  reach->setToolTip(QObject::tr("Features are born within so many frames of the one shown, and grow as far as they can."));
  auto* remove = new QPushButton;
  remove->setObjectName("removeAdded");
  remove->setToolTip(QObject::tr("Takes away what “Add tracks here” added. Undo brings it back."));
  grid->addWidget(draw, 0, 0, 1, 2);
  grid->addWidget(new QLabel(QObject::tr("Born within")), 1, 0);
  grid->addWidget(reach, 1, 1);
  grid->addWidget(remove, 2, 0, 1, 2);
  QObject::connect(draw, &QPushButton::clicked, row, [&session](bool on) { session.view.setTool(on ? ViewSettings::Tool::Region : ViewSettings::Tool::Box); });
  QObject::connect(reach, &QSpinBox::valueChanged, &session.view, &ViewSettings::setRegionFrames);
  QObject::connect(remove, &QPushButton::clicked, row, [&session] { session.model.run(removeExtraRuns()); });
  const auto refresh = [&session, draw, remove] {
    draw->setEnabled(session.model.hasFootage() && !session.jobs.busy());
    draw->setChecked(session.view.tool() == ViewSettings::Tool::Region);
    const auto runs = session.model.document().extra_runs.size();
    remove->setVisible(runs > 0);
    remove->setText(runs == 1 ? QObject::tr("Remove the added region") : QObject::tr("Remove the %1 added regions").arg(runs));
  };
  QObject::connect(&session.view, &ViewSettings::changed, row, refresh);
  QObject::connect(&session.jobs, &Jobs::changed, row, refresh);
  QObject::connect(&session.model, &DocumentModel::documentChanged, row, refresh);
  QObject::connect(&session.model, &DocumentModel::opened, row, refresh);
  refresh();
  return row;
}

QWidget* tracksSettings(Session& session) {
  Body body;
  addField(*body.grid, QObject::tr("Features"), trackingField(session, "Change features", &FollowOptions::features)->range(20, 20000, 0, 50, ""),
           QObject::tr("How many are followed at one time. More is steadier and slower."));
  addField(*body.grid, QObject::tr("Corner strength"),
           trackingField(session, "Change corner strength", &FollowOptions::min_strength)->range(0.1, 1000, 1, 0.5, ""),
           QObject::tr("Floor of the corner strength, (grey levels / px)². Higher: fewer and better features."));
  addField(*body.grid, QObject::tr("Spacing"), trackingField(session, "Change spacing", &FollowOptions::min_distance_px)->range(4, 200, 0, 1, " px"),
           QObject::tr("Least distance between two features, px."));
  addField(*body.grid, QObject::tr("Edge margin"), trackingField(session, "Change edge margin", &FollowOptions::edge_margin_px)->range(0, 500, 0, 5, " px"),
           QObject::tr("No new features nearer to the picture's edge, px; never less than a patch needs."));
  addField(*body.grid, QObject::tr("Patch radius"), trackingField(session, "Change patch radius", &FollowOptions::patch_radius)->range(4, 30, 0, 1, " px"),
           QObject::tr("Half side of the piece of picture that is followed, px. Larger holds on to soft texture."));
  addField(*body.grid, QObject::tr("Return within"), trackingField(session, "Change tolerance", &FollowOptions::max_return_px)->range(0.05, 5, 2, 0.05, " px"),
           QObject::tr("Each step is followed back; a track ends where it returns farther off than this, px."));
  const auto option = [&](const QString& text, const QString& tip, const char* name, bool FollowOptions::*field) {
    auto* made = new SwitchField(
        text, session.model, [field](const Document& d) { return d.tracking.*field; },
        [name, field](const Document& d, bool on) { return changeField(name, d, &Document::tracking, field, on); });
    made->setToolTip(tip);
    body.column->addWidget(made);
  };
  body.column->addWidget(sizeSwitches(session));
  option(QObject::tr("Grow both ways in time"), QObject::tr("Also follow back from where a feature was found. Off: faster, shorter tracks."),
         "Change direction", &FollowOptions::both_ways);
  option(QObject::tr("Join what comes back"), QObject::tr("A track that is hidden or leaves and comes back goes on, when looks and geometry agree."),
         "Change joining", &FollowOptions::rejoin);
  auto* shown = new QCheckBox(QObject::tr("Show candidates in this frame"));
  shown->setObjectName("showCandidates");
  shown->setToolTip(QObject::tr("Marks the features that tracking would begin with, anew with every setting and frame (Shift+T)."));
  QObject::connect(shown, &QCheckBox::toggled, &session.view, &ViewSettings::showCandidates);
  QObject::connect(&session.view, &ViewSettings::changed, shown, [&session, shown] { shown->setChecked(session.view.candidatesShown()); });
  body.column->addWidget(shown);
  auto* run =
      primary(QObject::tr("Track features"),
              QObject::tr("Finds features and follows them through the range. What was tracked with the same settings stays; tracks by hand always do."));
  run->setObjectName("runTracks");
  QObject::connect(run, &QPushButton::clicked, &session.jobs, &Jobs::runTracks);
  enableWhenIdle(run, session);
  body.column->addWidget(run);
  body.column->addWidget(regionSettings(session));
  addText(body, session, [&session] { return session.model.tracks() && !session.model.partial() ? stopReasons(*session.model.tracks()) : QString(); });
  body.column->addWidget(handSettings(session));
  return body.widget;
}

/// Formats by name, with their widths; an artist's own ones are remembered on this machine.
QComboBox* sensorField(Session& session) {
  struct Format {
    const char* name;
    double width_mm;
  };
  static const Format kFormats[] = {
      {"65 mm film, 52.5", 52.48}, {"full frame, 36", 36}, {"35 mm film, 4 perf., 24.9", 24.89}, {"APS-C, 23.5", 23.5},  {"4/3 inch, 17.3", 17.3},
      {"16 mm film, 12.5", 12.52}, {"1 inch, 13.2", 13.2}, {"phone, 1/1.3 inch, 9.8", 9.8},      {"2/3 inch, 8.8", 8.8}, {"1/2.3 inch, 6.2", 6.17}};
  auto* field = new QComboBox;
  field->setObjectName("sensorFormat");
  field->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  const auto fill = [field, &session] {
    const QSignalBlocker quiet(field);
    field->clear();
    field->addItem(QObject::tr("sensor by its width"), 0.0);
    for (const Format& format : kFormats) field->addItem(QObject::tr("%1 mm").arg(QObject::tr(format.name)), format.width_mm);
    for (const QVariant& own : QSettings("Dusky Moth", "dusky-moth").value("sensors_mm").toList())
      field->addItem(QObject::tr("own, %1 mm").arg(own.toDouble(), 0, 'g', 4), own.toDouble());
    field->addItem(QObject::tr("remember this width"), -1.0);
    field->view()->setMinimumWidth(field->view()->sizeHintForColumn(0) + 24);
    const double width = session.model.document().lens.sensor_mm;
    for (int i = 1; i + 1 < field->count(); ++i) {
      if (std::abs(field->itemData(i).toDouble() - width) < 0.02) field->setCurrentIndex(i);
    }
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, field, fill);
  QObject::connect(field, &QComboBox::activated, field, [&session, field, fill](int index) {
    const double width = field->itemData(index).toDouble();
    if (width > 0) return session.model.run(changeField("Choose sensor", session.model.document(), &Document::lens, &LensSettings::sensor_mm, width));
    if (width < 0) {
      QSettings settings("Dusky Moth", "dusky-moth");
      QVariantList own = settings.value("sensors_mm").toList();
      own.removeAll(session.model.document().lens.sensor_mm);
      own.append(session.model.document().lens.sensor_mm);
      settings.setValue("sensors_mm", own.mid(std::max<qsizetype>(0, own.size() - 8)));
    }
    fill();
  });
  fill();
  return field;
}

QWidget* solveSettings(Session& session) {
  Body body;
  auto* known = new ChoiceField(
      {QObject::tr("unknown"), QObject::tr("about known"), QObject::tr("locked")}, session.model,
      [](const Document& d) { return static_cast<int>(d.lens.focal); },
      [](const Document& d, int v) { return changeField("Change focal length", d, &Document::lens, &LensSettings::focal, static_cast<FocalKnowledge>(v)); });
  const auto lens = [&session](const char* name, double LensSettings::*field) {
    return new NumberField(
        session.model, [field](const Document& d) { return d.lens.*field; },
        [name, field](const Document& d, double v) { return changeField(name, d, &Document::lens, field, v); });
  };
  auto* focal = lens("Change focal length", &LensSettings::focal_mm)->range(1, 2000, 2, 1, " mm");
  auto* sensor = lens("Change sensor width", &LensSettings::sensor_mm)->range(1, 100, 2, 0.1, " mm");
  addField(*body.grid, QObject::tr("Focal length"), known,
           QObject::tr("Unknown: found from the footage. About known: the value is a start. Locked: the value stands."));
  addField(*body.grid, QObject::tr("Value"), focal, QObject::tr("Focal length, mm; read unless it is unknown."));
  addField(*body.grid, QObject::tr("Sensor width"), sensor, QObject::tr("Width of the sensor, mm; turns mm into px and back."));
  auto* sensors = sensorField(session);
  sensors->setToolTip(QObject::tr("Sensors by common format name; “remember this width” adds your own to the list."));
  body.grid->addWidget(sensors, body.grid->rowCount(), 0, 1, 2);
  const auto refresh = [&session, focal] { focal->setEnabled(session.model.document().lens.focal != FocalKnowledge::Unknown); };
  QObject::connect(&session.model, &DocumentModel::documentChanged, focal, refresh);
  refresh();
  auto* distortion = new SwitchField(
      QObject::tr("Lens distortion may be found"), session.model, [](const Document& d) { return d.lens.distortion; },
      [](const Document& d, bool on) { return changeField("Change lens distortion", d, &Document::lens, &LensSettings::distortion, on); });
  distortion->setToolTip(QObject::tr(
      "On: distortion and the lens's middle are released one at a time and kept where the holdout tracks confirm them. Off: a lens without distortion."));
  body.column->addWidget(distortion);
  auto* run = primary(QObject::tr("Solve the shot"), QObject::tr("Finds the camera path, the lens and the points. Tracks first where there are none."));
  run->setObjectName("runSolve");
  QObject::connect(run, &QPushButton::clicked, &session.jobs, &Jobs::runSolve);
  enableWhenIdle(run, session);
  body.column->addWidget(run);
  addText(body, session, [&session] { return session.model.solution() ? staircaseText(*session.model.solution()) : QString(); });
  return body.widget;
}

}  // namespace dusky::desktop
