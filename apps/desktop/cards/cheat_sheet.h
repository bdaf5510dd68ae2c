#pragma once
#include <QDialog>

namespace dusky::desktop {

/// All keys and gestures on one sheet (F1).
class CheatSheet : public QDialog {
  Q_OBJECT
 public:
  explicit CheatSheet(QWidget* parent = nullptr);
};

}  // namespace dusky::desktop
