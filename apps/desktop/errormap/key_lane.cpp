#include <QPainter>
#include <algorithm>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/errormap/error_map.h"
#include "core/mask/mask_keys.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

constexpr double kGrip_px = 6;

}  // namespace

std::vector<int> ErrorMap::laneKeys() const {
  std::vector<int> frames;
  if (const HandTrack* track = session_.chosenHand()) {
    for (const HandPoint& p : track->points) {
      if (p.keyed) frames.push_back(p.frame);
    }
  } else if (const Mask* mask = session_.chosenMask()) {
    for (const MaskKey& key : mask->keys) frames.push_back(key.frame);
  } else if (session_.dense.watched() && session_.model.solution()) {
    frames = session_.dense.plannedKeyframes();
  }
  return frames;
}

std::optional<int> ErrorMap::laneKeyAt(const QPointF& at) const {
  if (lane_.isEmpty() || !QRectF(lane_).contains(at)) return std::nullopt;
  std::optional<int> nearest;
  double least = kGrip_px;
  for (const int frame : laneKeys()) {
    const double distance = std::abs(keyPlace(frame).x() - at.x());
    if (distance <= least) least = distance, nearest = frame;
  }
  return nearest;
}

void ErrorMap::moveLaneKey(int from, int to) {
  if (const HandTrack* track = session_.chosenHand()) {
    HandTrack changed = *track;
    const HandPoint point = *changed.at(from);
    changed.remove(from, from);
    changed.putKey(to, point.position);
    session_.model.run(changeHandTrack("Move key", session_.model.document(), std::move(changed)));
  } else if (const Mask* mask = session_.chosenMask()) {
    Mask changed = *mask;
    if (moveKey(changed, from, to)) session_.model.run(changeMask("Move mask key", session_.model.document(), std::move(changed)));
  } else if (session_.dense.watched()) {
    session_.dense.moveKeyframe(from, to);
  }
}

void ErrorMap::refreshLane() {
  if (laneKeys().empty() != lane_.isEmpty()) layOut();
  update();
}

void ErrorMap::drawLane(QPainter& painter) const {
  if (lane_.isEmpty()) return;
  painter.fillRect(lane_, color::Raised);
  painter.setPen(color::Quiet);
  const HandTrack* track = session_.chosenHand();
  const Mask* mask = session_.chosenMask();
  const QString name = track || mask ? tr("keys of %1").arg(QString::fromStdString(track ? track->name : mask->name)) : tr("keyframes");
  painter.drawText(lane_name_, Qt::AlignLeft | Qt::AlignVCenter, painter.fontMetrics().elidedText(name, Qt::ElideRight, lane_name_.width()));
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(color::Night, 1));
  for (const int frame : laneKeys()) {
    const QPointF at = keyPlace(held_key_ && frame == *held_key_ ? held_to_ : frame);
    painter.setBrush(frame == session_.playback.frame() || (held_key_ && frame == *held_key_) ? color::Lamp : color::Text);
    // An upright tab: a place in time, not a state of a track.
    painter.drawRoundedRect(QRectF(at.x() - 2.5, lane_.top() + 2, 5, lane_.height() - 4), 2, 2);
  }
  painter.setRenderHint(QPainter::Antialiasing, false);
}

/// Frames that are not looked at are hatched through map and curves.
void ErrorMap::drawLeftOut(QPainter& painter) const {
  const FootageSettings& footage = session_.model.document().footage;
  QBrush hatch(QColor(169, 157, 182, 90), Qt::BDiagPattern);
  for (const int frame : footage.left_out) {
    if (frame < session_.model.firstFrame() || frame > session_.model.lastFrame()) continue;
    painter.fillRect(QRectF(QPointF(columnOf(frame), map_.top()), QPointF(columnOf(frame + 1), curve_box_.bottom())), hatch);
  }
}

/// What the frame check found, as marks.
void ErrorMap::drawChecks(QPainter& painter) const {
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(Qt::NoPen);
  painter.setBrush(errorQColor(0.8, 1));
  for (const CheckedFrame& frame : session_.jobs.checked()) {
    if (frame.fault == FrameFault::None) continue;
    const double x = columnOf(frame.frame + 0.5);
    painter.drawPolygon(QPolygonF({QPointF(x - 4, curve_box_.bottom()), QPointF(x + 4, curve_box_.bottom()), QPointF(x, curve_box_.bottom() - 8)}));
  }
  painter.setRenderHint(QPainter::Antialiasing, false);
}

}  // namespace dusky::desktop
