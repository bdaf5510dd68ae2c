#include "apps/desktop/paint/plot.h"

#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "core/base/numbers.h"

namespace dusky::desktop {
namespace {

constexpr double kLeft = 58, kRight = 10, kTop = 20, kBottom = 32;  // px for labels

void widen(double& low, double& high) {
  if (high - low > 1e-12 * (std::abs(low) + std::abs(high))) return;
  const double by = std::max(1e-9, 0.01 * std::abs(low));
  low -= by, high += by;
}

/// Round values from low to high, about one in `apart` px.
std::vector<double> ticks(double low, double high, double length, double apart, double* step) {
  *step = roundTo125((high - low) * apart / std::max(apart, length));
  std::vector<double> values;
  for (double i = std::ceil(low / *step - 1e-9); i * *step <= high + 1e-9 * *step; ++i) values.push_back(i * *step);
  return values;
}

}  // namespace

int decimalsFor(double step) { return step > 0 ? std::clamp(static_cast<int>(-std::floor(std::log10(step) + 1e-9)), 0, 9) : 0; }

Plot::Plot(const QRectF& whole, PlotRange range) : area_(whole.adjusted(kLeft, kTop, -kRight, -kBottom)), range_(range) {
  widen(range_.x0, range_.x1);
  widen(range_.y0, range_.y1);
}

QPointF Plot::at(double x, double y) const {
  return {area_.left() + area_.width() * (x - range_.x0) / (range_.x1 - range_.x0),
          area_.bottom() - area_.height() * (y - range_.y0) / (range_.y1 - range_.y0)};
}

void Plot::drawAxes(QPainter& painter, const QString& x_name, const QString& y_name) const {
  painter.fillRect(area_, color::Night);
  double step = 1;
  const int line = painter.fontMetrics().height();
  for (const double x : ticks(range_.x0, range_.x1, area_.width(), 84, &step)) {
    const double place = at(x, range_.y0).x();
    painter.setPen(QPen(color::Raised, 1));
    painter.drawLine(QPointF(place, area_.top()), QPointF(place, area_.bottom()));
    painter.setPen(color::Quiet);
    const QString text = QString::number(x, 'f', decimalsFor(step));
    const double half = painter.fontMetrics().horizontalAdvance(text) / 2.0 + 1, middle = std::min(place, area_.right() + kRight - half);
    painter.drawText(QRectF(middle - half, area_.bottom() + 1, 2 * half, line), Qt::AlignCenter, text);
  }
  for (const double y : ticks(range_.y0, range_.y1, area_.height(), 38, &step)) {
    const double place = at(range_.x0, y).y();
    painter.setPen(QPen(color::Raised, 1));
    painter.drawLine(QPointF(area_.left(), place), QPointF(area_.right(), place));
    painter.setPen(color::Quiet);
    painter.drawText(QRectF(area_.left() - kLeft, place - line / 2.0, kLeft - 6, line), Qt::AlignRight | Qt::AlignVCenter,
                     QString::number(y, 'f', decimalsFor(step)));
  }
  painter.setPen(color::Quiet);
  painter.drawText(QRectF(area_.left() - kLeft + 4, area_.top() - kTop, area_.width() + kLeft, kTop - 3), Qt::AlignLeft | Qt::AlignVCenter, y_name);
  painter.drawText(QRectF(area_.left(), area_.bottom() + line - 1, area_.width(), line), Qt::AlignCenter, x_name);
}

void Plot::drawCurve(QPainter& painter, const std::vector<Sample>& samples, double times) const {
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setClipRect(area_);
  QPolygonF line, upper, lower;
  const auto flush = [&] {
    for (auto p = lower.rbegin(); p != lower.rend(); ++p) upper.push_back(*p);
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(0xa9, 0x9d, 0xb6, 70));
    painter.drawPolygon(upper);
    painter.setPen(QPen(QColor(0xe9, 0xdf, 0xf2), 1.6));
    painter.drawPolyline(line);
    line.clear(), upper.clear(), lower.clear();
  };
  for (const Sample& s : samples) {
    if (std::isnan(s.y)) {
      flush();
      continue;
    }
    const double half = std::isnan(s.sigma) ? 0 : times * s.sigma;
    line.push_back(at(s.x, s.y));
    upper.push_back(at(s.x, s.y + half));
    lower.push_back(at(s.x, s.y - half));
  }
  flush();
  painter.restore();
}

}  // namespace dusky::desktop
