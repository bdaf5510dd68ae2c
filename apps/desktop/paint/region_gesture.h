#pragma once
#include <QPainter>
#include <QPolygonF>

#include "apps/desktop/model/view_settings.h"

namespace dusky::desktop {

/// A box, a lasso or a brush's stroke being drawn with the mouse; a click when it stays small, but for the brush, which dabs.
class RegionGesture {
 public:
  void begin(const QPointF& at, ViewSettings::Tool tool);
  void beginStroke(const QPointF& at, double radius);
  void move(const QPointF& at);
  /// Ends it; the region, or an empty polygon for a click; of a brush the way of its middle.
  QPolygonF end();
  void cancel() { active_ = false; }
  bool active() const { return active_; }
  bool isClick() const;
  /// What is drawn so far; empty for a click.
  QPolygonF region() const { return active_ && !isClick() ? outline() : QPolygonF(); }
  void draw(QPainter& painter) const;

 private:
  QPolygonF outline() const;

  bool active_ = false;
  ViewSettings::Tool tool_ = ViewSettings::Tool::Box;
  double brush_ = 0;  ///< Its radius; 0: it is none.
  QPolygonF path_;
};

}  // namespace dusky::desktop
