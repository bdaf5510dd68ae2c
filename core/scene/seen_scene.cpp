#include "core/scene/seen_scene.h"

#include <algorithm>

namespace dusky {

std::optional<Vec2> SceneCamera::see(const Vec3& place) const {
  constexpr double kNearest = 1e-3;
  const Vec3 p = pose.toCamera(place);
  if (p.z() < kNearest || !lens.risingUpTo(p.hnormalized())) return std::nullopt;
  return lens.distort(p.hnormalized());
}

std::optional<SceneCamera> cameraIn(const Solution& solution, const SceneFrame& scene, int frame) {
  const SolvedFrame* solved = solution.frameAt(frame);
  if (!solved || !solved->placed) return std::nullopt;
  return SceneCamera{scene.scene_from_solve * solved->pose, solution.lensAt(*solved)};
}

std::vector<SeenFace> facesSeen(const SceneCamera& camera, const std::vector<TestObject>& objects, const Solution& solution, const SceneFrame& scene) {
  std::vector<SeenFace> faces;
  for (const TestObject& object : objects) {
    for (const SolidFace& face : solidOf(object, solution, scene)) {
      if (face.normal.dot(face.corners[0] - camera.pose.centre) >= 0) continue;
      SeenFace shown{.light = face.shade * lightOn(face.normal)};
      bool whole = true;
      for (std::size_t k = 0; k < face.corners.size() && whole; ++k) {
        const auto at = camera.see(face.corners[k]);
        whole = at.has_value();
        if (whole) shown.outline[k] = *at, shown.depth += (face.corners[k] - camera.pose.centre).norm() / 3;
      }
      if (whole) faces.push_back(shown);
    }
  }
  std::sort(faces.begin(), faces.end(), [](const SeenFace& a, const SeenFace& b) { return a.depth > b.depth; });
  return faces;
}

std::vector<std::vector<Vec2>> shadowsSeen(const SceneCamera& camera, const std::vector<TestObject>& objects, const Solution& solution,
                                           const SceneFrame& scene) {
  constexpr int kPieces = 4;  // an edge is bent by the lens
  std::vector<std::vector<Vec2>> shadows;
  for (const TestObject& object : objects) {
    const std::vector<Vec3> outline = shadowOf(object, solution, scene);
    std::vector<Vec2> shadow;
    for (std::size_t k = 0; k < outline.size(); ++k) {
      const Vec3 &from = outline[k], &to = outline[(k + 1) % outline.size()];
      for (int i = 0; i < kPieces; ++i) {
        if (const auto at = camera.see(from + (to - from) * (static_cast<double>(i) / kPieces))) shadow.push_back(*at);
      }
    }
    if (shadow.size() == kPieces * outline.size() && !shadow.empty()) shadows.push_back(std::move(shadow));
  }
  return shadows;
}

std::vector<std::vector<Vec2>> lineSeen(const SceneCamera& camera, const Vec3& from, const Vec3& to, int pieces) {
  std::vector<std::vector<Vec2>> lines;
  std::vector<Vec2> line;
  for (int i = 0; i <= pieces; ++i) {
    const auto at = camera.see(from + (to - from) * (static_cast<double>(i) / pieces));
    if (at) line.push_back(*at);
    if ((!at || i == pieces) && line.size() > 1) lines.push_back(line);
    if (!at) line.clear();
  }
  return lines;
}

std::vector<std::vector<Vec2>> gridSeen(const SceneCamera& camera, const Solution& solution, const SceneFrame& scene) {
  constexpr int kReach = 14;
  std::vector<std::vector<Vec2>> lines;
  for (const auto& [from, to] : groundGrid(gridSpacing(solution, scene) / 2, kReach)) {
    auto seen = lineSeen(camera, from, to);
    lines.insert(lines.end(), std::make_move_iterator(seen.begin()), std::make_move_iterator(seen.end()));
  }
  return lines;
}

}  // namespace dusky
