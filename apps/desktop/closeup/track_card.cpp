#include "apps/desktop/closeup/track_card.h"

#include <algorithm>
#include <cmath>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_state.h"

namespace dusky::desktop {

std::vector<int> tellingFrames(const Track& track, const SolvedTrack* solved, int most) {
  const auto& seen = track.observations;
  std::vector<int> frames;
  const int count = std::min(most - (solved ? 1 : 0), static_cast<int>(seen.size()));
  for (int i = 0; i < count; ++i) {
    const std::size_t at = count == 1 ? 0 : static_cast<std::size_t>(std::lround(static_cast<double>(i) * static_cast<double>(seen.size() - 1) / (count - 1)));
    frames.push_back(seen[at].frame);
  }
  if (solved && track.at(solved->worst_frame)) frames.push_back(solved->worst_frame);
  std::sort(frames.begin(), frames.end());
  frames.erase(std::unique(frames.begin(), frames.end()), frames.end());
  return frames;
}

TrackResiduals residualsOf(const Track& track, const SolvedTrack* solved) {
  TrackResiduals all;
  if (!solved) return all;
  for (const TrackError& e : solved->errors) {
    const Observation* seen = track.at(e.frame);
    if (!seen || std::isnan(e.error_px)) continue;
    all.samples.push_back({e.frame, e.reprojected - seen->position, e.used});
    all.most_px = std::max(all.most_px, all.samples.back().error.cwiseAbs().maxCoeff());
  }
  return all;
}

void drawResiduals(QPainter& painter, const QRect& area, const TrackResiduals& residuals, double top_px, const std::function<double(double)>& xOf) {
  const QRect room = area.adjusted(0, 18, 0, -2);
  const double middle = room.center().y(), scale = room.height() / 2.0 / top_px;
  painter.setPen(QPen(color::Edge, 1));
  painter.drawLine(QPointF(area.left(), middle), QPointF(area.right(), middle));
  QPolygonF x, y;
  for (const auto& s : residuals.samples) {
    x << QPointF(xOf(s.frame + 0.5), middle + scale * s.error.x());
    y << QPointF(xOf(s.frame + 0.5), middle + scale * s.error.y());
  }
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(color::Quiet, 1, Qt::DashLine));
  painter.drawPolyline(y);
  painter.setPen(QPen(QColor(0xe9, 0xdf, 0xf2), 1.4));
  painter.drawPolyline(x);
  // What the solve leaves out of a track is marked.
  painter.setPen(QPen(color::Quiet, 1));
  for (const auto& s : residuals.samples) {
    if (!s.used) painter.drawLine(QPointF(xOf(s.frame + 0.5) - 2, room.bottom()), QPointF(xOf(s.frame + 0.5) + 2, room.bottom() - 4));
  }
  painter.setPen(color::Quiet);
  painter.drawText(area.adjusted(5, 1, -5, 0), Qt::AlignLeft | Qt::AlignTop, QObject::tr("error in x, y (dashed) · ± %1 px").arg(pxText(top_px)));
}

}  // namespace dusky::desktop
