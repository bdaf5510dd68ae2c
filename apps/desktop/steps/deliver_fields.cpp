#include "apps/desktop/steps/deliver_fields.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/steps/step_settings.h"
#include "core/base/length_units.h"

namespace dusky::desktop {
namespace {

/// An edit of what is delivered and how.
template <class Change>
std::unique_ptr<Edit> changeChoices(const char* name, const Document& document, const Change& change) {
  DeliverySettings settings = document.delivery;
  change(settings.choices);
  return setMember<DeliverySettings>(name, &Document::delivery, std::move(settings));
}

/// Takes over the value of a field into what `of` finds in the choices.
template <class Of>
auto changerOf(Of of) {
  return [of](const Document& d, auto given) {
    return changeChoices("Change delivery", d, [&](DeliveryChoices& choices) {
      auto& value = of(choices);
      value = static_cast<std::remove_reference_t<decltype(value)>>(given);
    });
  };
}

/// A tick for what `of` finds in the choices.
template <class Of>
SwitchField* choiceSwitch(Session& session, const QString& text, const QString& tip, Of of) {
  auto* box = new SwitchField(
      text, session.model, [of](const Document& d) { return of(d.delivery.choices); }, changerOf(of));
  box->setToolTip(tip);
  return box;
}

/// A number of the choices.
template <class Of>
NumberField* choiceNumber(Session& session, const QString& tip, Of of) {
  auto* field = new NumberField(
      session.model, [of](const Document& d) { return static_cast<double>(of(d.delivery.choices)); }, changerOf(of));
  field->setToolTip(tip);
  return field;
}

/// A word of the choices; an empty one is not taken.
template <class Of>
QLineEdit* choiceText(Session& session, const char* name, const QString& tip, Of of) {
  auto* field = new QLineEdit;
  field->setObjectName(name);
  field->setToolTip(tip);
  const auto refresh = [&session, field, of] { field->setText(QString::fromStdString(of(session.model.document().delivery.choices))); };
  QObject::connect(&session.model, &DocumentModel::documentChanged, field, refresh);
  QObject::connect(field, &QLineEdit::editingFinished, field, [&session, field, of, refresh] {
    const std::string given = field->text().trimmed().toStdString();
    if (!given.empty() && given != of(session.model.document().delivery.choices)) session.model.run(changerOf(of)(session.model.document(), given));
    refresh();
  });
  refresh();
  return field;
}

/// One of several, an enum of the choices in the order of its values.
template <class Of>
ChoiceField* choiceList(Session& session, const QStringList& names, const QString& tip, Of of) {
  auto* field = new ChoiceField(
      names, session.model, [of](const Document& d) { return static_cast<int>(of(d.delivery.choices)); }, changerOf(of));
  field->setToolTip(tip);
  return field;
}

/// There while one of these is wanted.
QWidget* shownFor(Session& session, QWidget* body, std::vector<std::string> names) {
  const auto refresh = [&session, body, names = std::move(names)] {
    const DeliveryChoices& choices = session.model.document().delivery.choices;
    body->setVisible(std::any_of(names.begin(), names.end(), [&](const std::string& name) { return choices.wants(name); }));
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, body, refresh);
  refresh();
  return body;
}

std::pair<QWidget*, QGridLayout*> indented() {
  auto* body = new QWidget;
  auto* grid = new QGridLayout(body);
  grid->setContentsMargins(22, 0, 0, 0);
  grid->setVerticalSpacing(4);
  return {body, grid};
}

/// As narrow as the steps are: its words end in dots where they must.
void letShrink(QWidget* field) {
  if (auto* list = qobject_cast<QComboBox*>(field))
    list->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon), list->setMinimumContentsLength(5);
  field->setMinimumWidth(40);
  field->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
}

/// A label and a field beside it.
void addRow(QGridLayout& grid, const QString& label, QWidget* field) {
  letShrink(field);
  grid.setColumnStretch(1, 1);
  const int at = grid.rowCount();
  grid.addWidget(new QLabel(label), at, 0);
  grid.addWidget(field, at, 1);
}

/// A heading that opens and closes what is under it.
QWidget* foldable(const QString& heading, const QString& tip, QWidget* body, const char* name) {
  auto* holder = new QWidget;
  auto* column = new QVBoxLayout(holder);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  auto* open = new QToolButton;
  open->setText(heading);
  open->setToolTip(tip);
  open->setCheckable(true);
  open->setObjectName(name);
  open->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
  open->setArrowType(Qt::RightArrow);
  body->hide();
  QObject::connect(open, &QToolButton::toggled, body, [open, body](bool on) {
    open->setArrowType(on ? Qt::DownArrow : Qt::RightArrow);
    body->setVisible(on);
  });
  column->addWidget(open, 0, Qt::AlignLeft);
  column->addWidget(body);
  return holder;
}

}  // namespace

SwitchField* fileSwitch(Session& session, const Exporter& exporter) {
  const std::string name(exporter.name);
  auto* box = new SwitchField(
      QString::fromStdString(name), session.model, [name](const Document& d) { return d.delivery.choices.wants(name); },
      [name](const Document& d, bool on) { return changeChoices("Change files to deliver", d, [&](DeliveryChoices& choices) { choices.want(name, on); }); });
  const std::string_view what = exporter.what;
  box->setToolTip(QString::fromUtf8(what.data(), static_cast<qsizetype>(what.size())));
  box->setObjectName("deliver " + QString::fromStdString(name));
  return box;
}

QWidget* plateFormat(Session& session) {
  const auto [body, grid] = indented();
  auto* format = choiceList(
      session, {QObject::tr("PNG, 16 bit"), QObject::tr("EXR, half"), QObject::tr("JPEG"), QObject::tr("movie (H.264)")},
      QObject::tr("How plates are written: EXR holds linear light, the others values for a screen."),
      [](auto& choices) -> auto& { return choices.plates.format; });
  format->setObjectName("plateFormat");
  addRow(*grid, QObject::tr("Format"), format);
  addRow(*grid, QObject::tr("Filter"),
         choiceList(
             session, {QObject::tr("linear: softest"), QObject::tr("cubic"), QObject::tr("Lanczos: sharpest")}, QObject::tr("That resamples pictures."),
             [](auto& choices) -> auto& { return choices.plates.filter; }));
  return shownFor(session, body, {"plates"});
}

QWidget* plateFields(Session& session) {
  const auto [body, grid] = indented();
  auto* fit = choiceList(
      session, {QObject::tr("as the footage"), QObject::tr("whole: none cut")},
      QObject::tr("How large the undistorted picture is that cameras, ST maps and plates are of: as the footage, with some of that outside, or so that nothing "
                  "is cut."),
      [](auto& choices) -> auto& { return choices.plates.fit; });
  fit->setObjectName("plateFit");
  addRow(*grid, QObject::tr("Size"), fit);
  auto* focal = choiceNumber(
      session, QObject::tr("Focal length of the undistorted picture."), [](auto& choices) -> auto& { return choices.plates.focal_px; });
  focal->range(0, 100000, 0, 10, QObject::tr(" px"));
  focal->setSpecialValueText(QObject::tr("the solve's own"));
  addRow(*grid, QObject::tr("Focal"), focal);
  return shownFor(session, body, {"camera.glb", "camera.usda", "object.glb", "lens.json", "st-maps", "plates"});
}

QWidget* splatFields(Session& session) {
  const auto [body, grid] = indented();
  constexpr std::array kTimes = {1, 2, 4};
  auto* size = new ChoiceField(
      {QObject::tr("full size"), QObject::tr("half"), QObject::tr("quarter")}, session.model,
      [kTimes](const Document& d) { return static_cast<int>(std::find(kTimes.begin(), kTimes.end(), d.delivery.choices.splat.reduced) - kTimes.begin()); },
      [kTimes](const Document& d, int chosen) {
        return changeChoices("Change size of splat pictures", d,
                             [&](DeliveryChoices& choices) { choices.splat.reduced = kTimes[static_cast<std::size_t>(chosen)]; });
      });
  size->setToolTip(QObject::tr("Of the pictures, beside the footage."));
  addRow(*grid, QObject::tr("Pictures"), size);
  auto* most = choiceNumber(
      session, QObject::tr("The sharpest, farthest apart in place and view."), [](auto& choices) -> auto& { return choices.splat.most_pictures; });
  most->range(2, 100000, 0, 10, {});
  most->setPrefix(QObject::tr("at most "));
  addRow(*grid, QObject::tr("How many"), most);
  auto* test = choiceNumber(
      session, QObject::tr("Pictures kept for testing, not training. 0: none."), [](auto& choices) -> auto& { return choices.splat.test_every; });
  test->range(0, 1000, 0, 1, {});
  test->setPrefix(QObject::tr("every "));
  test->setSpecialValueText(QObject::tr("none"));
  addRow(*grid, QObject::tr("For testing"), test);
  const int at = grid->rowCount();
  grid->addWidget(choiceSwitch(
                      session, QObject::tr("masks"), QObject::tr("What is masked in the shot, and where a picture shows nothing."),
                      [](auto& choices) -> auto& { return choices.splat.masks; }),
                  at, 0);
  grid->addWidget(choiceSwitch(
                      session, QObject::tr("centred"), QObject::tr("Moved and scaled: the middle of the points is the origin, nine of ten lie within 1 of it."),
                      [](auto& choices) -> auto& { return choices.splat.centred; }),
                  at, 1);
  grid->addWidget(
      choiceSwitch(
          session, QObject::tr("dense points"), QObject::tr("points.ply holds the dense points too, as they are cleaned up. They are made in the step Dense."),
          [](auto& choices) -> auto& { return choices.splat.dense; }),
      at + 1, 0, 1, 2);
  return shownFor(session, body, {"splat-set"});
}

QWidget* reviewFields(Session& session) {
  const auto [body, grid] = indented();
  const auto tick = [&session](const QString& text, const QString& tip, bool ReviewOptions::*field) {
    return choiceSwitch(
        session, text, tip, [field](auto& choices) -> auto& { return choices.review.*field; });
  };
  grid->addWidget(tick(QObject::tr("test objects"), QObject::tr("Test objects and their shadows."), &ReviewOptions::objects), 0, 0);
  grid->addWidget(tick(QObject::tr("ground grid"), QObject::tr("The ground through the lens."), &ReviewOptions::grid), 0, 1);
  grid->addWidget(tick(QObject::tr("points"), QObject::tr("Kept tracks where they were measured."), &ReviewOptions::points), 1, 0);
  grid->addWidget(tick(QObject::tr("whiskers"), QObject::tr("Errors, enlarged as said below, in the colours of the error map."), &ReviewOptions::whiskers), 1,
                  1);
  auto* times = choiceNumber(
      session, QObject::tr("How many times errors are enlarged in the movie."), [](auto& choices) -> auto& { return choices.review.whisker; });
  times->range(1, 1000, 0, 5, {});
  times->setPrefix(QObject::tr("errors ×"));
  times->setObjectName("reviewWhisker");
  grid->addWidget(times, 2, 0, 1, 2);
  const auto refresh = [&session, times] { times->setEnabled(session.model.document().delivery.choices.review.whiskers); };
  QObject::connect(&session.model, &DocumentModel::documentChanged, times, refresh);
  refresh();
  return shownFor(session, body, {"review", "stills"});
}

QWidget* meshFields(Session& session) {
  const auto [body, grid] = indented();
  constexpr std::array kSides = {0, 2048, 4096, 8192, 16384};
  auto* texture = new ChoiceField(
      {QObject::tr("none: colours at points"), QObject::tr("2048 px"), QObject::tr("4096 px"), QObject::tr("8192 px"), QObject::tr("16384 px")}, session.model,
      [kSides](const Document& d) {
        const auto at = std::lower_bound(kSides.begin(), kSides.end(), d.delivery.choices.mesh_texture_px);
        return static_cast<int>(std::min(at, kSides.end() - 1) - kSides.begin());
      },
      [kSides](const Document& d, int chosen) {
        return changeChoices("Change texture of meshes", d,
                             [&](DeliveryChoices& choices) { choices.mesh_texture_px = kSides[static_cast<std::size_t>(chosen)]; });
      });
  texture->setObjectName("meshTexture");
  texture->setToolTip(
      QObject::tr("The mesh is covered with the keyframes' pictures, in one picture of at most this width (OBJ, glTF, USD). PLY has colours at its points."));
  addRow(*grid, QObject::tr("Texture"), texture);
  return shownFor(session, body, {"mesh.obj", "mesh.glb", "mesh.usda"});
}

QWidget* stillFields(Session& session) {
  const auto [body, grid] = indented();
  auto* count = choiceNumber(
      session, QObject::tr("How many, evenly over the frames; they show what the review movie shows."),
      [](auto& choices) -> auto& { return choices.review.stills; });
  count->range(1, 10000, 0, 1, QObject::tr(" pictures"));
  count->setObjectName("stillCount");
  grid->addWidget(count, 0, 0);
  return shownFor(session, body, {"stills"});
}

QWidget* presetField(Session& session) {
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  auto* list = new QComboBox;
  list->setObjectName("deliveryPreset");
  list->setToolTip(QObject::tr("What is delivered and how, under a name. Choosing one takes all of its choices."));
  letShrink(list);
  auto* keep = new QToolButton;
  keep->setText(QObject::tr("Keep…"));
  keep->setObjectName("keepPreset");
  keep->setToolTip(QObject::tr("Keeps what is chosen now under a name, with this project."));
  line->addWidget(list, 1);
  line->addWidget(keep);
  const auto presets = [&session] {
    std::vector<DeliveryPreset> all = session.model.document().delivery.presets;
    all.insert(all.end(), deliveryPresets().begin(), deliveryPresets().end());
    return all;
  };
  const auto refresh = [&session, list, presets] {
    const QSignalBlocker quiet(list);
    list->clear();
    list->addItem(QObject::tr("as chosen below"));
    const DeliveryChoices& choices = session.model.document().delivery.choices;
    for (const DeliveryPreset& preset : presets()) {
      list->addItem(QString::fromStdString(preset.name));
      if (preset.choices == choices && list->currentIndex() <= 0) list->setCurrentIndex(list->count() - 1);
    }
  };
  QObject::connect(&session.model, &DocumentModel::documentChanged, list, refresh);
  QObject::connect(list, &QComboBox::activated, list, [&session, presets](int index) {
    if (index < 1) return;
    const DeliveryPreset preset = presets()[static_cast<std::size_t>(index - 1)];
    session.model.run(changeChoices("Use delivery preset", session.model.document(), [&](DeliveryChoices& choices) { choices = preset.choices; }));
  });
  QObject::connect(keep, &QToolButton::clicked, row, [&session, row] {
    const QString name = QInputDialog::getText(row, QObject::tr("Keep what is chosen"), QObject::tr("Name")).trimmed();
    if (name.isEmpty()) return;
    DeliverySettings settings = session.model.document().delivery;
    std::erase_if(settings.presets, [&](const DeliveryPreset& preset) { return preset.name == name.toStdString(); });
    settings.presets.push_back({name.toStdString(), settings.choices});
    session.model.set("Keep delivery preset", &Document::delivery, settings);
  });
  refresh();
  return row;
}

QWidget* worldFields(Session& session) {
  const auto [body, grid] = indented();
  const auto row = [grid = grid](const QString& label, QWidget* field) { addRow(*grid, label, field); };
  QStringList units = {QObject::tr("as the scene")};
  for (const auto& [unit, metres] : kLengthUnits) units << QString::fromUtf8(unit.data(), static_cast<qsizetype>(unit.size()));
  auto* unit = new ChoiceField(
      units, session.model,
      [](const Document& d) {
        const auto* found = std::find_if(kLengthUnits.begin(), kLengthUnits.end(), [&](const auto& u) { return u.first == d.delivery.choices.world.unit; });
        return found == kLengthUnits.end() ? 0 : static_cast<int>(found - kLengthUnits.begin()) + 1;
      },
      [](const Document& d, int chosen) {
        return changeChoices("Change unit", d, [&](DeliveryChoices& choices) {
          choices.world.unit = chosen == 0 ? std::string() : std::string(kLengthUnits[static_cast<std::size_t>(chosen - 1)].first);
        });
      });
  unit->setToolTip(QObject::tr("Of length, for a scene in metres."));
  row(QObject::tr("Unit"), unit);
  auto* up = new ChoiceField(
      {QObject::tr("as the scene"), QObject::tr("Y up"), QObject::tr("Z up")}, session.model,
      [](const Document& d) { return d.delivery.choices.world.up ? 1 + static_cast<int>(*d.delivery.choices.world.up) : 0; },
      [](const Document& d, int chosen) {
        return changeChoices("Change up axis", d, [&](DeliveryChoices& choices) {
          choices.world.up = chosen == 0 ? std::nullopt : std::optional(chosen == 1 ? UpAxis::Y : UpAxis::Z);
        });
      });
  up->setToolTip(QObject::tr("Of USD, PLY and tables. glTF has Y up."));
  row(QObject::tr("Up"), up);
  auto* scale = choiceNumber(
      session, QObject::tr("Everything larger by this."), [](auto& choices) -> auto& { return choices.world.scale; });
  scale->range(0.0001, 100000, 4, 0.1, {});
  scale->setPrefix("× ");
  row(QObject::tr("Scale"), scale);
  auto* start = new NumberField(
      session.model,
      [&session](const Document& d) { return static_cast<double>(d.delivery.choices.world.start.value_or(session.model.workspace().footage().first)); },
      [](const Document& d, double v) {
        return changeChoices("Change first frame", d, [&](DeliveryChoices& choices) { choices.world.start = static_cast<int>(v); });
      });
  start->range(-1000000, 1000000, 0, 1, {});
  start->setToolTip(QObject::tr("The number of the shot's first frame in the files."));
  row(QObject::tr("First frame"), start);
  auto* rate = choiceNumber(
      session, QObject::tr("Frames a second in the files. 0: the footage's."), [](auto& choices) -> auto& { return choices.world.fps; });
  rate->range(0, 1000, 3, 1, QObject::tr(" fps"));
  rate->setSpecialValueText(QObject::tr("footage's"));
  rate->setObjectName("deliveryRate");
  row(QObject::tr("Rate"), rate);
  auto* keys = choiceNumber(
      session, QObject::tr("Keys are left out where even motion between others stays this near. 0: every frame has one."),
      [](auto& choices) -> auto& { return choices.world.key_tolerance_px; });
  keys->range(0, 10, 2, 0.05, QObject::tr(" px"));
  keys->setSpecialValueText(QObject::tr("every frame"));
  row(QObject::tr("Keys within"), keys);
  row(QObject::tr("Camera"),
      choiceText(
          session, "cameraName", QObject::tr("Name of the camera in 3D scenes."), [](auto& choices) -> auto& { return choices.world.camera; }));
  row(QObject::tr("Points"),
      choiceText(
          session, "pointsName", QObject::tr("Name of the points in 3D scenes."), [](auto& choices) -> auto& { return choices.world.points; }));
  auto* all = choiceSwitch(
      session, QObject::tr("points that were set aside too"), QObject::tr("Else kept points alone."),
      [](auto& choices) -> auto& { return choices.world.all_points; });
  grid->addWidget(all, grid->rowCount(), 0, 1, 2);
  return foldable(QObject::tr("World, time and keys"), QObject::tr("Unit, up axis, scale, frame numbers and keys of all files."), body, "deliveryWorld");
}

}  // namespace dusky::desktop
