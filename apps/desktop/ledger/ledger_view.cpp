#include "apps/desktop/ledger/ledger_view.h"

#include <QAction>
#include <QHeaderView>
#include <QMenu>
#include <QSplitter>
#include <QTableView>
#include <QVBoxLayout>

#include "apps/desktop/ledger/difference_chart.h"
#include "apps/desktop/paint/row_table.h"
#include "core/project/edits.h"

namespace dusky::desktop {

static QString runsText(int count) { return count == 1 ? QObject::tr("1 run") : QObject::tr("%1 runs").arg(count); }

QAction* LedgerView::make(const QString& text, const QString& tip, const char* object) {
  auto* action = new QAction(text, this);
  action->setObjectName(object);
  action->setToolTip(tip);
  return action;
}

LedgerView::LedgerView(Session& session, QWidget* parent)
    : QWidget(parent),
      session_(session),
      model_(new LedgerModel(session, this)),
      table_(new QTableView),
      chart_(new DifferenceChart(session)),
      restore_(make(tr("Go back to it"), tr("Takes the settings and track choice of the chosen run, and shows its solve. Can be undone."), "restoreRun")),
      keep_(make(tr("Keep"), tr("It stays when the others are dropped; again: no longer."), "keepRuns")),
      drop_(make(tr("Drop"), tr("Takes the chosen runs out of the ledger. Can be undone until the project is closed; then their place in the file is free."),
                 "dropRuns")),
      drop_others_(make(tr("Drop the others"), tr("Drops all runs but the one shown and those that are kept."), "dropOthers")),
      compare_(make(tr("Compare"), tr("How the cameras of two chosen runs differ: in the curves here, and as a second path in Space."), "compareRuns")),
      flip_(make(tr("Show the other"), tr("Shows the other run of the comparison in every view, and back (Y)."), "flipRuns")) {
  flip_->setShortcut(QKeySequence(Qt::Key_Y));
  flip_->setCheckable(true);
  table_->setObjectName("ledgerTable");
  table_->setModel(model_);
  dressRowTable(*table_, 22);
  const std::array<int, LedgerModel::Columns> widths = {104, 176, 60, 80, 58, 56, 116, 76, 92, 92, 60};
  for (int i = 0; i < LedgerModel::Columns; ++i) table_->setColumnWidth(i, widths[static_cast<std::size_t>(i)]);
  auto* halves = new QSplitter(Qt::Horizontal);
  halves->addWidget(table_);
  halves->addWidget(chart_);
  halves->setStretchFactor(0, 3);
  halves->setStretchFactor(1, 2);
  halves->setSizes({660, 330});
  halves->setChildrenCollapsible(false);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(6, 0, 0, 4);
  all->addWidget(halves);
  connect(restore_, &QAction::triggered, this, [this] { session_.jobs.restoreRun(selectedRuns().front()); });
  connect(compare_, &QAction::triggered, this, [this] { session_.jobs.compareRuns(selectedRuns()[0], selectedRuns()[1]); });
  connect(keep_, &QAction::triggered, this, [this] {
    const std::vector<int> runs = selectedRuns();
    const LedgerMarks& marks = session_.model.document().ledger;
    const bool all_kept = std::all_of(runs.begin(), runs.end(), [&](int run) { return marks.isKept(run); });
    session_.model.run(keepRuns(session_.model.document(), runs, !all_kept));
  });
  connect(drop_, &QAction::triggered, this, [this] { session_.model.run(dropRuns(session_.model.document(), selectedRuns())); });
  connect(drop_others_, &QAction::triggered, this, &LedgerView::dropOthers);
  connect(flip_, &QAction::triggered, this, &LedgerView::flipRuns);
  connect(table_, &QWidget::customContextMenuRequested, this, [this](const QPoint& at) { QMenu::exec(actions(), table_->viewport()->mapToGlobal(at)); });
  connect(table_->selectionModel(), &QItemSelectionModel::selectionChanged, this, &LedgerView::refresh);
  connect(model_, &QAbstractItemModel::modelReset, this, &LedgerView::refresh);
  connect(&session_.jobs, &Jobs::comparisonChanged, this, &LedgerView::refresh);
  connect(&session_.model, &DocumentModel::documentChanged, this, &LedgerView::refresh);
  refresh();
}

std::vector<int> LedgerView::selectedRuns() const {
  std::vector<int> runs;
  for (const QModelIndex& index : table_->selectionModel()->selectedRows()) runs.push_back(model_->runAt(index.row()));
  std::sort(runs.begin(), runs.end());
  return runs;
}

void LedgerView::refresh() {
  const std::vector<int> runs = selectedRuns();
  const int shown = session_.model.workspace().shownRun();
  restore_->setEnabled(runs.size() == 1);
  compare_->setEnabled(runs.size() == 2);
  keep_->setEnabled(!runs.empty());
  drop_->setEnabled(!runs.empty() && std::find(runs.begin(), runs.end(), shown) == runs.end());
  drop_others_->setEnabled(model_->rowCount() > 1);
  flip_->setEnabled(session_.jobs.compared().first.has_value());
  flip_->setChecked(session_.model.peeked() != 0);
  const int count = model_->rowCount();
  emit noteChanged(session_.model.peeked() != 0
                       ? tr("shown for now: %1").arg(QString::fromStdString(session_.model.document().ledger.nameOf(session_.model.peeked())))
                   : count == 0          ? QString()
                   : model_->bytes() > 0 ? tr("%1 · %2").arg(runsText(count), bytesText(model_->bytes()))
                                         : runsText(count));
}

void LedgerView::dropOthers() {
  const LedgerMarks& marks = session_.model.document().ledger;
  std::vector<int> runs;
  for (int row = 0; row < model_->rowCount(); ++row) {
    const int run = model_->runAt(row);
    if (run != session_.model.workspace().shownRun() && !marks.isKept(run)) runs.push_back(run);
  }
  if (!runs.empty()) session_.model.run(dropRuns(session_.model.document(), runs));
}

/// Of the two that are compared: the one that is not shown.
void LedgerView::flipRuns() {
  if (session_.model.peeked() != 0) return session_.model.peekEnd();
  const Jobs::Comparison& comparison = session_.jobs.compared();
  if (!comparison.first) return;
  session_.model.peek(comparison.first->run.id == session_.model.workspace().shownRun() ? *comparison.second : *comparison.first);
}

}  // namespace dusky::desktop
