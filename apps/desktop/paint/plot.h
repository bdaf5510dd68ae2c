#pragma once
#include <QPainter>
#include <QRectF>
#include <vector>

namespace dusky::desktop {

/// What a chart shows between, in the values' own units.
struct PlotRange {
  double x0 = 0, x1 = 1, y0 = 0, y1 = 1;
};

/// A chart: turns values into places and draws its axes at round values.
class Plot {
 public:
  /// `whole`: with room for the labels; an empty range is widened.
  Plot(const QRectF& whole, PlotRange range);

  const QRectF& area() const { return area_; }
  QPointF at(double x, double y) const;
  double xAt(double place) const { return range_.x0 + (range_.x1 - range_.x0) * (place - area_.left()) / area_.width(); }
  double yAt(double place) const { return range_.y0 + (range_.y1 - range_.y0) * (area_.bottom() - place) / area_.height(); }
  /// Ground, lines and labels; the names say the units.
  void drawAxes(QPainter& painter, const QString& x_name, const QString& y_name) const;

  struct Sample {
    double x = 0, y = 0, sigma = 0;  ///< Not a number: the curve is broken there; no deviation is known.
  };
  /// A curve, with the band of `times` standard deviations about it.
  void drawCurve(QPainter& painter, const std::vector<Sample>& samples, double times) const;

 private:
  QRectF area_;
  PlotRange range_;
};

/// As many decimals as tell steps of this size apart.
int decimalsFor(double step);

}  // namespace dusky::desktop
