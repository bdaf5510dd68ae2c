#pragma once
#include <QDialog>

class QPlainTextEdit;

namespace dusky::desktop {

/// The newest lines of the log, and where the whole of it is.
class LogWindow : public QDialog {
  Q_OBJECT
 public:
  explicit LogWindow(QWidget* parent = nullptr);

 private:
  void refresh();
  QPlainTextEdit* text_;
};

}  // namespace dusky::desktop
