#include <QAbstractItemView>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <cmath>

#include "apps/desktop/model/user_settings.h"
#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/known_values.h"
#include "apps/desktop/steps/settings_body.h"
#include "apps/desktop/steps/staircase_view.h"
#include "core/base/atomic_file.h"
#include "core/lens/lens_file.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

template <class Value>
std::unique_ptr<Edit> changeLens(const char* name, const Document& document, Value LensSettings::*field, std::type_identity_t<Value> value) {
  return changeField(name, document, &Document::lens, field, std::move(value));
}

NumberField* lensNumber(Session& session, const char* name, double LensSettings::*field) { return numberOf(session.model, name, &Document::lens, field); }

template <class Choice>
ChoiceField* lensChoice(Session& session, const QStringList& names, const char* name, Choice LensSettings::*field) {
  return new ChoiceField(
      names, session.model, [field](const Document& d) { return static_cast<int>(d.lens.*field); },
      [name, field](const Document& d, int v) { return changeLens(name, d, field, static_cast<Choice>(v)); });
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
    for (const QVariant& own : userSettings().value("sensors_mm").toList())
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
      QSettings settings = userSettings();
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

/// Groups of lens parameters with what is said about each: found as the tracks bear it out, forced on, forced off.
QWidget* releaseFields(Session& session) {
  auto* body = new QWidget;
  auto* grid = new QGridLayout(body);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setHorizontalSpacing(8);
  grid->setColumnStretch(0, 1);
  const auto fill = [&session, body, grid] {
    const LensChoice choice = session.model.document().lens.lens;
    const LensModel model = choice == LensChoice::Fisheye      ? LensModel::Fisheye
                            : choice == LensChoice::Anamorphic ? LensModel::Anamorphic
                            : choice == LensChoice::None       ? LensModel::None
                                                               : LensModel::Brown;
    if (body->property("model").toInt() == static_cast<int>(model) + 1) return;
    body->setProperty("model", static_cast<int>(model) + 1);
    qDeleteAll(body->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly));
    int row = 0;
    for (const LensGroup& group : lensGroups(model)) {
      const std::string name(group.name);
      auto* field = new ChoiceField(
          {QObject::tr("auto"), QObject::tr("on"), QObject::tr("off")}, session.model,
          [name](const Document& d) {
            const auto found = d.lens.releases.find(name);
            return found != d.lens.releases.end() ? static_cast<int>(found->second) : 0;
          },
          [name](const Document& d, int v) {
            auto releases = d.lens.releases;
            releases[name] = static_cast<Release>(v);
            return changeLens("Release lens parameters", d, &LensSettings::releases, std::move(releases));
          });
      field->setObjectName("release " + QString::fromStdString(name));
      field->setFixedWidth(104);
      field->setToolTip(QObject::tr("Auto: kept where the holdout tracks confirm it and it gains more than it costs. On, off: your word stands."));
      grid->addWidget(new QLabel(QString::fromStdString(name)), row, 0);
      grid->addWidget(field, row++, 1);
    }
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, body, fill);
  fill();
  return body;
}

void loadLens(Session& session, QWidget* parent) {
  const QString path = QFileDialog::getOpenFileName(parent, QObject::tr("A lens from a chart or an earlier shot"), {}, QObject::tr("Lens or report (*.json)"));
  if (!path.isEmpty()) useLensFile(session, path);
}

QWidget* knownLens(Session& session) {
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  auto* load = new QPushButton;
  load->setObjectName("loadLens");
  load->setToolTip(QObject::tr("A lens file, or the report of an earlier solve: focal length and distortion are taken from it and locked."));
  auto* save = new QPushButton(QObject::tr("Save lens…"));
  save->setObjectName("saveLens");
  save->setToolTip(QObject::tr("Writes the solved lens as a file that another shot can load."));
  line->addWidget(load, 1);
  line->addWidget(save);
  QObject::connect(load, &QPushButton::clicked, row, [&session, row] {
    if (session.model.document().lens.known.empty()) return loadLens(session, row);
    session.model.run(changeLens("Use no loaded lens", session.model.document(), &LensSettings::known, std::string()));
  });
  QObject::connect(save, &QPushButton::clicked, row, [&session, row] {
    if (!session.model.solution()) return;
    const QString path = QFileDialog::getSaveFileName(row, QObject::tr("Save the lens"), "lens.json", QObject::tr("Lens (*.json)"));
    if (path.isEmpty()) return;
    const Status written = writeFileAtomically(path.toStdString(), lensToJson(session.model.solution()->lens()));
    if (!written.ok()) emit session.model.problem(QString::fromStdString(written.error().message));
  });
  const auto refresh = [&session, load, save] {
    load->setText(session.model.document().lens.known.empty() ? QObject::tr("Load a lens…") : QObject::tr("Use no loaded lens"));
    save->setEnabled(session.model.solution() && !session.model.partial());
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, row, refresh);
  QObject::connect(&session.model, &DocumentModel::resultsChanged, row, refresh);
  refresh();
  return row;
}

/// Fields that are read only with some choices are there only with those.
void showFields(Session& session, QGridLayout& grid, QWidget* focal, QWidget* tolerance, QWidget* known) {
  const LensSettings& lens = session.model.document().lens;
  const bool loaded = !lens.known.empty();
  known->setEnabled(!loaded || lens.focal == FocalKnowledge::Zoom || lens.focal == FocalKnowledge::Unknown);
  showField(grid, focal, !loaded && (lens.focal == FocalKnowledge::Near || lens.focal == FocalKnowledge::Locked));
  showField(grid, tolerance, !loaded && lens.focal == FocalKnowledge::Near);
}

/// What of the camera is seldom said.
void addSeldomSaid(Session& session, Body& body) {
  addField(*body.grid, QObject::tr("Sensor width"), lensNumber(session, "Change sensor width", &LensSettings::sensor_mm)->range(1, 100, 2, 0.1, " mm"),
           QObject::tr("Width of the sensor, mm; turns mm into px and back."));
  auto* aspect = lensNumber(session, "Change pixel aspect", &LensSettings::pixel_aspect)->range(0, 10, 3, 0.1, "");
  aspect->setSpecialValueText(QObject::tr("footage's"));
  addField(*body.grid, QObject::tr("Pixel aspect"), aspect, QObject::tr("Width of a pixel over its height, where the footage says it wrongly or not at all."));
  addField(*body.grid, QObject::tr("Readout time"), lensNumber(session, "Change readout time", &LensSettings::readout_ms)->range(-100, 100, 2, 1, " ms"),
           QObject::tr("Rolling shutter: from the first row to the last, ms; 0: unknown, and looked for where the tracks call for it."));
  auto* readout = new SwitchField(
      QObject::tr("Find the readout time"), session.model, [](const Document& d) { return d.lens.free_readout; },
      [](const Document& d, bool on) { return changeLens("Change readout time", d, &LensSettings::free_readout, on); });
  readout->setToolTip(QObject::tr("From the value on, where the camera moves enough to tell."));
  body.column->addWidget(readout);
  auto* global = new SwitchField(
      QObject::tr("Global shutter"), session.model, [](const Document& d) { return d.lens.global_shutter; },
      [](const Document& d, bool on) { return changeLens("Change shutter", d, &LensSettings::global_shutter, on); });
  global->setToolTip(QObject::tr("All rows are read at once, for certain: no rolling shutter is looked for."));
  body.column->addWidget(global);
  body.column->addWidget(knownLens(session));
  body.column->addWidget(quietLabel(QObject::tr("What of the lens may be found:")));
  body.column->addWidget(releaseFields(session));
  body.column->addWidget(knownValues(session));
}
}  // namespace

void useLensFile(Session& session, const QString& path) {
  const auto text = readFile(path.toStdString());
  const auto lens = text.ok() ? lensFromJson(*text) : Result<Lens>(text.error());
  if (!lens.ok()) return void(emit session.model.problem(QString::fromStdString(lens.error().message)));
  session.model.run(changeLens("Load a lens", session.model.document(), &LensSettings::known, lensToJson(*lens)));
}

QWidget* solveSettings(Session& session) {
  Body body;
  auto* motion = lensChoice(session,
                            {QObject::tr("automatic"), QObject::tr("free"), QObject::tr("tripod (turns only)"), QObject::tr("straight line"),
                             QObject::tr("flat path"), QObject::tr("about a point beside it")},
                            "Change camera motion", &LensSettings::motion);
  motion->setObjectName("motion");
  auto* known = lensChoice(session, {QObject::tr("unknown"), QObject::tr("approximately known"), QObject::tr("fixed"), QObject::tr("zooming")},
                           "Change focal length", &LensSettings::focal);
  known->setObjectName("focalKnowledge");
  auto* focal = lensNumber(session, "Change focal length", &LensSettings::focal_mm)->range(1, 2000, 2, 1, " mm");
  auto* tolerance = lensNumber(session, "Change tolerance", &LensSettings::focal_tolerance_pc)->range(0.01, 100, 2, 0.5, " %");
  auto* model = lensChoice(session, {QObject::tr("automatic"), QObject::tr("none"), QObject::tr("Brown"), QObject::tr("fisheye"), QObject::tr("anamorphic")},
                           "Change lens model", &LensSettings::lens);
  model->setObjectName("lensModel");
  addField(
      *body.grid, QObject::tr("Camera motion"), motion,
      QObject::tr(
          "Automatic: moving freely, only rotating, or about a point beside it (a tripod off its nodal point), whichever the tracks bear out. Straight line, "
          "flat path: it is held to one. Only rotating is also what a locked-off camera does."));
  addField(*body.grid, QObject::tr("Focal length"), known,
           QObject::tr("Unknown: found from the footage. Approximately known: the value is a start. Fixed: the value stands. Zooming: one for every frame."));
  addField(*body.grid, QObject::tr("Value"), focal, QObject::tr("Focal length, mm."));
  addField(*body.grid, QObject::tr("Known to ±"), tolerance, QObject::tr("How well it is known: one standard deviation, per cent."));
  auto* sensors = sensorField(session);
  sensors->setToolTip(QObject::tr("Sensors by common format name; “remember this width” adds your own to the list."));
  body.grid->addWidget(sensors, body.grid->rowCount(), 0, 1, 2);
  addField(*body.grid, QObject::tr("Lens"), model,
           QObject::tr("Automatic: the simplest that they bear out. Brown: radial and decentring. Fisheye: angles drawn evenly. Anamorphic: squeezed."));
  for (QWidget* choice : {static_cast<QWidget*>(motion), static_cast<QWidget*>(known), static_cast<QWidget*>(model)}) choice->setFixedWidth(126);
  const auto refresh = [&session, grid = body.grid, focal, tolerance, known] { showFields(session, *grid, focal, tolerance, known); };
  QObject::connect(&session.model, &DocumentModel::documentChanged, focal, refresh);
  refresh();
  auto* run =
      primary(QObject::tr("Solve the shot"), QObject::tr("Finds the camera path, the lens and the points, from nothing. Tracks first where there are none."));
  run->setObjectName("runSolve");
  QObject::connect(run, &QPushButton::clicked, &session.jobs, &Jobs::runSolve);
  enableWithFootage(run, session);
  auto* carry = new QPushButton(QObject::tr("Refine this solve"));
  carry->setObjectName("carryOn");
  carry->setToolTip(
      QObject::tr("Goes on from the camera that is there: after tracks were set aside, added or mended. Frames without a camera are tried again."));
  QObject::connect(carry, &QPushButton::clicked, &session.jobs, &Jobs::carryOn);
  const auto refreshCarry = [&session, carry] { carry->setEnabled(session.model.workspace().solution() != nullptr); };
  QObject::connect(&session.model, &DocumentModel::resultsChanged, carry, refreshCarry);
  refreshCarry();
  body.column->addWidget(run);
  body.column->addWidget(carry);
  body.column->addWidget(solveFindings(session));
  body.column->addWidget(new StaircaseView(session));
  Body more = addMore(body, "solve");
  addSeldomSaid(session, more);
  return body.widget;
}
}  // namespace dusky::desktop
