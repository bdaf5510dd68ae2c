#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/view_note.h"
#include "apps/desktop/plate/plate_view.h"

namespace dusky::desktop {

void PlateView::drawNotes(QPainter& painter) const {
  const auto note = [&](const QString& text) { drawNote(painter, text, {8, height() - 8}); };
  if (!failure_.isEmpty())
    note(failure_);
  else if (picture_.isNull())
    note(tr("reading frame %1 …").arg(session_.playback.frame()));
  else if (const PlateTool* chosen = tool(); chosen && !chosen->hint().isEmpty())
    note(chosen->hint());
  else if (session_.view.straight())
    note(straight_                   ? tr("without the lens’s distortion")
         : session_.model.solution() ? tr("the solved lens folds inside the picture: shown as it is")
                                     : tr("no lens yet: solve the shot first"));
  else if (session_.view.depthShown())
    note(depthNote());
  else if (session_.view.fieldShown())
    note(fieldNote());
  else if (session_.view.candidatesShown() && session_.candidates.frame() == picture_frame_)
    note(tr("%1 features would be followed from this frame").arg(session_.candidates.features().size()));
}

/// Those of the pruning rules that were drawn in this frame, while the pruning is looked at.
void PlateView::drawPruneRegions(QPainter& painter) const {
  if (!session_.prune.watched()) return;
  for (const PruneRegion& region : session_.model.document().prune.regions) {
    if (region.frame != picture_frame_) continue;
    QPolygonF outline;
    for (const Vec2& p : region.outline) outline << toWidget(asShown(p));
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(color::Text, 1.2, Qt::DashLine));
    painter.drawPolygon(outline);
  }
}

/// A small diamond for each, larger for coarser ones: not a state of a track, for there is none yet.
void PlateView::drawCandidates(QPainter& painter) const {
  if (!session_.view.candidatesShown() || session_.candidates.frame() != picture_frame_) return;
  painter.setBrush(Qt::NoBrush);
  for (const Feature& feature : session_.candidates.features()) {
    const double half = feature.size == FeatureSize::Fine ? 3 : feature.size == FeatureSize::Medium ? 4 : 6;
    const QPointF at = toWidget(asShown(feature.position));
    const QPolygonF diamond({at + QPointF(0, -half), at + QPointF(half, 0), at + QPointF(0, half), at + QPointF(-half, 0)});
    painter.setPen(QPen(QColor(12, 8, 16, 190), 2.6));
    painter.drawPolygon(diamond);
    painter.setPen(QPen(QColor(0xe2, 0xd8, 0xec), 1.1));
    painter.drawPolygon(diamond);
  }
}

}  // namespace dusky::desktop
