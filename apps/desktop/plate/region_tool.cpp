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
  std::vector<Vec2> outline;
  for (const QPointF& p : drawn) outline.push_back(place.toPicture(p));
  session_.view.setTool(ViewSettings::Tool::Box);
  tool_ == ViewSettings::Tool::Region ? trackIn(place, std::move(outline)) : pruneIn(place, std::move(outline));
}

void RegionTool::trackIn(const PlatePlace& place, std::vector<Vec2> outline) {
  ExtraRun run;
  run.region = std::move(outline);
  const int reach = session_.view.regionFrames();
  if (reach > 0) {
    run.first_frame = std::max(session_.model.firstFrame(), place.frame - reach);
    run.last_frame = std::min(session_.model.lastFrame(), place.frame + reach);
  }
  session_.model.run(addRun(session_.model.document(), std::move(run)));
  session_.jobs.runTracks();
}

void RegionTool::pruneIn(const PlatePlace& place, std::vector<Vec2> outline) {
  PruneRules rules = session_.model.document().prune;
  rules.regions.push_back({place.frame, std::move(outline)});
  session_.model.set("Draw pruning region", &Document::prune, rules);
}

}  // namespace dusky::desktop
