#include <QPaintEvent>
#include <QPainter>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/view_note.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/model/preferences.h"

namespace dusky::desktop {

void ErrorMap::paintEvent(QPaintEvent* event) {
  QPainter painter(this);
  const QRect where = event->rect();
  const bool below = where.bottom() > map_.bottom();  // pointing at another row touches nothing there
  painter.fillRect(map_, color::Night);
  painter.fillRect(curve_box_, color::Night);
  if (below) drawLane(painter);
  if (rows_.tracks.empty()) {
    painter.setPen(color::Quiet);
    painter.drawText(map_, Qt::AlignCenter,
                     session_.model.hasFootage() ? tr("Each track becomes a row here, each frame a column; what is wrong will glow.") : "");
  } else {
    drawCells(painter, where);
    drawGroups(painter, where);
  }
  painter.save();
  painter.setClipRect(QRect(map_.topLeft(), curve_box_.bottomRight()));
  drawLeftOut(painter);
  drawMissing(painter);
  if (other_) drawNote(painter, headingNote(), map_.topLeft() + QPoint(8, 24));
  if (below) drawCurves(painter);
  if (below) drawChecks(painter);
  drawPlayhead(painter);
  painter.restore();
  if (below) drawCurveNames(painter);
}

void ErrorMap::drawCells(QPainter& painter, const QRect& where) const {
  painter.save();
  painter.setClipRect(map_);
  painter.drawImage(map_.topLeft(), cells_);
  const double each = vertical_.size_px();
  if (each >= 3) {
    painter.setPen(QPen(color::Night, 1));
    for (int r = static_cast<int>(vertical_.first()); r <= std::min<double>(rowCount(), vertical_.first() + vertical_.shown()); ++r) {
      const double y = map_.top() + std::floor(vertical_.placeOf(r + 1)) - 0.5;
      painter.drawLine(QPointF(map_.left(), y), QPointF(map_.right(), y));
    }
  }
  drawPicked(painter, where);
  if (press_ && !scrubbing_ && (now_ - *press_).manhattanLength() >= 4) {
    painter.setPen(QPen(color::Lamp, 1, Qt::DashLine));
    painter.drawRect(QRectF(QPointF(map_.left(), press_->y()), QPointF(map_.right() - 1, now_.y())).normalized());
  }
  painter.restore();
}

void ErrorMap::drawPicked(QPainter& painter, const QRect& where) const {
  const int hovered = session_.selection.hovered();
  if (session_.selection.empty() && hovered == 0) return;
  const double each = vertical_.size_px();
  const QRect seen = where.intersected(map_);
  const auto rowNear = [this](double y) { return std::clamp(static_cast<int>(std::floor(vertical_.indexAt(y - map_.top()))), 0, rowCount()); };
  const int from = rowNear(seen.top() - 2), to = std::min(rowCount(), rowNear(seen.bottom() + 3) + 1);
  // Where many share a pixel, it is washed once.
  std::array<double, 2> washed = {-1, -1};
  for (int r = from; r < to; ++r) {
    const int id = trackAt(r);
    const bool selected = session_.selection.contains(id);
    if (!selected && id != hovered) continue;
    const QRectF row = rowBox(r);
    double& last = washed[selected ? 0 : 1];
    if (std::floor(row.top()) == last) continue;
    last = std::floor(row.top());
    QColor wash = selected ? color::Lamp : color::Text;
    painter.fillRect(QRectF(row.left(), row.top(), 5, std::max(2.0, each)), wash);
    wash.setAlpha(each < 2 ? 90 : 45);
    painter.fillRect(row, wash);
  }
}

/// A line between groups, and their names beside the map.
void ErrorMap::drawGroups(QPainter& painter, const QRect& where) const {
  painter.save();
  painter.setClipRect(QRect(QPoint(0, map_.top()), map_.bottomRight()));
  const int line = painter.fontMetrics().height();
  for (const RowGroup& group : rows_.groups) {
    const double top = map_.top() + vertical_.placeOf(group.first), bottom = map_.top() + vertical_.placeOf(group.first + group.count);
    if (bottom < map_.top() || top > map_.bottom()) continue;
    painter.setPen(QPen(color::Edge, 1));
    if (group.first > 0) painter.drawLine(QPointF(gutter_.isEmpty() ? map_.left() : gutter_.left(), top), QPointF(map_.right(), top));
    if (!gutter_.intersects(where)) continue;
    const QRectF room =
        QRectF(gutter_.left(), std::max<double>(top, map_.top()), gutter_.width(), std::min<double>(bottom, map_.bottom()) - std::max<double>(top, map_.top()));
    if (room.height() < line - 2) continue;
    painter.setPen(color::Text);
    painter.drawText(room, Qt::AlignLeft | Qt::AlignTop, painter.fontMetrics().elidedText(group.name, Qt::ElideRight, gutter_.width()));
    painter.setPen(color::Quiet);
    if (room.height() >= 2 * line) painter.drawText(room.adjusted(0, line, 0, 0), Qt::AlignLeft | Qt::AlignTop, QString::number(group.count));
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
    const QRectF column(left, map_.top(), right - left, curve_box_.bottom() - map_.top());
    QColor glow = errorQColor(0.8, 1);
    glow.setAlpha(70);
    painter.fillRect(column, glow);
    painter.fillRect(QRectF(left, curve_box_.bottom() - 4, right - left, 4), errorQColor(0.9, 1));
    const QString text = tr("no camera");
    if (painter.fontMetrics().horizontalAdvance(text) + 8 < column.width()) {
      painter.setPen(color::Text);
      painter.drawText(QRectF(left, curve_box_.top(), right - left, curve_box_.height() - 5), Qt::AlignCenter, text);
    }
    i = end;
  }
}

void ErrorMap::drawCurves(QPainter& painter) const {
  painter.setPen(color::Quiet);
  const QRect line = QRect(curve_box_.left(), curve_box_.top(), curve_box_.width(), 15).adjusted(4, 0, -5, 0);
  if (!curves_.missing.isEmpty()) return painter.drawText(curve_box_, Qt::AlignCenter, curves_.missing);
  if (curves_.main.empty()) return;
  const bool checks = !solution_ || curve_ == FrameCurve::Sharpness;
  const QString name = checks ? tr("sharpness, brightness (dashed)") : curve_ == FrameCurve::Errors ? tr("RMS, holdout (dashed)") : nameOf(curve_);
  painter.drawText(line, Qt::AlignLeft | Qt::AlignTop,
                   curves_.bend > 0 ? tr("%1 · to %2, logarithmic").arg(name, curves_.top_text) : tr("%1 · to %2").arg(name, curves_.top_text));
  const int frame = session_.playback.frame();
  const QString value = valueOf(session_, checks ? FrameCurve::Sharpness : curve_, frame);
  const SolvedFrame* now = solution_ ? solution_->frameAt(frame) : nullptr;
  painter.setPen(color::Text);
  painter.drawText(line, Qt::AlignRight | Qt::AlignTop,
                   now && !now->placed ? tr("frame %1: no camera").arg(frame)
                   : value.isEmpty()   ? QString()
                                       : tr("frame %1: %2").arg(frame).arg(value));
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setBrush(Qt::NoBrush);
  const QRect room = curveRoom();
  const auto draw = [&](const std::vector<CurveSet::Point>& points, const QPen& pen) {
    painter.setPen(pen);
    QPolygonF run;
    for (const CurveSet::Point& p : points) {
      if (!std::isnan(p.value)) run.push_back({columnOf(p.frame + 0.5), room.bottom() - room.height() * curves_.heightOf(p.value)});
    }
    painter.drawPolyline(run);
  };
  draw(curves_.second, QPen(color::Quiet, 1, Qt::DashLine));
  draw(curves_.main, QPen(QColor(0xe9, 0xdf, 0xf2), 1.4));
  painter.setRenderHint(QPainter::Antialiasing, false);
}

/// What the curve may be, with its value in the frame shown.
void ErrorMap::drawCurveNames(QPainter& painter) const {
  if (!session_.model.hasFootage()) return;
  QFont small = font();
  small.setPixelSize(small.pixelSize() - 1);
  painter.setFont(small);
  for (int i = 0; i < kFrameCurves; ++i) {
    const auto curve = static_cast<FrameCurve>(i);
    const QRect box = curveName(curve);
    if (curve == curve_) painter.fillRect(box, color::Raised);
    const QRect inner = box.adjusted(4, 0, -4, 0);
    painter.setPen(curve == curve_ ? color::Text : color::Quiet);
    painter.drawText(inner, Qt::AlignLeft | Qt::AlignVCenter, nameOf(curve));
    painter.drawText(inner, Qt::AlignRight | Qt::AlignVCenter, valueOf(session_, curve, session_.playback.frame()));
  }
  painter.setFont(font());
}

void ErrorMap::drawPlayhead(QPainter& painter) const {
  const double x = columnOf(session_.playback.frame() + 0.5);
  painter.setPen(QPen(color::Text, 1));
  painter.drawLine(QPointF(x, map_.top()), QPointF(x, curve_box_.bottom()));
  painter.setBrush(color::Text);
  painter.setPen(Qt::NoPen);
  painter.drawPolygon(QPolygonF({QPointF(x - 4, map_.top()), QPointF(x + 4, map_.top()), QPointF(x, map_.top() + 5)}));
}

}  // namespace dusky::desktop
