#pragma once
#include <QWidget>

#include "apps/desktop/model/session.h"

namespace dusky::desktop {

/// The staircase as a small chart: a row for each group of parameters, the error before and after as bars, whether it stayed and why.
class StaircaseView : public QWidget {
  Q_OBJECT
 public:
  explicit StaircaseView(Session& session, QWidget* parent = nullptr);

 protected:
  void paintEvent(QPaintEvent*) override;
  bool event(QEvent* event) override;

 private:
  void refresh();
  QRect rowRect(int row) const;

  Session& session_;
  std::vector<StaircaseStep> steps_;
};

}  // namespace dusky::desktop
