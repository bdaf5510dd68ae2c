#include "apps/desktop/plate/plate_marks.h"

#include <algorithm>

#include "core/scene/set_outline.h"

namespace dusky::desktop {
namespace {

constexpr int kPath = 8;  // frames each way

QPointF point(const Vec2& p) { return {p.x(), p.y()}; }

std::vector<QPointF> pathOf(const Track& track, int first, int last) {
  std::vector<QPointF> path;
  const auto& seen = track.observations;
  auto at = std::lower_bound(seen.begin(), seen.end(), first, [](const Observation& o, int frame) { return o.frame < frame; });
  for (; at != seen.end() && at->frame <= last; ++at) path.push_back(point(at->position));
  return path;
}

QPolygonF polygon(const auto& points) {
  QPolygonF shape;
  for (const Vec2& p : points) shape.push_back(point(p));
  return shape;
}
}  // namespace

std::optional<SceneCamera> cameraAt(const DocumentModel& model, int frame) {
  return model.solution() && model.scene() ? cameraIn(*model.solution(), *model.scene(), frame) : std::nullopt;
}

bool sameView(const SceneCamera& a, const SceneCamera& b) {
  return a.pose.centre == b.pose.centre && a.pose.world_from_camera.coeffs() == b.pose.world_from_camera.coeffs() && a.lens == b.lens;
}

std::vector<PlateMark> plateMarks(const DocumentModel& model, int frame, bool paths) {
  std::vector<PlateMark> marks;
  const TrackSetPtr tracks = model.tracks();
  const SolutionPtr solution = model.solution();
  if (!tracks) return marks;
  const auto& pinned = model.document().picks.pinned;
  for (const Track& track : tracks->tracks) {
    const Observation* o = track.at(frame);
    if (!o) continue;
    const SolvedTrack* solved = solution ? solution->find(track.id) : nullptr;
    PlateMark mark{.id = track.id,
                   .glyph = glyphNow(model, track.id, solved),
                   .pinned = std::binary_search(pinned.begin(), pinned.end(), track.id),
                   .measured = point(o->position),
                   .reprojected = point(o->position)};
    if (const TrackError* e = solved ? errorAt(*solved, frame) : nullptr; e && !std::isnan(e->error_px)) {
      mark.reprojected = point(e->reprojected);
      mark.error_px = e->error_px;
      mark.used = e->used;
    }
    if (paths || !solution) mark.before = pathOf(track, frame - kPath, frame);
    if (paths) mark.after = pathOf(track, frame, frame + kPath);
    marks.push_back(std::move(mark));
  }
  return marks;
}

PlateObjects plateObjects(const DocumentModel& model, const std::vector<TestObject>& objects, int frame) {
  PlateObjects shown;
  const auto camera = cameraAt(model, frame);
  if (!camera) return shown;
  for (const auto& shadow : shadowsSeen(*camera, objects, *model.solution(), *model.scene())) shown.shadows.push_back(polygon(shadow));
  for (const SeenFace& face : facesSeen(*camera, objects, *model.solution(), *model.scene())) shown.faces.push_back({polygon(face.outline), face.light});
  return shown;
}

std::vector<QPolygonF> plateGrid(const DocumentModel& model, int frame) {
  std::vector<QPolygonF> lines;
  const auto camera = cameraAt(model, frame);
  if (!camera) return lines;
  for (const auto& line : gridSeen(*camera, *model.solution(), *model.scene())) lines.push_back(polygon(line));
  return lines;
}

std::vector<PlateSet> plateSets(const DocumentModel& model, int frame) {
  constexpr int kPieces = 16;
  std::vector<PlateSet> sets;
  const auto camera = cameraAt(model, frame);
  if (!camera) return sets;
  for (const SetOutline& outline : setOutlines(*model.solution(), *model.scene())) {
    PlateSet set{.name = QString::fromStdString(outline.name), .lines = {}, .label = {}};
    for (const auto& [from, to] : outline.lines) {
      for (const auto& line : lineSeen(*camera, from, to, kPieces)) set.lines.push_back(polygon(line));
    }
    if (const auto at = camera->see(outline.label)) set.label = QPointF(at->x(), at->y());
    sets.push_back(std::move(set));
  }
  return sets;
}
}  // namespace dusky::desktop
