#pragma once
#include <QMouseEvent>
#include <vector>

#include "apps/desktop/model/selection.h"
#include "apps/desktop/paint/region_gesture.h"

namespace dusky::desktop {

/// Ends a gesture and selects what it means: the nearest thing for a click, everything inside for a box or a lasso. `nearest(place)` gives an
/// id or 0; `each(visit)` calls visit(id, place) for everything that is shown.
template <class Nearest, class Each>
void selectByGesture(RegionGesture& gesture, const QMouseEvent& event, Selection& selection, const Nearest& nearest, const Each& each) {
  gesture.move(event.position());
  const QPolygonF region = gesture.end();
  const bool click = region.isEmpty();
  std::vector<int> ids;
  if (click) {
    if (const int id = nearest(event.position())) ids.push_back(id);
  } else {
    each([&](int id, const QPointF& place) {
      if (region.containsPoint(place, Qt::OddEvenFill)) ids.push_back(id);
    });
  }
  // A second Shift+click on the same thing lets it go again.
  const Selection::Mode mode = selectionMode(event.modifiers());
  selection.pick(ids, click && mode == Selection::Mode::Add ? Selection::Mode::Toggle : mode);
}

}  // namespace dusky::desktop
