#pragma once
#include <QPainter>
#include <QPointF>

#include "core/geometry/pose.h"

namespace dusky::desktop {

/// How the Plate lies on the screen now.
struct PlatePlace {
  QPointF offset;
  double scale = 1;  ///< Screen px to a px of the footage.
  int frame = 0;     ///< Of the picture on the screen.

  QPointF toWidget(const Vec2& p) const { return offset + scale * QPointF(p.x(), p.y()); }
  Vec2 toPicture(const QPointF& p) const { return {(p.x() - offset.x()) / scale, (p.y() - offset.y()) / scale}; }
};

/// What the mouse does on the Plate besides selecting: drawing masks, placing tracks, marking regions. The Plate asks the tool that is
/// chosen first; what it does not take is selection as ever.
class PlateTool {
 public:
  virtual ~PlateTool() = default;
  /// Whether it is the chosen one.
  virtual bool active() const = 0;
  /// The left button goes down; true when the tool takes it (and everything up to the release).
  virtual bool press(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) = 0;
  virtual void drag(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) = 0;
  virtual void release(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers keys) = 0;
  virtual bool doubleClick(const PlatePlace&, const QPointF&) { return false; }
  /// The pointer over a place, nothing pressed.
  virtual Qt::CursorShape cursorAt(const PlatePlace&, const QPointF&) const { return Qt::CrossCursor; }
  /// Gives up what is half done.
  virtual void cancel() {}
  virtual void draw(QPainter& painter, const PlatePlace& place) const = 0;
  /// What to do next, for the foot of the Plate; empty: nothing to say.
  virtual QString hint() const { return {}; }
};

}  // namespace dusky::desktop
