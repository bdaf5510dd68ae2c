#include "apps/desktop/plate/region_tool.h"

#include "core/project/edits.h"

namespace dusky::desktop {

bool RegionTool::press(const PlatePlace&, const QPointF& at, Qt::KeyboardModifiers) {
  gesture_.begin(at, ViewSettings::Tool::Lasso);
  return true;
}

void RegionTool::drag(const PlatePlace&, const QPointF& at, Qt::KeyboardModifiers) { gesture_.move(at); }

void RegionTool::release(const PlatePlace& place, const QPointF& at, Qt::KeyboardModifiers) {
  gesture_.move(at);
  const QPolygonF drawn = gesture_.end();
  if (drawn.isEmpty()) return;
  ExtraRun run;
  for (const QPointF& p : drawn) run.region.push_back(place.toPicture(p));
  const int reach = session_.view.regionFrames();
  if (reach > 0) {
    run.first_frame = std::max(session_.model.firstFrame(), place.frame - reach);
    run.last_frame = std::min(session_.model.lastFrame(), place.frame + reach);
  }
  session_.view.setTool(ViewSettings::Tool::Box);
  session_.model.run(addRun(session_.model.document(), std::move(run)));
  session_.jobs.runTracks();
}

}  // namespace dusky::desktop
