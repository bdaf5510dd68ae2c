#pragma once
#include <QChartView>

#include "apps/desktop/model/session.h"

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
  QLabel* sentence_;
  QComboBox* quantity_;
  QChartView* view_;
};

}  // namespace dusky::desktop
