#pragma once
#include <QDialog>
#include <array>
#include <optional>

#include "apps/desktop/model/session.h"
#include "core/knowledge/statements.h"

class QComboBox;
class QDoubleSpinBox;
class QFormLayout;
class QHBoxLayout;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;

namespace dusky::desktop {

/// One statement about the set, to be changed or added. Taken over as one step to undo.
class StatementDialog : public QDialog {
  Q_OBJECT
 public:
  /// `knowledge`: what is known now, and where the statement is a new one that as well.
  StatementDialog(Session& session, Knowledge knowledge, StatementRef shown, bool is_new, QWidget* parent);
  ~StatementDialog() override;

 private:
  void addFields(QFormLayout& form);
  void addSetFields(QFormLayout& form);
  void addOrientation(QFormLayout& form);
  void addMembers(QFormLayout& form);
  void addRelationFields(QFormLayout& form);
  void addSurveyFields(QFormLayout& form);
  void addCameraFields(QFormLayout& form);
  /// Of a camera that stands at a known place or looks a known way; hidden where it is neither.
  void addCameraNumbers(QFormLayout& form);
  QHBoxLayout* numbersRow(const QString& tip);
  void readCamera(KnownCamera& camera) const;
  void addPairs(QFormLayout& form, const std::vector<TrackPair>& pairs);
  QComboBox* planeField(const std::string& chosen, bool or_own) const;
  void showNumbers(const Vec3& shown);
  Vec3 numbers() const;
  void showGiven(const Vec3& axis);
  void showInViews();
  Vec3 given() const;
  /// As the selected tracks lie in the scene; nothing where they are not as many as it takes.
  std::optional<Vec3> axisOfSelection() const;
  /// As the solve found it; nothing where it did not take part.
  const SolvedSet* foundSet() const;
  /// Gives it the orientation and offset that the solve found.
  void showFound();
  void addSigma(QFormLayout& form, double value, const QString& unit, const QString& tip);
  void showMembers();
  void takeOver();
  void readInto(Knowledge& knowledge) const;
  QDoubleSpinBox* number(const char* name, double value, const QString& unit, double least);

  Session& session_;
  Knowledge knowledge_;
  const StatementRef shown_;
  const bool is_new_;
  std::vector<int> members_;
  QLineEdit* name_ = nullptr;
  std::array<QDoubleSpinBox*, 3> axis_{};
  QComboBox *facing_ = nullptr, *plane_ = nullptr, *a_ = nullptr, *kind_ = nullptr, *b_ = nullptr;
  QDoubleSpinBox *value_ = nullptr, *sigma_ = nullptr, *offset_ = nullptr;
  QSpinBox *first_ = nullptr, *last_ = nullptr;
  QLabel *count_ = nullptr, *problem_ = nullptr;
  QPushButton *by_tracks_ = nullptr, *as_found_ = nullptr;
};

}  // namespace dusky::desktop
