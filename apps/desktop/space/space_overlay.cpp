#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/paint/view_note.h"
#include "apps/desktop/space/axis_rulers.h"
#include "apps/desktop/space/space_view.h"
#include "core/base/numbers.h"

namespace dusky::desktop {

void SpaceView::drawOverlay(QPainter& painter) const {
  painter.setRenderHint(QPainter::Antialiasing);
  if (contents_.points.empty()) {
    painter.setPen(color::Quiet);
    painter.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap,
                     !session_.model.hasFootage() ? ""
                     : session_.model.solution()  ? tr("Nothing is shown: the tracks of this solve are hidden.")
                                                  : tr("Points and camera appear here\nonce these tracks are solved."));
    return gesture_.draw(painter);
  }
  if (eye_.mode == Eye::Mode::Camera) drawFilmGate(painter);
  if (eye_.mode != Eye::Mode::Camera) drawTimes(painter);
  const SceneSight seen = sight();
  for (const auto& [name, place] : contents_.labels) {
    if (const auto at = seen.see(place)) drawNote(painter, name, (*at + QPointF(4, -4)).toPoint());
  }
  scene_tool_.draw(painter, seen);
  if (!cutting()) region_handles_.draw(painter, seen);
  if (const auto at = placeOf(session_.selection.hovered())) {
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(session_.selection.contains(session_.selection.hovered()) ? color::Lamp : color::Text, 1.4));
    painter.drawEllipse(*at, 7, 7);
  }
  gesture_.draw(painter);
  if (eye_.alongAxis() && session_.model.scene()) drawAxisRulers(painter, eye_, size(), *session_.model.scene());
  drawNotes(painter);
  drawMeasured(painter);
  if (cutting() || measuring()) return drawDenseNotes(painter);
  drawDepth(painter);
}

/// What colours mean, and how much ellipsoids are enlarged.
void SpaceView::drawNotes(QPainter& painter) const {
  const QPoint corner = eye_.alongAxis() ? QPoint(kRulerLeft + 8, height() - kRulerFoot - 8) : QPoint(8, height() - 8);
  QStringList notes;
  if (!contents_.scale.isEmpty()) notes << contents_.scale;
  if (!marked_now_.ellipsoids.empty())
    notes << (marked_now_.enlarged > 1 ? tr("ellipsoids: one standard deviation × %1").arg(marked_now_.enlarged, 0, 'f', 0)
                                       : tr("ellipsoids: one standard deviation"));
  if (!notes.isEmpty()) drawNote(painter, notes.join(" · "), corner);
}

/// Which points the region being drawn takes, and how deep it reaches.
void SpaceView::drawDepth(QPainter& painter) const {
  const QPolygonF region = gesture_.region();
  if (region.isEmpty() || !session_.model.scene()) return;
  const RegionPick pick = pickIn(region);
  painter.setPen(Qt::NoPen);
  painter.setBrush(color::Lamp);
  for (const auto& [track, at] : pick.taken) painter.drawEllipse(at, 2.2, 2.2);
  const QString deep = depth_share_ < 1 ? tr("%1 of %2 points · to %3 behind the nearest")
                                              .arg(pick.taken.size())
                                              .arg(pick.inside)
                                              .arg(sceneLengthText(*session_.model.scene(), pick.depth, 2))
                                        : tr("%1 points").arg(pick.inside);
  drawNote(painter, tr("%1 · wheel: how deep").arg(deep), {eye_.alongAxis() ? kRulerLeft + 8 : 8, 30});
}

/// Frame numbers along the camera's path, where they do not lie on each other.
void SpaceView::drawTimes(QPainter& painter) const {
  const SolutionPtr solution = session_.model.solution();
  const auto& scene = session_.model.scene();
  if (!solution || !scene || solution->frames.empty()) return;
  constexpr int kMost = 8;
  constexpr double kApart_px = 34;
  const int step = std::max(1, static_cast<int>(roundTo125(static_cast<double>(solution->frames.size()) / kMost)));
  const SceneSight seen = sight();
  std::vector<QPointF> taken;
  painter.setFont(font());
  for (const SolvedFrame& frame : solution->frames) {
    if (!frame.placed || frame.frame % step != 0) continue;
    const auto at = seen.see(scene->scene_from_solve * frame.pose.centre);
    if (!at || std::any_of(taken.begin(), taken.end(), [&](const QPointF& t) { return (t - *at).manhattanLength() < kApart_px; })) continue;
    taken.push_back(*at);
    painter.setPen(color::Quiet);
    painter.drawText(*at + QPointF(5, 13), QString::number(frame.frame));
  }
}

/// What of the view is the footage's picture.
void SpaceView::drawFilmGate(QPainter& painter) const {
  if (!session_.model.solution()) return;
  const Lens lens = session_.model.solution()->lensIn(session_.playback.frame());
  const double scale = std::min(static_cast<double>(width()) / lens.width, static_cast<double>(height()) / lens.height);
  const QSizeF size(scale * lens.width, scale * lens.height);
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(color::Edge, 1));
  painter.drawRect(QRectF(QPointF((width() - size.width()) / 2, (height() - size.height()) / 2), size));
}

}  // namespace dusky::desktop
