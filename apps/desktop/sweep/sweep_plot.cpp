#include "apps/desktop/sweep/sweep_plot.h"

#include <QHelpEvent>
#include <QToolTip>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/model/scalar_names.h"

namespace dusky::desktop {
namespace {

/// Lowest and highest RMS of the points that are there.
std::pair<double, double> rmsRange(const std::vector<SweepPoint>& points) {
  double low = 1e300, high = -1e300;
  for (const SweepPoint& p : points) {
    if (!std::isnan(p.rms_px)) low = std::min(low, p.rms_px), high = std::max(high, p.rms_px);
  }
  return low > high ? std::pair(0.0, 1.0) : std::pair(low, high);
}

QString rmsText(double rms_px, double apart) {
  const QString text = QObject::tr("RMS %1 px").arg(rms_px, 0, 'f', 4);
  return std::isnan(apart) ? text : text + QObject::tr(", %1 standard deviations from the best").arg(std::sqrt(std::max(0.0, apart)), 0, 'f', 1);
}

}  // namespace

SweepPlot::SweepPlot(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName("sweepPlot");
  setCursor(Qt::CrossCursor);
  connect(&session_.jobs, &Jobs::sweepChanged, this, [this] {
    if (!session_.jobs.swept().result) chosen_.reset();
    emit choiceChanged();
    update();
  });
}

std::optional<SweepPlot::Choice> SweepPlot::choice() const {
  const auto& result = session_.jobs.swept().result;
  if (!result) return std::nullopt;
  return chosen_ ? chosen_ : Choice{result->best, result->best_second};
}

Plot SweepPlot::plot() const {
  const Jobs::Sweep& sweep = session_.jobs.swept();
  PlotRange range{.x0 = sweep.asked.first.from, .x1 = sweep.asked.first.to};
  if (two()) {
    // Half a cell of margin, so that the outer values have whole cells.
    const auto &a = sweep.asked.first, &b = *sweep.asked.second;
    const double dx = (a.to - a.from) / (a.points - 1) / 2, dy = (b.to - b.from) / (b.points - 1) / 2;
    return {rect(), {a.from - dx, a.to + dx, b.from - dy, b.to + dy}};
  }
  const auto [low, high] = rmsRange(sweep.points);
  const double more = std::max(0.06 * (high - low), 1e-4);
  range.y0 = low - more, range.y1 = high + more;
  return {rect(), range};
}

QPointF SweepPlot::placeOf(const Choice& value) const {
  const Plot p = plot();
  return p.at(value.value, two() ? value.second : p.yAt(p.area().center().y()));
}

void SweepPlot::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Jobs::Sweep& sweep = session_.jobs.swept();
  if (sweep.asked.first.parameter.empty()) {
    painter.fillRect(rect(), color::Night);
    painter.setPen(color::Quiet);
    painter.drawText(rect().adjusted(20, 0, -20, 0), Qt::AlignCenter | Qt::TextWordWrap,
                     session_.model.solution()
                         ? tr("Each value of a scalar is held and everything else adjusted: the curve shows what the footage tells about it.")
                         : tr("Solve the shot first."));
    return;
  }
  const Plot p = plot();
  p.drawAxes(painter, scalarName(sweep.asked.first.parameter), two() ? scalarName(sweep.asked.second->parameter) : tr("RMS, px"));
  if (two())
    drawMap(painter, p);
  else
    drawCurve(painter, p);
}

void SweepPlot::drawCurve(QPainter& painter, const Plot& p) const {
  const Jobs::Sweep& sweep = session_.jobs.swept();
  painter.setRenderHint(QPainter::Antialiasing);
  if (sweep.result && !std::isnan(sweep.result->sigma)) {
    const double left = p.at(sweep.result->best - sweep.result->sigma, 0).x(), right = p.at(sweep.result->best + sweep.result->sigma, 0).x();
    painter.fillRect(QRectF(left, p.area().top(), std::max(1.0, right - left), p.area().height()).intersected(p.area()), QColor(0xa9, 0x9d, 0xb6, 60));
  }
  std::vector<Plot::Sample> samples;
  for (const SweepPoint& point : sweep.points) samples.push_back({point.value, point.rms_px, kUnknown});
  p.drawCurve(painter, samples, 0);
  painter.setPen(Qt::NoPen);
  painter.setBrush(QColor(0xe9, 0xdf, 0xf2));
  for (const SweepPoint& point : sweep.points) {
    if (!std::isnan(point.rms_px)) painter.drawEllipse(p.at(point.value, point.rms_px), 2.6, 2.6);
  }
  if (const auto chosen = choice()) {
    painter.setPen(QPen(color::Lamp, 1.4));
    const double x = p.at(chosen->value, 0).x();
    painter.drawLine(QPointF(x, p.area().top()), QPointF(x, p.area().bottom()));
  }
}

QRectF SweepPlot::cellOf(const Plot& p, const SweepPoint& point) const {
  const SweepOptions& asked = session_.jobs.swept().asked;
  const double w = p.area().width() / asked.first.points, h = p.area().height() / asked.second->points;
  const QPointF middle = p.at(point.value, point.second);
  return {middle.x() - w / 2, middle.y() - h / 2, w, h};
}

/// What fits is dark, what does not glows.
void SweepPlot::drawMap(QPainter& painter, const Plot& p) const {
  const Jobs::Sweep& sweep = session_.jobs.swept();
  const auto [low, high] = rmsRange(sweep.points);
  for (const SweepPoint& point : sweep.points) {
    if (std::isnan(point.rms_px)) continue;
    const double share = std::sqrt((point.rms_px - low) / std::max(1e-9, high - low));
    painter.fillRect(cellOf(p, point).adjusted(0.5, 0.5, -0.5, -0.5), errorQColor(share, 1));
  }
  if (const auto chosen = choice()) {
    painter.setPen(QPen(color::Lamp, 2));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(cellOf(p, {chosen->value, chosen->second}));
  }
}

const SweepPoint* SweepPlot::nearest(const QPointF& at) const {
  const Plot p = plot();
  const SweepPoint* best = nullptr;
  double least = 1e300;
  for (const SweepPoint& point : session_.jobs.swept().points) {
    const QPointF place = p.at(point.value, two() ? point.second : point.rms_px);
    const double away = std::hypot(place.x() - at.x(), two() ? place.y() - at.y() : 0);
    if (!std::isnan(point.rms_px) && away < least) best = &point, least = away;
  }
  return best;
}

void SweepPlot::mousePressEvent(QMouseEvent* event) {
  const Jobs::Sweep& sweep = session_.jobs.swept();
  if (event->button() != Qt::LeftButton || !sweep.result || !plot().area().contains(event->position())) return;
  if (two()) {
    if (const SweepPoint* point = nearest(event->position())) chosen_ = {point->value, point->second};
  } else {
    chosen_ = Choice{plot().xAt(event->position().x())};
  }
  emit choiceChanged();
  update();
}

bool SweepPlot::event(QEvent* event) {
  if (event->type() != QEvent::ToolTip || session_.jobs.swept().points.empty()) return QWidget::event(event);
  const auto* help = static_cast<QHelpEvent*>(event);
  const SweepOptions& asked = session_.jobs.swept().asked;
  const SweepPoint* point = nearest(help->pos());
  if (!point) return true;
  QString text = tr("%1: %2").arg(scalarName(asked.first.parameter)).arg(point->value, 0, 'g', 6);
  if (two()) text += tr("\n%1: %2").arg(scalarName(asked.second->parameter)).arg(point->second, 0, 'g', 6);
  QToolTip::showText(help->globalPos(), text + "\n" + rmsText(point->rms_px, point->chi_squared) + tr("\nClick to choose a value."), this);
  return true;
}

}  // namespace dusky::desktop
