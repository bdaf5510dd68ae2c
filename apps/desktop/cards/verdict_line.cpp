#include "apps/desktop/cards/verdict_line.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <cmath>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/model/verdict_text.h"

namespace dusky::desktop {
namespace {

QPushButton* part(const char* name, const QString& tip) {
  auto* button = new QPushButton;
  button->setObjectName(name);
  button->setProperty("role", "verdict");
  button->setToolTip(tip);
  button->setFocusPolicy(Qt::NoFocus);
  return button;
}

/// The first sentence only, so that it fits on the line; all of them are in the tooltip.
QString summaryOf(const Verdict& verdict) {
  if (verdict.level == TrustLevel::Trust && !std::isnan(verdict.likely_slip_px))
    return VerdictLine::tr("Trust: an insert slips by about %1 px.").arg(pxText(verdict.likely_slip_px));
  if (verdict.level == TrustLevel::Trust) return VerdictLine::tr("Trust: nothing stands out.");
  QString sentence = QString::fromStdString(verdict.sentence);
  const int colon = static_cast<int>(sentence.indexOf(": "));
  if (colon > 0) sentence = sentence.left(colon) + ".";
  return VerdictLine::tr("%1: %2%3").arg(wordOf(verdict.level), sentence, verdict.hurt_frames ? VerdictLine::tr("  Show them →") : QString());
}

QString tipOf(const Verdict& verdict) {
  return verdict.hurt_frames ? evidenceOf(verdict) + VerdictLine::tr("<br>Click: go there and select the tracks behind it.") : evidenceOf(verdict);
}
}  // namespace

VerdictLine::VerdictLine(Session& session, QWidget* parent)
    : QWidget(parent),
      session_(session),
      rms_(part("verdictRms", tr("Root mean square of the reprojection errors of kept tracks, px. Click: largest errors first."))),
      holdout_(
          part("verdictHoldout", tr("The same over the holdout tracks, which never take part in the solve, px. Near the RMS is good. Click: select them."))),
      focal_(part("verdictFocal", tr("Focal length with its standard deviation. Click: the Solve step."))),
      coverage_(part("verdictCoverage", tr("Fewest kept tracks in any frame. Click: go to that frame."))),
      advice_(
          part("verdictAdvice", tr("What would make the camera better, and by how much it is expected to. Click: the Solve step, where it can be taken up."))),
      hurt_(part("verdictHurt", tr("What hurts most. Click: go there and select the tracks behind it."))),
      note_(new QLabel) {
  setObjectName("panel");
  setAttribute(Qt::WA_StyledBackground);
  auto* line = new QHBoxLayout(this);
  line->setContentsMargins(8, 2, 8, 2);
  line->setSpacing(2);
  note_->setProperty("role", "quiet");
  setFixedHeight(30);
  line->addWidget(note_);
  for (QPushButton* button : {rms_, holdout_, focal_, coverage_}) line->addWidget(button);
  line->addStretch(1);
  line->addWidget(advice_);
  line->addWidget(hurt_);
  connect(rms_, &QPushButton::clicked, this, &VerdictLine::errorAsked);
  connect(holdout_, &QPushButton::clicked, this, &VerdictLine::selectHoldout);
  connect(focal_, &QPushButton::clicked, this, [this] { emit stepAsked(Step::Solve); });
  connect(coverage_, &QPushButton::clicked, this, [this] {
    const auto thinnest = session_.model.verdict()->thinnest_frame;
    if (!thinnest) return;
    session_.playback.pause();
    session_.playback.setFrame(*thinnest);
  });
  connect(hurt_, &QPushButton::clicked, this, &VerdictLine::goToHurt);
  connect(advice_, &QPushButton::clicked, this, [this] { emit stepAsked(Step::Solve); });
  connect(&session_.advisor, &Advisor::changed, this, &VerdictLine::refresh);
  connect(&session_.model, &DocumentModel::solutionChanged, this, &VerdictLine::refresh);
  connect(&session_.model, &DocumentModel::documentChanged, this, &VerdictLine::refresh);
  refresh();
}

void VerdictLine::refresh() {
  const SolutionPtr solution = session_.model.solution();
  const bool solved = solution && session_.model.verdict();
  for (QPushButton* button : {rms_, holdout_, focal_, coverage_, hurt_}) button->setVisible(solved);
  advice_->setVisible(solved && !session_.advisor.advice().empty());
  const auto pieces = session_.advisor.advice().size();
  advice_->setText(pieces == 1 ? tr("1 piece of advice  →") : tr("%1 pieces of advice  →").arg(pieces));
  note_->setVisible(!solved);
  if (solved) return showSolved(*solution, *session_.model.verdict());
  const bool tracks = session_.model.tracks() != nullptr;
  note_->setText(session_.model.partial()       ? tr("Working …")
                 : !session_.model.hasFootage() ? tr("Open footage to begin.")
                 : tracks                       ? tr("Tracks are there. Next: Solve the shot.")
                                                : tr("Footage is there. Next: Track features, or Solve the shot for both at once."));
}

void VerdictLine::showSolved(const Solution& solution, const Verdict& verdict) {
  rms_->setText(tr("%1 px RMS").arg(pxText(solution.rms_px)));
  holdout_->setText(std::isnan(solution.holdout_rms_px) ? tr("no holdout") : tr("%1 px holdout").arg(pxText(solution.holdout_rms_px)));
  const double mm = session_.model.document().lens.sensor_mm / solution.lens().width, sigma = solution.cameras.front().sigma[0];
  const QString spread = solution.zooms()                  ? tr("midway in a zoom,")
                         : solution.evidence.focal_assumed ? tr("assumed")
                         : std::isnan(sigma)               ? tr("fixed")
                                                           : tr("± %1").arg(sigma, 0, 'f', 1);
  focal_->setText(tr("f %1 %2 px (%3 mm on %4 mm)")
                      .arg(solution.lens().focal_px, 0, 'f', 1)
                      .arg(spread)
                      .arg(solution.lens().focal_px * mm, 0, 'f', 2)
                      .arg(session_.model.document().lens.sensor_mm, 0, 'g', 4));
  coverage_->setText(tr("every frame ≥ %1 tracks").arg(verdict.thinnest_tracks));
  const bool stale = session_.model.workspace().status(Step::Solve).state == StepState::Stale;
  hurt_->setText(stale ? tr("Settings changed since this solve: solve again.  →") : summaryOf(verdict));
  hurt_->setToolTip(tipOf(verdict));
  QFont font = hurt_->font();
  font.setBold(!stale && verdict.level != TrustLevel::Trust);
  hurt_->setFont(font);
}

void VerdictLine::selectHoldout() {
  std::vector<int> ids;
  for (const SolvedTrack& track : session_.model.solution()->tracks) {
    if (track.holdout && track.state != TrackState::Unplaced) ids.push_back(track.id);
  }
  session_.selection.pick(ids, Selection::Mode::Replace);
}

void VerdictLine::goToHurt() {
  if (session_.model.workspace().status(Step::Solve).state == StepState::Stale) return emit stepAsked(Step::Solve);
  const Verdict& verdict = *session_.model.verdict();
  if (!verdict.hurt_frames) return;
  session_.playback.pause();
  session_.playback.setFrame((verdict.hurt_frames->first + verdict.hurt_frames->last) / 2);
  session_.selection.pick(verdict.hurt_tracks, Selection::Mode::Replace);
  emit errorAsked();
}
}  // namespace dusky::desktop
