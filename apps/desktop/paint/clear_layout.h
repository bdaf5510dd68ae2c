#pragma once
#include <QLayout>
#include <QWidget>

namespace dusky::desktop {

/// Takes everything out of a layout, and deletes it once the event that asked for it is over.
inline void clearLayout(QLayout& layout) {
  while (QLayoutItem* item = layout.takeAt(0)) {
    if (item->widget()) item->widget()->hide(), item->widget()->deleteLater();
    delete item;
  }
}

}  // namespace dusky::desktop
