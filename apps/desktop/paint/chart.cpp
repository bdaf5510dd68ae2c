#include "apps/desktop/paint/chart.h"

#include <QAreaSeries>
#include <QGraphicsLayout>
#include <QLineSeries>
#include <QValueAxis>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "core/base/numbers.h"

namespace dusky::desktop {
namespace {

constexpr double kLeft = 58, kRight = 12, kTop = 20, kFoot = 34;  // px for labels

void widen(double& low, double& high) {
  if (high - low > 1e-12 * (std::abs(low) + std::abs(high))) return;
  const double by = std::max(1e-9, 0.01 * std::abs(low));
  low -= by, high += by;
}

void dress(QValueAxis* axis) {
  QFont font("Inter");
  font.setPixelSize(10);
  axis->setLabelsFont(font);
  axis->setLabelsColor(color::Quiet);
  axis->setGridLineColor(color::Raised);
  axis->setLinePenColor(color::Edge);
  axis->setTickType(QValueAxis::TicksDynamic);
}

/// Ticks at round values, about one in `apart` px.
void divide(QValueAxis* axis, double low, double high, double length_px, double apart_px) {
  const double step = roundTo125((high - low) * apart_px / std::max(apart_px, length_px));
  axis->setTickInterval(step);
  axis->setLabelFormat(QString("%.%1f").arg(decimalsFor(step)));
  axis->setRange(low, high);
}

}  // namespace

Chart::Chart(QWidget* parent) : QChartView(new QChart, parent), x_(new QValueAxis), y_(new QValueAxis) {
  setRenderHint(QPainter::Antialiasing);
  setFrameShape(QFrame::NoFrame);
  setBackgroundBrush(color::Night);
  setAttribute(Qt::WA_TransparentForMouseEvents);
  setFocusPolicy(Qt::NoFocus);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
  setMinimumSize(0, 0);
  chart()->setBackgroundVisible(false);
  chart()->legend()->hide();
  chart()->setMargins({0, 0, 0, 0});
  chart()->layout()->setContentsMargins(0, 0, 0, 0);
  for (QValueAxis* axis : {x_, y_}) dress(axis);
  chart()->addAxis(x_, Qt::AlignBottom), chart()->addAxis(y_, Qt::AlignLeft);
}

void Chart::setAxes(const QString& x_name, const QString& y_name, ChartRange range) {
  x_name_ = x_name, y_name_ = y_name, range_ = range;
  widen(range_.x0, range_.x1), widen(range_.y0, range_.y1);
  placeAxes();
}

void Chart::placeAxes() {
  const QRectF inner = QRectF(rect()).adjusted(kLeft, kTop, -kRight, -kFoot);
  if (inner.width() < 1 || inner.height() < 1) return;
  chart()->setPlotArea(inner);
  divide(x_, range_.x0, range_.x1, inner.width(), 84);
  divide(y_, range_.y0, range_.y1, inner.height(), 38);
  viewport()->update();
}

void Chart::resizeEvent(QResizeEvent* event) {
  QChartView::resizeEvent(event);
  placeAxes();
}

void Chart::clear() { chart()->removeAllSeries(); }

void Chart::attach(QAbstractSeries* series) {
  chart()->addSeries(series);
  series->attachAxis(x_), series->attachAxis(y_);
}

void Chart::addBand(const std::vector<QPointF>& lower, const std::vector<QPointF>& upper) {
  auto *below = new QLineSeries, *above = new QLineSeries;
  below->append(QList<QPointF>(lower.begin(), lower.end())), above->append(QList<QPointF>(upper.begin(), upper.end()));
  auto* band = new QAreaSeries(above, below);
  below->setParent(band), above->setParent(band);
  band->setBrush(QColor(0xa9, 0x9d, 0xb6, 70));
  band->setPen(Qt::NoPen);
  attach(band);
}

void Chart::addCurve(const std::vector<Sample>& samples, double times, bool dots) {
  const QColor light(0xe9, 0xdf, 0xf2);
  std::vector<QPointF> lower, upper;
  QList<QPointF> line;
  const auto end = [&] {
    if (line.empty()) return;
    if (times > 0) addBand(lower, upper);
    auto* curve = new QLineSeries;
    curve->append(line);
    curve->setPen(QPen(light, 1.6));
    curve->setPointsVisible(dots || line.size() == 1);
    curve->setMarkerSize(3);
    attach(curve);
    line.clear(), lower.clear(), upper.clear();
  };
  for (const Sample& s : samples) {
    if (std::isnan(s.y)) {
      end();
      continue;
    }
    const double half = std::isnan(s.sigma) ? 0 : times * s.sigma;
    line.push_back({s.x, s.y});
    lower.emplace_back(s.x, s.y - half), upper.emplace_back(s.x, s.y + half);
  }
  end();
}

void Chart::setNote(const QString& note) {
  note_ = note;
  viewport()->update();
}

QPointF Chart::at(double x, double y) const {
  const QRectF plot = area();
  return {plot.left() + plot.width() * (x - range_.x0) / (range_.x1 - range_.x0), plot.bottom() - plot.height() * (y - range_.y0) / (range_.y1 - range_.y0)};
}

double Chart::xAt(double place) const { return range_.x0 + (range_.x1 - range_.x0) * (place - area().left()) / area().width(); }
double Chart::yAt(double place) const { return range_.y0 + (range_.y1 - range_.y0) * (area().bottom() - place) / area().height(); }

void Chart::drawForeground(QPainter* painter, const QRectF&) {
  const QRectF plot = chart()->plotArea();
  painter->save();
  painter->setFont(font());
  painter->setPen(color::Quiet);
  const int line = painter->fontMetrics().height();
  painter->drawText(QRectF(4, 0, plot.right(), kTop - 3), Qt::AlignLeft | Qt::AlignVCenter, y_name_);
  painter->drawText(QRectF(plot.left(), height() - line - 1, plot.width(), line), Qt::AlignCenter, x_name_);
  painter->setPen(color::Text);
  painter->drawText(QRectF(4, 0, plot.right() - 4, kTop - 3), Qt::AlignRight | Qt::AlignVCenter, note_);
  painter->setClipRect(plot);
  painter->translate(-pos());
  if (over_) over_(*painter);
  painter->restore();
}

}  // namespace dusky::desktop
