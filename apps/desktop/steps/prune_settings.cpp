#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <cmath>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/settings_body.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

/// A rule's limit and how many tracks meet it.
template <class Value>
void addRule(Session& session, QGridLayout& grid, const QString& label, Value PruneRules::*rule, double most, int decimals, double step, const QString& unit,
             const QString& tip, std::optional<PruneRule> counted) {
  auto* field = numberOf(session.model, "Change pruning rule", &Document::prune, rule)->range(0, most, decimals, step, unit);
  field->setObjectName("prune " + label);
  field->setSpecialValueText(QObject::tr("off"));
  field->setToolTip(tip);
  field->setFixedWidth(84);
  auto* name = new QLabel(label);
  name->setToolTip(tip);
  auto* count = new QLabel;
  count->setProperty("role", "quiet");
  count->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  count->setFixedWidth(28);
  count->setToolTip(QObject::tr("Kept tracks that this rule is met by."));
  const int row = grid.rowCount();
  grid.addWidget(name, row, 0);
  grid.addWidget(field, row, 1);
  grid.addWidget(count, row, 2);
  const auto refresh = [&session, count, counted] {
    const int met = counted ? session.prune.choice().by_rule[static_cast<std::size_t>(*counted)] : static_cast<int>(session.prune.choice().sightings.size());
    count->setText(met > 0 ? QString::number(met) : QString());
  };
  QObject::connect(&session.prune, &PrunePreview::changed, count, refresh);
  refresh();
}

QString change(double before, double after) { return QObject::tr("%1 → %2 px").arg(pxText(before, 1), pxText(after, 1)); }

/// What is expected of it, before anything is done.
QString expectation(Session& session) {
  const PruneChoice& choice = session.prune.choice();
  const SolutionPtr solution = session.model.solution();
  if (!solution) return QObject::tr("There is no solve to prune yet.");
  if (session.model.workspace().status(Step::Solve).state != StepState::Current)
    return QObject::tr("Solve again first: settings or track choice changed since.");
  if (!session.model.document().prune.any()) return QObject::tr("Set a limit: what would go slants in all views, and nothing goes before it is asked for.");
  if (choice.empty()) return session.prune.working() ? QObject::tr("Looking …") : QObject::tr("By these limits nothing goes.");
  QStringList lines;
  if (const auto& p = session.prune.prediction()) {
    lines << QObject::tr("Expected: RMS %1, holdout %2.").arg(change(solution->rms_px, p->rms_px), change(solution->holdout_rms_px, p->holdout_rms_px));
    if (!std::isnan(p->focal_shift_sigmas))
      lines << QObject::tr("Focal length moves by %1 standard deviations, the path by up to %2 (frame %3); an insert by %4 px.")
                   .arg(p->focal_shift_sigmas, 0, 'f', 1)
                   .arg(p->path_shift_sigmas, 0, 'f', 1)
                   .arg(p->path_frame)
                   .arg(pxText(p->slip_px));
  } else {
    lines << QObject::tr("Working out what it would do …");
  }
  lines << QObject::tr("Fewest left: %1 tracks in frame %2.").arg(choice.fewest_tracks).arg(choice.fewest_frame);
  if (!choice.spared.empty()) lines << QObject::tr("%1 more stay, because few are left where they are.").arg(choice.spared.size());
  return lines.join('\n');
}

/// Regions drawn on the Plate: how many tracks they hold, another one, none.
QWidget* regionRow(Session& session) {
  auto* row = new QWidget;
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  auto* draw = new QPushButton(QObject::tr("Draw a region"));
  draw->setObjectName("drawPruneRegion");
  draw->setToolTip(QObject::tr("Draw round tracks on the Plate, in the frame that is shown: kept ones that are seen inside of it there go."));
  auto* forget = new QPushButton(QObject::tr("Forget"));
  forget->setObjectName("forgetPruneRegions");
  forget->setToolTip(QObject::tr("Takes all drawn regions away."));
  for (QPushButton* button : {draw, forget}) button->setProperty("role", "small");
  auto* count = new QLabel;
  count->setProperty("role", "quiet");
  line->addWidget(draw, 1);
  line->addWidget(forget, 1);
  line->addWidget(count);
  QObject::connect(draw, &QPushButton::clicked, draw, [&session] { session.view.setTool(ViewSettings::Tool::PruneRegion); });
  QObject::connect(forget, &QPushButton::clicked, forget, [&session] {
    PruneRules rules = session.model.document().prune;
    rules.regions.clear();
    session.model.set("Forget pruning regions", &Document::prune, rules);
  });
  const auto refresh = [&session, draw, forget, count] {
    const auto regions = session.model.document().prune.regions.size();
    draw->setEnabled(session.model.workspace().solution() && !session.model.partial());
    forget->setVisible(regions > 0);
    count->setText(regions == 0 ? QString() : QString::number(session.prune.choice().by_rule[static_cast<std::size_t>(PruneRule::Region)]));
    count->setToolTip(QObject::tr("Kept tracks in %1 drawn regions.").arg(regions));
  };
  QObject::connect(&session.prune, &PrunePreview::changed, row, refresh);
  QObject::connect(&session.model, &DocumentModel::documentChanged, row, refresh);
  QObject::connect(&session.model, &DocumentModel::solutionChanged, row, refresh);
  refresh();
  return row;
}

QString whatGoes(const PruneChoice& choice) {
  const auto tracks = choice.tracks.size(), sightings = choice.sightings.size();
  if (choice.empty()) return QObject::tr("Set aside");
  if (sightings == 0) return QObject::tr("Set %1 aside").arg(tracks);
  return tracks == 0 ? QObject::tr("Drop %1 sightings").arg(sightings) : QObject::tr("Set %1 aside, drop %2 sightings").arg(tracks).arg(sightings);
}

}  // namespace

QWidget* pruneSettings(Session& session) {
  Body body;
  QGridLayout& grid = *body.grid;
  addRule(session, grid, QObject::tr("Typical over"), &PruneRules::max_typical_px, 1000, 2, 0.05, " px", QObject::tr("Tracks with a larger RMS error, px."),
          PruneRule::Typical);
  addRule(session, grid, QObject::tr("Worst over"), &PruneRules::max_worst_px, 1000, 2, 0.1, " px",
          QObject::tr("Tracks with a larger error in any used frame, px."), PruneRule::Worst);
  addRule(session, grid, QObject::tr("Life under"), &PruneRules::min_life, 100000, 0, 1, "", QObject::tr("Tracks of fewer frames."), PruneRule::Life);
  addRule(session, grid, QObject::tr("Slides over"), &PruneRules::max_creep_px, 1000, 2, 0.1, " px",
          QObject::tr("Tracks whose errors move along a line over their life by more, clearly over chance: what slides along an edge, px."), PruneRule::Creep);
  addRule(session, grid, QObject::tr("Sightings over"), &PruneRules::max_sighting_px, 1000, 2, 0.05, " px",
          QObject::tr("Single frames of good tracks in which the error is larger, px; the track keeps its others."), std::nullopt);
  auto* expected = quietLabel({});
  expected->setObjectName("pruneExpected");
  body.column->addWidget(expected);
  auto* go = primary(QObject::tr("Set aside"), QObject::tr("Takes out of the solve what slants. Can be undone; refine the solve then."));
  go->setObjectName("setRulesAside");
  body.column->addWidget(go);
  auto* refine = new QPushButton(QObject::tr("Refine this solve"));
  refine->setObjectName("refineAfterPruning");
  refine->setToolTip(QObject::tr("Goes on from the camera that is there, without what was set aside; a run of its own in the ledger."));
  body.column->addWidget(refine);
  auto* automatic = new QPushButton(QObject::tr("Prune while it helps"));
  automatic->setObjectName("pruneAutomatically");
  automatic->setToolTip(
      QObject::tr("Rounds of limits found from the solve, each solved again, until neither the holdout tracks nor the two halves agree better."));
  body.column->addWidget(automatic);
  auto* said = quietLabel({});
  said->setObjectName("pruneNote");
  body.column->addWidget(said);
  Body more = addMore(body, "prune");
  addRule(session, *more.grid, QObject::tr("Parallax under"), &PruneRules::min_parallax_deg, 90, 2, 0.1, " °",
          QObject::tr("Tracks whose rays differ by less, degrees."), PruneRule::Parallax);
  addRule(session, *more.grid, QObject::tr("Depth ± over"), &PruneRules::max_depth_sigma_pc, 1000, 1, 1, " %",
          QObject::tr("Tracks whose place is known worse: one standard deviation, per cent of the distance."), PruneRule::DepthSigma);
  addRule(session, *more.grid, QObject::tr("Farther than"), &PruneRules::max_distance, 1e6, 1, 1, " ×",
          QObject::tr("Times the median distance of the kept tracks."), PruneRule::Distance);
  addRule(session, *more.grid, QObject::tr("Shared over"), &PruneRules::max_shared_px, 1000, 2, 0.1, " px",
          QObject::tr("Tracks whose errors go together with those of their neighbours, px: a reflection, something that moves."), PruneRule::Shared);
  addRule(session, *more.grid, QObject::tr("Nearer the edge"), &PruneRules::edge_px, 10000, 0, 4, " px",
          QObject::tr("Single sightings nearer to the picture's edge, px."), std::nullopt);
  addRule(session, *more.grid, QObject::tr("Left in a frame"), &PruneRules::frame_floor, 10000, 0, 4, "",
          QObject::tr("A track stays where a frame would be left with fewer."), std::nullopt);
  auto* behind = new SwitchField(
      QObject::tr("Behind the camera"), session.model, [](const Document& d) { return d.prune.behind; },
      [](const Document& d, bool on) { return changeField("Change pruning rule", d, &Document::prune, &PruneRules::behind, on); });
  behind->setToolTip(QObject::tr("Tracks that lie behind a camera that is said to see them."));
  more.column->addWidget(behind);
  more.column->addWidget(regionRow(session));
  auto* back = new QPushButton;
  back->setObjectName("sightingsBack");
  back->setToolTip(QObject::tr("Every sighting that was dropped takes part again."));
  more.column->addWidget(back);
  QObject::connect(go, &QPushButton::clicked, &session.model,
                   [&session] { session.model.run(setAsideChosen(session.model.document(), session.prune.choice())); });
  QObject::connect(refine, &QPushButton::clicked, &session.jobs, &Jobs::carryOn);
  QObject::connect(automatic, &QPushButton::clicked, &session.jobs, &Jobs::pruneWhileItHelps);
  QObject::connect(back, &QPushButton::clicked, &session.model, [&session] { session.model.run(bringSightingsBack(session.model.document())); });
  const auto refresh = [&session, expected, go, refine, automatic, said, back] {
    const bool solved = session.model.workspace().solution() && !session.model.partial();
    expected->setText(expectation(session));
    go->setText(whatGoes(session.prune.choice()));
    go->setEnabled(!session.prune.choice().empty());
    refine->setEnabled(solved);
    automatic->setEnabled(solved);
    said->setText(session.jobs.pruneNote());
    said->setVisible(!said->text().isEmpty());
    const auto dropped = session.model.document().picks.dropped.size();
    back->setText(QObject::tr("Bring %1 sightings back").arg(dropped));
    back->setVisible(dropped > 0);
  };
  QObject::connect(&session.prune, &PrunePreview::changed, expected, refresh);
  QObject::connect(&session.model, &DocumentModel::documentChanged, expected, refresh);
  QObject::connect(&session.model, &DocumentModel::solutionChanged, expected, refresh);
  QObject::connect(&session.jobs, &Jobs::changed, expected, refresh);
  refresh();
  return body.widget;
}

}  // namespace dusky::desktop
