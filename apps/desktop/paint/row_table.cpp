#include "apps/desktop/paint/row_table.h"

#include <QHeaderView>
#include <QTableView>

namespace dusky::desktop {

void dressRowTable(QTableView& table, int row_height) {
  table.setSelectionBehavior(QAbstractItemView::SelectRows);
  table.setSelectionMode(QAbstractItemView::ExtendedSelection);
  table.setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed);
  table.setShowGrid(false);
  table.setWordWrap(false);
  table.setContextMenuPolicy(Qt::CustomContextMenu);
  table.verticalHeader()->hide();
  table.verticalHeader()->setDefaultSectionSize(row_height);
  table.horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  table.horizontalHeader()->setStretchLastSection(true);
}

}  // namespace dusky::desktop
