#pragma once
#include <QChartView>
#include <functional>
#include <vector>

class QValueAxis;

namespace dusky::desktop {

/// What a chart shows between, in the values' own units.
struct ChartRange {
  double x0 = 0, x1 = 1, y0 = 0, y1 = 1;
};

/// A chart in the window's look, with its axes at round values. The mouse belongs to the widget that it stands in, and places are that widget's.
class Chart : public QChartView {
 public:
  explicit Chart(QWidget* parent = nullptr);

  struct Sample {
    double x = 0, y = 0, sigma = 0;  ///< Not a number: the curve is broken there; no deviation is known.
  };

  /// The names say the units; an empty range is widened.
  void setAxes(const QString& x_name, const QString& y_name, ChartRange range);
  void clear();
  /// A curve, with the band of `times` standard deviations about it. `dots`: the samples are marked.
  void addCurve(const std::vector<Sample>& samples, double times, bool dots = false);
  void addBand(const std::vector<QPointF>& lower, const std::vector<QPointF>& upper);
  /// A line of text above the right end.
  void setNote(const QString& note);
  /// Painted over everything, within area(), each time.
  void paintOver(std::function<void(QPainter&)> over) { over_ = std::move(over); }

  QRectF area() const { return chart()->plotArea().translated(pos()); }
  QPointF at(double x, double y) const;
  double xAt(double place) const;
  double yAt(double place) const;

 protected:
  void resizeEvent(QResizeEvent*) override;
  void drawForeground(QPainter* painter, const QRectF&) override;

 private:
  void placeAxes();
  void attach(QAbstractSeries* series);

  QValueAxis *x_, *y_;
  ChartRange range_;
  QString x_name_, y_name_, note_;
  std::function<void(QPainter&)> over_;
};

}  // namespace dusky::desktop
