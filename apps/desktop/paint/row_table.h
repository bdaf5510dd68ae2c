#pragma once
class QTableView;

namespace dusky::desktop {

/// A table whose rows are chosen as wholes: edited by a double click, without a grid, with a menu of its own.
void dressRowTable(QTableView& table, int row_height);

}  // namespace dusky::desktop
