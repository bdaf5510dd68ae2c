#include "apps/desktop/plate/region_tool.h"

#include "core/lens/lens.h"
#include "core/project/edits.h"

namespace dusky::desktop {

bool RegionTool::press(const PlatePlace&, const QPointF& at, Qt::KeyboardModifiers) {
  gesture_.begin(at, tool_ == ViewSettings::Tool::DenseRegion ? ViewSettings::Tool::Box : ViewSettings::Tool::Lasso);
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
  if (tool_ == ViewSettings::Tool::DenseRegion) return keepDenseIn(place, drawn);
  tool_ == ViewSettings::Tool::Region ? trackIn(place, std::move(outline)) : pruneIn(place, std::move(outline));
}

/// A box along the scene's axes round the dense points that are seen inside, but for the few that lie far from the others.
void RegionTool::keepDenseIn(const PlatePlace& place, const QPolygonF& drawn) {
  const SolutionPtr solution = session_.model.solution();
  const SolvedFrame* frame = solution ? solution->frameAt(place.frame) : nullptr;
  const auto& points = session_.dense.points();
  if (!frame || !frame->placed || !points || !session_.model.scene()) return;
  const Pose pose = session_.model.scene()->scene_from_solve * frame->pose;
  const Lens lens = solution->lensAt(*frame);
  const QRectF bounds = drawn.boundingRect();
  constexpr std::size_t kSample = 400'000;
  std::array<std::vector<double>, 3> along;
  const auto take = [&](const DenseVertex& p) {
    const Vec3 at(static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z));
    const auto seen = project(lens, pose, at);
    if (!seen || !bounds.contains(place.toWidget(*seen))) return;
    for (int axis = 0; axis < 3; ++axis) along[static_cast<std::size_t>(axis)].push_back(at[axis]);
  };
  for (const auto* some : {&points->kept, &points->going}) {
    for (std::size_t k = 0; k < std::min(kSample, some->size()); ++k) take((*some)[k]);
  }
  if (along[0].size() < 20) return;
  RegionBox box;
  for (int axis = 0; axis < 3; ++axis) {
    std::vector<double>& values = along[static_cast<std::size_t>(axis)];
    std::sort(values.begin(), values.end());
    const std::size_t cut = values.size() / 100;
    const double low = values[cut], high = values[values.size() - 1 - cut], room = 0.03 * (high - low);
    box.low[axis] = low - room, box.high[axis] = high + room;
  }
  DenseSettings settings = session_.model.document().dense;
  settings.clean.region = box;
  session_.model.set("Region of dense points", &Document::dense, settings);
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
