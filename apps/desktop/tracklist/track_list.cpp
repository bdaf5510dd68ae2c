#include "apps/desktop/tracklist/track_list.h"

#include <QHeaderView>
#include <QLineEdit>
#include <QMenu>
#include <QTableView>
#include <QVBoxLayout>
#include <algorithm>

#include "apps/desktop/paint/row_table.h"

namespace dusky::desktop {

TrackList::TrackList(Session& session, QMenu* track_menu, QWidget* parent)
    : QWidget(parent), session_(session), model_(new TrackListModel(session, this)), filter_(new TrackListFilter(this)), table_(new QTableView) {
  filter_->setSourceModel(model_);
  table_->setObjectName("trackTable");
  table_->setModel(filter_);
  table_->setSortingEnabled(true);
  table_->sortByColumn(TrackListModel::Worst, Qt::DescendingOrder);
  dressRowTable(*table_, 20);
  const std::array<int, TrackListModel::Columns> widths = {80, 80, 96, 84, 50, 50, 78, 76, 60, 90, 150, 150};
  for (int i = 0; i < TrackListModel::Columns; ++i) table_->setColumnWidth(i, widths[static_cast<std::size_t>(i)]);
  auto* words = new QLineEdit;
  words->setObjectName("trackFilter");
  words->setPlaceholderText(tr("Show only rows with these words: a name, a group, “pinned”, “drifted”, “by hand”, “imported” …"));
  words->setClearButtonEnabled(true);
  words->setToolTip(tr("Every word must be somewhere in the row."));
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(6, 0, 6, 4);
  all->setSpacing(4);
  all->addWidget(words);
  all->addWidget(table_, 1);
  connect(words, &QLineEdit::textChanged, this, [this](const QString& text) {
    letGo();
    filter_->setWords(text);
    tellCount();
    followSelection();
  });
  connect(table_, &QWidget::customContextMenuRequested, this, [this, track_menu](const QPoint& at) { track_menu->popup(table_->viewport()->mapToGlobal(at)); });
  connect(table_->horizontalHeader(), &QHeaderView::sectionPressed, this, &TrackList::letGo);
  connect(filter_, &QAbstractItemModel::layoutChanged, this, &TrackList::followSelection);
  connect(table_->selectionModel(), &QItemSelectionModel::selectionChanged, this, &TrackList::takeSelection);
  connect(&session_.selection, &Selection::changed, this, &TrackList::followSelection);
  // A cell that is written makes all rows anew while its editor closes: the table would take the first row then.
  connect(model_, &QAbstractItemModel::modelAboutToBeReset, this, [this] { following_ = true; });
  connect(model_, &QAbstractItemModel::modelReset, this, [this] {
    following_ = false;
    tellCount();
    followSelection();
  });
}

void TrackList::takeSelection() {
  if (following_) return;
  following_ = true;
  std::vector<int> ids;
  for (const QModelIndex& index : table_->selectionModel()->selectedRows()) ids.push_back(model_->trackAt(filter_->mapToSource(index).row()));
  session_.selection.pick(ids, Selection::Mode::Replace);
  following_ = false;
}

/// Rows that are filtered or sorted carry their selection along one by one, which takes seconds for thousands: it is set anew afterwards.
void TrackList::letGo() {
  following_ = true;
  table_->selectionModel()->clear();
  following_ = false;
}

void TrackList::followSelection() {
  if (following_) return;
  following_ = true;
  std::vector<int> shown;
  QModelIndex first;
  for (const int id : session_.selection.ids()) {
    const int row = model_->rowOf(id);
    const QModelIndex index = row >= 0 ? filter_->mapFromSource(model_->index(row, 0)) : QModelIndex();
    if (!index.isValid()) continue;
    shown.push_back(index.row());
    if (!first.isValid()) first = index;
  }
  // Neighbours as one: a selection of thousands of single rows takes seconds.
  std::sort(shown.begin(), shown.end());
  QItemSelection rows;
  for (std::size_t from = 0, to = 0; from < shown.size(); from = to) {
    for (to = from + 1; to < shown.size() && shown[to] == shown[to - 1] + 1;) ++to;
    rows.append(QItemSelectionRange(filter_->index(shown[from], 0), filter_->index(shown[to - 1], filter_->columnCount() - 1)));
  }
  table_->selectionModel()->select(rows, QItemSelectionModel::ClearAndSelect);
  if (first.isValid()) table_->scrollTo(first);
  following_ = false;
}

void TrackList::tellCount() {
  const int all = model_->rowCount();
  emit noteChanged(all == 0 ? "" : shown() == all ? tr("%1 tracks").arg(all) : tr("%1 of %2 tracks").arg(shown()).arg(all));
}

}  // namespace dusky::desktop
