#include <QPushButton>
#include <cmath>

#include "apps/desktop/model/verdict_text.h"
#include "apps/desktop/paint/clear_layout.h"
#include "apps/desktop/steps/step_settings.h"

namespace dusky::desktop {
namespace {

/// A text that follows the results. It has its place first: shown without one it would be a window of its own.
template <class Refresh>
void addText(Session& session, QVBoxLayout& column, const char* name, const Refresh& refresh) {
  auto* label = quietLabel("");
  label->setObjectName(name);
  column.addWidget(label);
  const auto now = [label, refresh] {
    const QString text = refresh();
    label->setVisible(!text.isEmpty());
    label->setText(text);
  };
  QObject::connect(&session.model, &DocumentModel::solutionChanged, label, now);
  QObject::connect(&session.model, &DocumentModel::documentChanged, label, now);  // dense points are heard too
  now();
}

/// The verdict with all that it rests on.
QString verdictText(Session& session) {
  const auto& verdict = session.model.verdict();
  return verdict ? evidenceOf(*verdict) : QString();
}

/// The readout time that was solved with.
QString readoutText(Session& session) {
  const SolutionPtr& solution = session.model.solution();
  const double fps = session.model.workspace().footage().fps;
  if (!solution || session.model.partial() || solution->readout == 0 || !(fps > 0)) return {};
  const double ms = 1000 / fps, sigma = ms * solution->sigma_readout;
  const QString found = QString::number(ms * solution->readout, 'f', 1);
  return std::isnan(sigma) ? QObject::tr("Solved with a readout of %1 ms.").arg(found)
                           : QObject::tr("Found: a readout of %1 ± %2 ms.").arg(found, QString::number(sigma, 'f', 1));
}

/// A button for each thing that moves on its own: its tracks become the selection.
class MoverButtons : public QWidget {
 public:
  explicit MoverButtons(Session& session) : session_(session), column_(new QVBoxLayout(this)) {
    setObjectName("movers");
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(2);
    connect(&session.model, &DocumentModel::solutionChanged, this, [this] { refresh(); });
    refresh();
  }

 private:
  void refresh() {
    const SolutionPtr& solution = session_.model.solution();
    const bool any = solution && !session_.model.partial() && !solution->movers.empty();
    setVisible(any);
    const std::vector<Mover> movers = any ? solution->movers : std::vector<Mover>{};
    clearLayout(*column_);
    for (const Mover& mover : movers) column_->addWidget(buttonOf(mover));
  }

  QPushButton* buttonOf(const Mover& mover) {
    auto* button = new QPushButton(
        QObject::tr("%1: %2 tracks, frames %3–%4").arg(QString::fromStdString(mover.name)).arg(mover.tracks.size()).arg(mover.first).arg(mover.last));
    button->setObjectName(QString::fromStdString(mover.name));
    button->setToolTip(
        QObject::tr("These tracks move together on their own: a thing that is not part of the still set. They are set aside. Click: select them."));
    connect(button, &QPushButton::clicked, this, [this, mover] {
      session_.playback.pause();
      session_.playback.setFrame((mover.first + mover.last) / 2);
      session_.selection.pick(mover.tracks, Selection::Mode::Replace);
    });
    return button;
  }

  Session& session_;
  QVBoxLayout* column_;
};
/// What would make the solve better, each with its action; and what the last one that was taken up did gain.
class AdviceList : public QWidget {
 public:
  explicit AdviceList(Session& session) : session_(session), column_(new QVBoxLayout(this)) {
    setObjectName("advice");
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(4);
    connect(&session.advisor, &Advisor::changed, this, [this] { refresh(); });
    connect(&session.jobs, &Jobs::changed, this, [this] { setEnabled(!session_.jobs.busy()); });
    refresh();
  }

 private:
  void refresh() {
    clearLayout(*column_);
    const auto& advice = session_.advisor.advice();
    for (std::size_t i = 0; i < advice.size(); ++i) {
      column_->addWidget(quietLabel(QString::fromStdString(advice[i].sentence)));
      auto* button = new QPushButton(QString::fromStdString(advice[i].deed));
      button->setObjectName(QString("advice %1").arg(i));
      button->setToolTip(QObject::tr("Does it and solves again; can be undone. Expected: %1").arg(QString::fromStdString(advice[i].sentence)));
      connect(button, &QPushButton::clicked, this, [this, i] { session_.advisor.take(i); });
      column_->addWidget(button);
    }
    if (!session_.advisor.outcome().isEmpty()) {
      auto* outcome = quietLabel(session_.advisor.outcome());
      outcome->setObjectName("adviceOutcome");
      column_->addWidget(outcome);
    }
    setVisible(column_->count() > 0);
  }

  Session& session_;
  QVBoxLayout* column_;
};
}  // namespace

QWidget* solveFindings(Session& session) {
  auto* findings = new QWidget;
  auto* column = new QVBoxLayout(findings);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  column->addWidget(new AdviceList(session));
  addText(session, *column, "solveVerdict", [&session] { return verdictText(session); });
  addText(session, *column, "foundReadout", [&session] { return readoutText(session); });
  column->addWidget(new MoverButtons(session));
  return findings;
}

}  // namespace dusky::desktop
