#pragma once
#include <QDialog>
#include <optional>

#include "apps/desktop/model/session.h"
#include "core/knowledge/statements.h"

class QComboBox;
class QDoubleSpinBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QSpinBox;

namespace dusky::desktop {

/// One statement about the set, to be changed; or a new relation between two of its planes and lines. Taken over as one step to undo.
class StatementDialog : public QDialog {
  Q_OBJECT
 public:
  /// Nothing: a new relation; there must be two sets.
  StatementDialog(Session& session, std::optional<StatementRef> ref, QWidget* parent);

 private:
  void addFields(QFormLayout& form);
  void addSetFields(QFormLayout& form);
  void addMembers(QFormLayout& form);
  void addRelationFields(QFormLayout& form);
  void addCameraFields(QFormLayout& form);
  void addSigma(QFormLayout& form, double value, const QString& unit, const QString& tip);
  void showMembers();
  void takeOver();
  void readInto(Knowledge& knowledge) const;
  QDoubleSpinBox* number(const char* name, double value, const QString& unit, double least);

  Session& session_;
  const std::optional<StatementRef> ref_;
  Knowledge knowledge_;  ///< As it was when the dialog opened; with the new relation.
  StatementRef shown_;
  std::vector<int> members_;
  QLineEdit* name_ = nullptr;
  QComboBox *facing_ = nullptr, *a_ = nullptr, *kind_ = nullptr, *b_ = nullptr;
  QDoubleSpinBox *value_ = nullptr, *sigma_ = nullptr;
  QSpinBox *first_ = nullptr, *last_ = nullptr;
  QLabel *count_ = nullptr, *problem_ = nullptr;
};

}  // namespace dusky::desktop
