#include "apps/desktop/plate/hand_tool.h"

#include <algorithm>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "core/project/edits.h"

namespace dusky::desktop {
namespace {

constexpr double kGrip_px = 8;  // of the screen

QRectF square(const QPointF& middle, double half) { return {middle.x() - half, middle.y() - half, 2 * half, 2 * half}; }

bool atCorner(const QRectF& box, const QPointF& at) {
  for (const QPointF& corner : {box.topLeft(), box.topRight(), box.bottomLeft(), box.bottomRight()}) {
    if ((corner - at).manhattanLength() < kGrip_px) return true;
  }
  return false;
}

}  // namespace

const HandTrack* HandTool::chosen() const { return working_ ? &*working_ : session_.chosenHand(); }

HandTool::Grip HandTool::gripAt(const PlatePlace& place, const QPointF& at) const {
  const HandTrack* track = chosen();
  const HandPoint* point = track ? track->at(place.frame) : nullptr;
  if (!point) return Grip::None;
  const QPointF middle = place.toWidget(point->position);
  if ((middle - at).manhattanLength() < kGrip_px) return Grip::Point;
  if (atCorner(square(middle, track->pattern_px * place.scale), at)) return Grip::Pattern;
  if (atCorner(square(middle, (track->search_px + track->pattern_px) * place.scale), at)) return Grip::Search;
  return Grip::None;
}

int HandTool::trackAt(const PlatePlace& place, const QPointF& at) const {
  for (const HandTrack& track : session_.model.document().work.by_hand) {
    const HandPoint* point = track.at(place.frame);
    if (point && (place.toWidget(point->position) - at).manhattanLength() < kGrip_px) return track.id;
  }
  return 0;
}

bool HandTool::press(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers) {
  pressed_ = at;
  grip_ = gripAt(place, at);
  if (grip_ != Grip::None) return true;
  if (const int id = trackAt(place, at)) {
    session_.selection.pick({id}, Selection::Mode::Replace);
    grip_ = Grip::Point;
    return true;
  }
  grip_ = Grip::New;
  return true;
}

void HandTool::drag(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers) {
  if (grip_ == Grip::None || grip_ == Grip::New || (!working_ && (at - pressed_).manhattanLength() < 3)) return;
  if (!working_) {
    if (!chosen()) return;
    working_ = *chosen();
  }
  const HandPoint* point = working_->at(place.frame);
  if (grip_ == Grip::Point) return working_->putKey(place.frame, place.toPicture(at));
  if (!point) return;
  const Vec2 away = (place.toPicture(at) - point->position).cwiseAbs();
  const int half = static_cast<int>(std::lround(away.maxCoeff()));
  if (grip_ == Grip::Pattern) working_->pattern_px = std::clamp(half, 4, 30);
  if (grip_ == Grip::Search) working_->search_px = std::clamp(half - working_->pattern_px, 4, 200);
}

void HandTool::release(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) {
  const bool snap = !(keys & Qt::ShiftModifier);
  const Grip grip = std::exchange(grip_, Grip::None);
  if (grip == Grip::New) {
    session_.jobs.placeByHand({.frame = place.frame, .place = place.toPicture(at), .snap = snap});
  } else if (working_) {
    HandTrack changed = *working_;
    working_.reset();
    if (grip == Grip::Point)
      session_.jobs.placeByHand({.track = changed.id, .frame = place.frame, .place = place.toPicture(at), .snap = snap});
    else
      session_.model.run(changeHandTrack(grip == Grip::Pattern ? "Change pattern" : "Change search area", session_.model.document(), std::move(changed)));
  }
}

Qt::CursorShape HandTool::cursorAt(const PlatePlace& place, const QPointF& at) const {
  switch (gripAt(place, at)) {
    case Grip::Point: return Qt::SizeAllCursor;
    case Grip::Pattern:
    case Grip::Search: return Qt::SizeFDiagCursor;
    default: return trackAt(place, at) ? Qt::PointingHandCursor : Qt::CrossCursor;
  }
}

QString HandTool::hint() const {
  return chosen() ? QObject::tr("Drag the point: a key in this frame (Shift: exactly there). Alt+arrows: 0.1 px, with Shift 1 px.")
                  : QObject::tr("Click where a track should begin (Shift: exactly there).");
}

void HandTool::draw(QPainter& painter, const PlatePlace& place) const {
  const HandTrack* track = chosen();
  const HandPoint* point = track ? track->at(place.frame) : nullptr;
  if (!point) return;
  const QPointF middle = place.toWidget(point->position);
  const QRectF pattern = square(middle, track->pattern_px * place.scale), search = square(middle, (track->search_px + track->pattern_px) * place.scale);
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(QColor(12, 8, 16, 170), 3));
  painter.drawRect(pattern);
  painter.setPen(QPen(color::Lamp, 1.4));
  painter.drawRect(pattern);
  painter.setPen(QPen(color::Lamp, 1, Qt::DotLine));
  painter.drawRect(search);
  painter.setPen(QPen(color::Lamp, 1));
  painter.drawText(search.topLeft() + QPointF(2, -4), QString::fromStdString(track->name) + (point->keyed ? QObject::tr(" · key") : ""));
}

}  // namespace dusky::desktop
