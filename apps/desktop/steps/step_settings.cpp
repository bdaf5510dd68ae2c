#include "apps/desktop/steps/step_settings.h"

#include <QAbstractItemView>
#include <QAction>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSpinBox>
#include <QToolButton>
#include <QVBoxLayout>
#include <filesystem>
#include <map>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/settings_body.h"
#include "core/project/edits.h"
#include "core/track/track_files.h"

namespace dusky::desktop {
namespace {

template <class Value>
NumberField* trackingField(Session& session, const char* name, Value FollowOptions::*field) {
  return numberOf(session.model, name, &Document::tracking, field);
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
}  // namespace

QToolButton* crossButton(const QString& tip) {
  auto* cross = new QToolButton;
  cross->setIcon(icon("close"));
  cross->setIconSize({12, 12});
  cross->setToolTip(tip);
  return cross;
}

QPushButton* smallButton(const QString& text, const QString& tip, const char* name) {
  auto* button = new QPushButton(text);
  button->setProperty("role", "small");
  button->setToolTip(tip);
  button->setObjectName(name);
  button->setAutoDefault(false);
  return button;
}

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
    draw->setEnabled(session.model.hasFootage());
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
  addField(*body.grid, QObject::tr("Forward–backward"),
           trackingField(session, "Change tolerance", &FollowOptions::max_return_px)->range(0.05, 5, 2, 0.05, " px"),
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
  option(QObject::tr("Rejoin tracks"), QObject::tr("A track that is hidden or leaves and comes back goes on, when looks and geometry agree."), "Change joining",
         &FollowOptions::rejoin);
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
  QObject::connect(&session.model, &DocumentModel::documentChanged, run, [&session, run] {
    run->setText(isTrackFile(session.model.document().footage_path) ? QObject::tr("Read the tracks") : QObject::tr("Track features"));
  });
  enableWithFootage(run, session);
  body.column->addWidget(run);
  body.column->addWidget(regionSettings(session));
  addText(body, session, [&session] { return session.model.tracks() && !session.model.partial() ? stopReasons(*session.model.tracks()) : QString(); });
  body.column->addWidget(handSettings(session));
  return body.widget;
}
}  // namespace dusky::desktop
