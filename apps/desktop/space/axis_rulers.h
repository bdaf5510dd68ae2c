#pragma once
#include <QPainter>

#include "apps/desktop/space/eye.h"
#include "core/scene/scene.h"

namespace dusky::desktop {

constexpr int kRulerLeft = 46, kRulerFoot = 20;  ///< Px that the rulers take.

/// What a ruler measures: which axis of the scene it runs along, and the value where the view begins and of one px on from there.
struct AxisMeasure {
  int axis = 0;
  double from = 0, per_px = 1;

  /// Along a direction of the screen that runs along an axis of the scene, in a view of this length with `middle` in its middle.
  static AxisMeasure along(const QVector3D& direction, const QVector3D& middle, double units_per_px, double length_px);
  double at(double px) const { return from + px * per_px; }
  double placeOf(double value) const { return (value - from) / per_px; }
};

/// Rulers at the left and the foot of a view that looks along an axis, in scene coordinates: metres in the chosen unit, else units.
void drawAxisRulers(QPainter& painter, const Eye& eye, const QSize& size, const SceneFrame& scene);

}  // namespace dusky::desktop
