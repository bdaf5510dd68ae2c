#pragma once
#include <QWidget>

#include "apps/desktop/model/session.h"
#include "apps/desktop/paint/chart.h"

namespace dusky::desktop {

/// The points of a sweep as they come: a curve over one scalar, or a map over two. A click chooses a value.
class SweepPlot : public QWidget {
  Q_OBJECT
 public:
  explicit SweepPlot(Session& session, QWidget* parent = nullptr);

  struct Choice {
    double value = 0, second = kUnknown;
  };
  /// The chosen value, else the best one; nothing before a sweep has ended.
  std::optional<Choice> choice() const;
  /// Middle of a value in widget coordinates.
  QPointF placeOf(const Choice& value) const;
  QSize minimumSizeHint() const override { return {220, 110}; }

 signals:
  void choiceChanged();

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  bool event(QEvent*) override;

 private:
  bool two() const { return session_.jobs.swept().asked.second.has_value(); }
  void refresh();
  ChartRange range() const;
  void drawOver(QPainter& painter) const;
  void drawMap(QPainter& painter) const;
  QRectF cellOf(const SweepPoint& point) const;
  const SweepPoint* nearest(const QPointF& at) const;

  Session& session_;
  std::optional<Choice> chosen_;
  Chart* chart_;
};

}  // namespace dusky::desktop
