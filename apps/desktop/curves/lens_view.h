#pragma once
#include <QWidget>

#include "apps/desktop/model/session.h"
#include "apps/desktop/paint/chart.h"

namespace dusky::desktop {

/// What the solve says of the lens: focal length in every frame, and how far the lens bends the picture, each with its deviation.
class LensView : public QWidget {
  Q_OBJECT
 public:
  explicit LensView(Session& session, QWidget* parent = nullptr);
  QSize minimumSizeHint() const override { return {300, 110}; }

 signals:
  void noteChanged(const QString& note);

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  bool event(QEvent*) override;

 private:
  void refresh();
  void drawCurves();
  void tellFrame();
  QString focalText(int frame) const;
  QString bendText(double radius_px) const;
  void goTo(const QPointF& at);

  Session& session_;
  SolutionPtr solution_;
  std::vector<Chart::Sample> focal_, bend_;
  Chart *focal_chart_, *bend_chart_;
};

}  // namespace dusky::desktop
