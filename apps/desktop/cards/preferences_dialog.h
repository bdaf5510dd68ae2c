#pragma once
#include <QDialog>

namespace dusky::desktop {

/// Preferences of this machine and screen. A change is taken at once.
class PreferencesDialog : public QDialog {
  Q_OBJECT
 public:
  explicit PreferencesDialog(QWidget* parent = nullptr);
};

}  // namespace dusky::desktop
