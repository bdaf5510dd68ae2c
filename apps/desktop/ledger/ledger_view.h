#pragma once
#include <QWidget>

#include "apps/desktop/ledger/ledger_model.h"

class QAction;
class QTableView;

namespace dusky::desktop {

class DifferenceChart;

/// Every solve of the shot: what was changed for it, what it came to; to name, restore, keep, drop and compare.
class LedgerView : public QWidget {
  Q_OBJECT
 public:
  explicit LedgerView(Session& session, QWidget* parent = nullptr);
  std::vector<int> selectedRuns() const;
  DifferenceChart& chart() { return *chart_; }
  /// For the heading: go back, keep, drop, drop the others, compare, show the other one.
  QList<QAction*> actions() const { return {restore_, compare_, flip_, keep_, drop_, drop_others_}; }
  QAction* flip() const { return flip_; }

 signals:
  void noteChanged(const QString& note);

 private:
  QAction* make(const QString& text, const QString& tip, const char* object);
  void refresh();
  void dropOthers();
  void flipRuns();

  Session& session_;
  LedgerModel* model_;
  QTableView* table_;
  DifferenceChart* chart_;
  QAction *restore_, *keep_, *drop_, *drop_others_, *compare_, *flip_;
};

}  // namespace dusky::desktop
