#pragma once
#include <QWidget>

#include "apps/desktop/model/session.h"
#include "apps/desktop/sweep/sweep_plot.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QSpinBox;

namespace dusky::desktop {

/// Asks what the footage tells about one scalar of the solve, or two, and takes a value over.
class SweepView : public QWidget {
  Q_OBJECT
 public:
  explicit SweepView(Session& session, QWidget* parent = nullptr);
  SweepPlot& plot() { return *plot_; }

 private:
  struct Axis {
    QComboBox* scalar;
    QDoubleSpinBox *from, *to;
    QSpinBox* points;
  };
  Axis makeAxis(class QGridLayout& grid, int row, const QString& name, const char* object);
  void refreshScalars();
  void offerRange(const Axis& axis);
  SweepAxis asked(const Axis& axis) const;
  void run();
  void take();
  void refresh();

  Session& session_;
  SweepPlot* plot_;
  Axis first_, second_;
  QPushButton *run_, *take_;
  QLabel* sentence_;
};

}  // namespace dusky::desktop
