#include "apps/desktop/plate/plate_marks.h"

#include <algorithm>

#include "apps/desktop/paint/solid_shade.h"
#include "core/scene/test_object.h"

namespace dusky::desktop {
namespace {

constexpr int kTrail = 8;  // frames

QPointF point(const Vec2& p) { return {p.x(), p.y()}; }

std::vector<QPointF> trailOf(const Track& track, int frame) {
  std::vector<QPointF> trail;
  for (const Observation& o : track.observations) {
    if (o.frame > frame) break;
    if (o.frame >= frame - kTrail) trail.push_back(point(o.position));
  }
  return trail;
}

/// The frame's camera in scene coordinates and its lens; nothing without one.
struct SceneCamera {
  Pose pose;
  Lens lens;
};
std::optional<SceneCamera> cameraAt(const DocumentModel& model, int frame) {
  const SolutionPtr solution = model.solution();
  const SolvedFrame* solved = solution ? solution->frameAt(frame) : nullptr;
  if (!solved || !solved->placed || !model.scene()) return std::nullopt;
  return SceneCamera{model.scene()->scene_from_solve * solved->pose, solution->lensAt(*solved)};
}

/// Through the lens, as far as the lens goes.
std::optional<Vec2> seen(const SceneCamera& camera, const Vec3& place) {
  const Lens& lens = camera.lens;
  const Vec3 p = camera.pose.toCamera(place);
  if (p.z() < 1e-3 || !lens.risingUpTo(p.hnormalized())) return std::nullopt;
  return lens.distort(p.hnormalized());
}
}  // namespace

std::vector<PlateMark> plateMarks(const DocumentModel& model, int frame) {
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
    if (!solution) mark.trail = trailOf(track, frame);
    marks.push_back(std::move(mark));
  }
  return marks;
}

std::vector<PlateFace> plateFaces(const DocumentModel& model, int frame) {
  std::vector<PlateFace> faces;
  const auto camera = cameraAt(model, frame);
  if (!camera) return faces;
  for (const TestObject& object : model.document().picks.objects) {
    for (const SolidFace& face : solidOf(object, *model.solution(), *model.scene())) {
      if (face.normal.dot(face.corners[0] - camera->pose.centre) >= 0) continue;
      PlateFace shown{.light = lightOn(face.normal)};
      for (const Vec3& corner : face.corners) {
        const auto at = seen(*camera, corner);
        if (!at) break;
        shown.outline.push_back(point(*at));
        shown.depth += (corner - camera->pose.centre).norm() / 3;
      }
      if (shown.outline.size() == 3) faces.push_back(std::move(shown));
    }
  }
  std::sort(faces.begin(), faces.end(), [](const PlateFace& a, const PlateFace& b) { return a.depth > b.depth; });
  return faces;
}

std::vector<QPolygonF> plateGrid(const DocumentModel& model, int frame) {
  std::vector<QPolygonF> lines;
  const auto camera = cameraAt(model, frame);
  if (!camera) return lines;
  constexpr int kReach = 14, kPieces = 56;
  for (const auto& [from, to] : groundGrid(gridSpacing(*model.solution(), *model.scene()) / 2, kReach)) {
    QPolygonF line;
    for (int i = 0; i <= kPieces; ++i) {
      const auto at = seen(*camera, from + (to - from) * (static_cast<double>(i) / kPieces));
      if (at) line.push_back(point(*at));
      if ((!at || i == kPieces) && line.size() > 1) lines.push_back(line);
      if (!at) line.clear();
    }
  }
  return lines;
}
}  // namespace dusky::desktop
