#pragma once
#include <QWidget>
#include <optional>
#include <vector>

#include "apps/desktop/model/session.h"

namespace dusky::desktop {

/// How the kept tracks are spread over what is known of them, one histogram below the other, each a brush: drag in it to set a limit, and what is beyond goes
/// slanting in all views. Double click: no limit.
class MarginBrushes : public QWidget {
  Q_OBJECT
 public:
  explicit MarginBrushes(Session& session, QWidget* parent = nullptr);

  /// How many there are, and how many of them there is room for.
  static int count();
  int shown() const;
  /// Where a value of a histogram lies, widget coordinates.
  QPointF placeOf(int histogram, double value) const;
  QSize minimumSizeHint() const override { return {96, 60}; }

 signals:
  /// A limit is being set; the Prune step says what it would do.
  void brushed();

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  bool event(QEvent*) override;

 private:
  /// Of one measure: its values' range on the axis, and how many tracks lie in each bin.
  struct Histogram {
    double least = 0, most = 1;
    bool log = false;  ///< Few lie far out.
    std::vector<int> counts;
    double shareOf(double value) const;
    double valueAt(double share) const;
  };
  void measure();
  int at(const QPointF& place) const;
  QRectF boxOf(int histogram) const;
  QRectF barsOf(int histogram) const;
  void setLimit(double x, bool done);
  void draw(QPainter& painter, int histogram) const;

  Session& session_;
  std::vector<Histogram> histograms_;
  std::optional<int> held_;
};

}  // namespace dusky::desktop
