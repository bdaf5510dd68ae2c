#pragma once
#include <QWidget>

#include "apps/desktop/model/session.h"

class QPushButton;
class QLabel;

namespace dusky::desktop {

/// One line a person can act on: error, holdout, focal length, coverage, what hurts most. A click on a part goes to its cause.
class VerdictLine : public QWidget {
  Q_OBJECT
 public:
  explicit VerdictLine(Session& session, QWidget* parent = nullptr);

 signals:
  void errorAsked();  ///< Show the tracks with the largest errors.
  void stepAsked(Step step);

 private:
  void refresh();
  void showSolved(const Solution& solution, const Verdict& verdict);
  void selectHoldout();
  void goToHurt();

  Session& session_;
  QPushButton *rms_, *holdout_, *focal_, *coverage_, *advice_, *hurt_;
  QLabel* note_;
};

}  // namespace dusky::desktop
