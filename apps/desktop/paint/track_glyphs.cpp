#include "apps/desktop/paint/track_glyphs.h"

namespace dusky::desktop {

Glyph glyphOf(const SolvedTrack* track) {
  if (!track || track->state == TrackState::Unplaced) return Glyph::Unplaced;
  if (track->state == TrackState::SetAside) return Glyph::SetAside;
  return track->holdout ? Glyph::Holdout : Glyph::Kept;
}

const char* glyphName(Glyph glyph) {
  switch (glyph) {
    case Glyph::Kept: return "kept";
    case Glyph::Unplaced: return "unplaced";
    case Glyph::SetAside: return "set aside";
    case Glyph::Holdout: return "holdout";
    case Glyph::Going: return "would go";
  }
  return "";
}

void drawGlyph(QPainter& painter, const QPointF& at, Glyph glyph, bool pinned, const QColor& color, double size) {
  const double r = size / 2;
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(color, 1.3));
  switch (glyph) {
    case Glyph::Kept:
      painter.setPen(Qt::NoPen);
      painter.setBrush(color);
      painter.drawEllipse(at, r * 0.8, r * 0.8);
      break;
    case Glyph::Unplaced: painter.drawEllipse(at, r, r); break;
    case Glyph::SetAside: {
      QPen dashed(color, 1.4);
      dashed.setDashPattern({1.6, 1.2});
      painter.setPen(dashed);
      painter.drawLine(at + QPointF(-r * 1.1, r * 1.1), at + QPointF(r * 1.1, -r * 1.1));
      break;
    }
    case Glyph::Going:
      painter.setPen(QPen(color, 1.8, Qt::SolidLine, Qt::RoundCap));
      painter.drawLine(at + QPointF(-r * 1.1, r * 1.1), at + QPointF(r * 1.1, -r * 1.1));
      break;
    case Glyph::Holdout:
      painter.drawEllipse(at, r, r);
      painter.setPen(Qt::NoPen);
      painter.setBrush(color);
      painter.drawPie(QRectF(at.x() - r, at.y() - r, 2 * r, 2 * r), 90 * 16, 180 * 16);
      break;
  }
  if (!pinned) return;
  const double w = r + 3, tick = 2.5;
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(color, 1.3));
  for (double side : {-1.0, 1.0}) {
    const QPointF corner(side * w, w), inward(-side * tick, 0);
    painter.drawPolyline(QPolygonF({at + corner + inward, at + corner, at + QPointF(side * w, -w), at + QPointF(side * w, -w) + inward}));
  }
}

}  // namespace dusky::desktop
