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

SweepPlot::SweepPlot(Session& session, QWidget* parent) : QWidget(parent), session_(session), chart_(new Chart(this)) {
  setObjectName("sweepPlot");
  setCursor(Qt::CrossCursor);
  connect(&session_.jobs, &Jobs::sweepChanged, this, [this] {
    if (!session_.jobs.swept().result) chosen_.reset();
    emit choiceChanged();
    refresh();
  });
  chart_->paintOver([this](QPainter& painter) { drawOver(painter); });
  refresh();
}

void SweepPlot::refresh() {
  const Jobs::Sweep& sweep = session_.jobs.swept();
  chart_->clear();
  chart_->setVisible(!sweep.asked.first.parameter.empty());
  if (sweep.asked.first.parameter.empty()) return update();
  chart_->setAxes(scalarName(sweep.asked.first.parameter), two() ? scalarName(sweep.asked.second->parameter) : tr("RMS, px"), range());
  if (two()) return;
  std::vector<Chart::Sample> samples;
  for (const SweepPoint& point : sweep.points) samples.push_back({point.value, point.rms_px, kUnknown});
  chart_->addCurve(samples, 0, true);
}

void SweepPlot::resizeEvent(QResizeEvent*) { chart_->setGeometry(rect()); }

std::optional<SweepPlot::Choice> SweepPlot::choice() const {
  const auto& result = session_.jobs.swept().result;
  if (!result) return std::nullopt;
  return chosen_ ? chosen_ : Choice{result->best, result->best_second};
}

ChartRange SweepPlot::range() const {
  const Jobs::Sweep& sweep = session_.jobs.swept();
  if (two()) {
    // Half a cell of margin, so that the outer values have whole cells.
    const auto &a = sweep.asked.first, &b = *sweep.asked.second;
    const double dx = (a.to - a.from) / (a.points - 1) / 2, dy = (b.to - b.from) / (b.points - 1) / 2;
    return {a.from - dx, a.to + dx, b.from - dy, b.to + dy};
  }
  const auto [low, high] = rmsRange(sweep.points);
  const double more = std::max(0.06 * (high - low), 1e-4);
  return {sweep.asked.first.from, sweep.asked.first.to, low - more, high + more};
}

QPointF SweepPlot::placeOf(const Choice& value) const { return chart_->at(value.value, two() ? value.second : chart_->yAt(chart_->area().center().y())); }

void SweepPlot::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.fillRect(rect(), color::Night);
  painter.setPen(color::Quiet);
  painter.drawText(rect().adjusted(20, 0, -20, 0), Qt::AlignCenter | Qt::TextWordWrap,
                   session_.model.solution()
                       ? tr("Each value of a scalar is held and everything else adjusted: the curve shows what the footage tells about it.")
                       : tr("Solve the shot first."));
}

/// One standard deviation about the best value, and the value that is chosen.
void SweepPlot::drawOver(QPainter& painter) const {
  if (two()) return drawMap(painter);
  const auto& result = session_.jobs.swept().result;
  const QRectF area = chart_->area();
  if (result && !std::isnan(result->sigma)) {
    const double left = chart_->at(result->best - result->sigma, 0).x(), right = chart_->at(result->best + result->sigma, 0).x();
    painter.fillRect(QRectF(left, area.top(), std::max(1.0, right - left), area.height()).intersected(area), QColor(0xa9, 0x9d, 0xb6, 60));
  }
  if (const auto chosen = choice()) {
    painter.setPen(QPen(color::Lamp, 1.4));
    const double x = chart_->at(chosen->value, 0).x();
    painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()));
  }
}

QRectF SweepPlot::cellOf(const SweepPoint& point) const {
  const SweepOptions& asked = session_.jobs.swept().asked;
  const double w = chart_->area().width() / asked.first.points, h = chart_->area().height() / asked.second->points;
  const QPointF middle = chart_->at(point.value, point.second);
  return {middle.x() - w / 2, middle.y() - h / 2, w, h};
}

/// What fits is dark, what does not glows.
void SweepPlot::drawMap(QPainter& painter) const {
  const Jobs::Sweep& sweep = session_.jobs.swept();
  const auto [low, high] = rmsRange(sweep.points);
  for (const SweepPoint& point : sweep.points) {
    if (std::isnan(point.rms_px)) continue;
    const double share = std::sqrt((point.rms_px - low) / std::max(1e-9, high - low));
    painter.fillRect(cellOf(point).adjusted(0.5, 0.5, -0.5, -0.5), errorQColor(share, 1));
  }
  if (const auto chosen = choice()) {
    painter.setPen(QPen(color::Lamp, 2));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(cellOf({chosen->value, chosen->second}));
  }
}

const SweepPoint* SweepPlot::nearest(const QPointF& at) const {
  const SweepPoint* best = nullptr;
  double least = 1e300;
  for (const SweepPoint& point : session_.jobs.swept().points) {
    const QPointF place = chart_->at(point.value, two() ? point.second : point.rms_px);
    const double away = std::hypot(place.x() - at.x(), two() ? place.y() - at.y() : 0);
    if (!std::isnan(point.rms_px) && away < least) best = &point, least = away;
  }
  return best;
}

void SweepPlot::mousePressEvent(QMouseEvent* event) {
  const Jobs::Sweep& sweep = session_.jobs.swept();
  if (event->button() != Qt::LeftButton || !sweep.result || !chart_->area().contains(event->position())) return;
  if (two()) {
    if (const SweepPoint* point = nearest(event->position())) chosen_ = {point->value, point->second};
  } else {
    chosen_ = Choice{chart_->xAt(event->position().x())};
  }
  emit choiceChanged();
  chart_->viewport()->update();
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
