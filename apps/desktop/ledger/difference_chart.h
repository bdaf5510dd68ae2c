#pragma once
#include <QWidget>

#include "apps/desktop/model/session.h"
#include "apps/desktop/paint/chart.h"

class QComboBox;
class QLabel;

namespace dusky::desktop {

/// How two runs differ, frame by frame, and in a sentence.
class DifferenceChart : public QWidget {
  Q_OBJECT
 public:
  enum class Quantity { Centre, Rotation, Focal };
  explicit DifferenceChart(Session& session, QWidget* parent = nullptr);
  QString sentence() const;

 private:
  void refresh();
  void draw();

  Session& session_;
  std::vector<int> moved_;  ///< Tracks whose points moved more than chance says.
  QLabel* sentence_;
  QComboBox* quantity_;
  Chart* chart_;
};

}  // namespace dusky::desktop
