#pragma once
#include <QPainter>

#include "apps/desktop/paint/theme.h"

namespace dusky::desktop {

/// A line of text on a dark plate over a view; `at`: its bottom left corner.
inline void drawNote(QPainter& painter, const QString& text, const QPoint& at) {
  const QRect box = painter.fontMetrics().boundingRect(text).adjusted(-6, -3, 6, 3);
  const QRect placed(at.x(), at.y() - box.height(), box.width(), box.height());
  painter.setPen(Qt::NoPen);
  painter.setBrush(QColor(20, 16, 26, 200));
  painter.drawRoundedRect(placed, 4, 4);
  painter.setPen(color::Text);
  painter.drawText(placed, Qt::AlignCenter, text);
}

}  // namespace dusky::desktop
