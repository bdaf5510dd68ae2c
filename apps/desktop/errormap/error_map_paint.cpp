#include <QPainter>
#include <QScrollBar>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/model/preferences.h"

namespace dusky::desktop {

void ErrorMap::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.fillRect(map_, color::Night);
  painter.fillRect(curves_, color::Night);
  drawLane(painter);
  drawChecks(painter);
  if (rows_.empty()) {
    drawLeftOut(painter);
    drawPlayhead(painter);
    painter.setPen(color::Quiet);
    painter.drawText(map_, Qt::AlignCenter,
                     session_.model.hasFootage() ? tr("Each track becomes a row here, each frame a column; what is wrong will glow.") : "");
    return;
  }
  drawCells(painter);
  drawLeftOut(painter);
  drawHistogram(painter);
  drawMissing(painter);
  drawCurves(painter);
  drawPlayhead(painter);
}

void ErrorMap::drawCells(QPainter& painter) const {
  painter.save();
  painter.setClipRect(map_);
  const int first = bar_->value(), visible = std::min(map_.height() / row_height_ + 1, rowCount() - first);
  const QRectF source(0, first, cells_.width(), visible);
  const double left = columnOf(tracks_->first_frame), right = columnOf(tracks_->last_frame + 1);
  painter.drawImage(QRectF(left, map_.top(), right - left, visible * row_height_), cells_, source);
  if (row_height_ > 2) {
    painter.setPen(QPen(color::Night, 1));
    for (int r = 1; r <= visible; ++r) painter.drawLine(map_.left(), map_.top() + r * row_height_ - 1, map_.right(), map_.top() + r * row_height_ - 1);
  }
  for (int r = 0; r < visible; ++r) {
    const int id = trackAt(first + r);
    const bool selected = session_.selection.contains(id);
    if (!selected && id != session_.selection.hovered()) continue;
    const QRectF row(map_.left(), map_.top() + r * row_height_, map_.width(), row_height_);
    QColor wash = selected ? color::Lamp : color::Text;
    painter.fillRect(QRectF(row.left(), row.top(), 5, std::max(2, row_height_)), wash);
    wash.setAlpha(45);
    painter.fillRect(row, wash);
  }
  if (press_ && !scrubbing_ && (now_ - *press_).manhattanLength() >= 4) {
    painter.setPen(QPen(color::Lamp, 1, Qt::DashLine));
    painter.drawRect(QRectF(QPointF(map_.left(), press_->y()), QPointF(map_.right() - 1, now_.y())).normalized());
  }
  painter.restore();
}

/// Frames that the solve has no camera for glow through map and curves.
void ErrorMap::drawMissing(QPainter& painter) const {
  const SolutionPtr& solution = solution_;
  if (!solution || session_.model.partial()) return;
  const auto& frames = solution->frames;
  for (std::size_t i = 0; i < frames.size();) {
    if (frames[i].placed) {
      ++i;
      continue;
    }
    std::size_t end = i;
    while (end < frames.size() && !frames[end].placed) ++end;
    const double left = columnOf(frames[i].frame), right = std::max(left + 2, columnOf(frames[end - 1].frame + 1));
    const QRectF column(left, map_.top(), right - left, curves_.bottom() - map_.top());
    QColor glow = errorQColor(0.8, 1);
    glow.setAlpha(70);
    painter.fillRect(column, glow);
    painter.fillRect(QRectF(left, curves_.bottom() - 4, right - left, 4), errorQColor(0.9, 1));
    const QString text = tr("no camera");
    if (painter.fontMetrics().horizontalAdvance(text) + 8 < column.width()) {
      painter.setPen(color::Text);
      painter.drawText(QRectF(left, curves_.top(), right - left, curves_.height() - 5), Qt::AlignCenter, text);
    }
    i = end;
  }
}

void ErrorMap::drawHistogram(QPainter& painter) const {
  const SolutionPtr& solution = solution_;
  painter.setPen(color::Quiet);
  painter.drawText(histogram_.adjusted(2, 0, 0, 0), Qt::AlignLeft | Qt::AlignTop, tr("typical error, px"));
  if (!solution) return;
  const int top = histogram_.top() + 18, bins = std::max(8, (histogram_.height() - 20) / 5);
  std::vector<int> counts(static_cast<std::size_t>(bins), 0);
  for (const SolvedTrack& track : solution->tracks) {
    if (track.state != TrackState::Kept || std::isnan(track.typical_error_px)) continue;
    const int bin = static_cast<int>(track.typical_error_px / session_.view.errorTop() * bins);
    ++counts[static_cast<std::size_t>(std::clamp(bin, 0, bins - 1))];
  }
  const int most = std::max(1, *std::max_element(counts.begin(), counts.end()));
  for (int b = 0; b < bins; ++b) {
    // Large errors at the top, as in the map.
    const int y = top + (bins - 1 - b) * 5, count = counts[static_cast<std::size_t>(b)];
    if (count == 0) continue;
    const double length = 2 + (histogram_.width() - 34) * static_cast<double>(count) / most;
    painter.fillRect(QRectF(histogram_.left() + 2, y, length, 4), errorQColor((b + 0.5) / bins, 1));
  }
  painter.setPen(color::Quiet);
  painter.drawText(QRect(histogram_.right() - 32, top - 4, 32, 14), Qt::AlignRight, QString::number(session_.view.errorTop(), 'g', 3));
  painter.drawText(QRect(histogram_.right() - 32, top + 5 * bins - 11, 32, 14), Qt::AlignRight, "0");
}

double ErrorMap::curveTop() const {
  double top = 0.1;
  for (const SolvedFrame& frame : solution_->frames) {
    for (double v : {frame.rms_px, frame.holdout_rms_px}) top = v > top ? v : top;
  }
  return 1.15 * top;
}

QPolygonF ErrorMap::curve(double SolvedFrame::*value) const {
  QPolygonF line;
  const double top = curveTop();
  for (const SolvedFrame& frame : solution_->frames) {
    if (!std::isnan(frame.*value)) line.push_back({columnOf(frame.frame + 0.5), curves_.bottom() - 2 - (curves_.height() - 4) * (frame.*value) / top});
  }
  return line;
}

void ErrorMap::drawCurves(QPainter& painter) const {
  const SolutionPtr& solution = solution_;
  if (!solution) return;
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(color::Quiet, 1, Qt::DashLine));
  painter.drawPolyline(curve(&SolvedFrame::holdout_rms_px));
  painter.setPen(QPen(QColor(0xe9, 0xdf, 0xf2), 1.4));
  painter.drawPolyline(curve(&SolvedFrame::rms_px));
  painter.setPen(color::Quiet);
  painter.drawText(curves_.adjusted(4, 1, 0, 0), Qt::AlignLeft | Qt::AlignTop, tr("per frame: RMS, holdout (dashed)"));
  if (const SolvedFrame* now = solution->frameAt(session_.playback.frame())) {
    const QString value =
        now->placed && !std::isnan(now->rms_px) ? tr("frame %1: %2 px").arg(now->frame).arg(pxText(now->rms_px)) : tr("frame %1: no camera").arg(now->frame);
    painter.setPen(color::Text);
    painter.drawText(curves_.adjusted(0, 1, -5, 0), Qt::AlignRight | Qt::AlignTop, value);
  }
  painter.setRenderHint(QPainter::Antialiasing, false);
}

void ErrorMap::drawPlayhead(QPainter& painter) const {
  const double x = columnOf(session_.playback.frame() + 0.5);
  painter.setPen(QPen(color::Text, 1));
  painter.drawLine(QPointF(x, map_.top()), QPointF(x, curves_.bottom()));
  painter.setBrush(color::Text);
  painter.setPen(Qt::NoPen);
  painter.drawPolygon(QPolygonF({QPointF(x - 4, map_.top()), QPointF(x + 4, map_.top()), QPointF(x, map_.top() + 5)}));
}

}  // namespace dusky::desktop
