#include "apps/desktop/space/space_scene.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/solid_shade.h"
#include "apps/desktop/paint/track_state.h"
#include "apps/desktop/space/point_scale.h"
#include "core/geometry/ellipsoid.h"
#include "core/scene/set_outline.h"
#include "core/scene/test_object.h"

namespace dusky::desktop {
namespace {

constexpr std::size_t kMostEllipsoids = 200;
constexpr double kNowDepth = 0.16;  // of the camera that is shown, share of the set's reach

class Builder {
 public:
  Builder(const Session& session, SpaceContents& out) : session_(session), solution_(*session.model.solution()), scene_(*session.model.scene()), out_(out) {}

  std::vector<SpaceCorner> buildCameraNow() {
    addCameraIn(solution_, scene_.scene_from_solve, color::Text, 1);
    if (const auto scene_from_other = sceneFromOther()) addCameraIn(*session_.jobs.compared().second->solution, *scene_from_other, color::Quiet, 0.8);
    return pictureIn(solution_.frameAt(session_.playback.frame()));
  }

  SpaceMarked buildMarked() {
    SpaceMarked marked;
    std::vector<const SolvedTrack*> sure;
    for (const int id : session_.selection.ids()) {
      const SolvedTrack* track = solution_.find(id);
      if (!track || !track->hasPlace()) continue;
      addPoint(*track, glyphNow(session_.model, id, track), color::Lamp, 10.0f);
      if (track->covariance.allFinite()) sure.push_back(track);
    }
    marked.points = std::move(out_.points);
    if (session_.view.ellipsoidsShown() && sure.size() <= kMostEllipsoids) marked.enlarged = addEllipsoids(sure);
    marked.ellipsoids = std::move(out_.lines);
    return marked;
  }

  void build(bool through) {
    measure();
    addGrid();
    addPoints();
    addSets();
    if (!through) addPath();
    if (!through) addOtherPath();
  }

  std::vector<SpaceVertex> buildSolids() const {
    std::vector<SpaceVertex> solids;
    const QColor shade(8, 5, 12);
    for (const TestObject& object : session_.objects.shown()) {
      const std::vector<Vec3> shadow = shadowOf(object, solution_, scene_);
      for (std::size_t k = 2; k < shadow.size(); ++k) {
        for (const Vec3& corner : {shadow[0], shadow[k - 1], shadow[k]}) solids.push_back(vertex(corner, shade, 0.5));
      }
      for (const SolidFace& face : solidOf(object, solution_, scene_)) {
        const QColor paint = solidColor(face.shade * lightOn(face.normal));
        for (const Vec3& corner : face.corners) solids.push_back(vertex(corner, paint, 1));
      }
    }
    return solids;
  }

 private:
  /// Medians, so that a few far points do not make everything tiny.
  void measure() {
    std::vector<Vec3> places;
    for (const SolvedTrack& track : solution_.tracks) {
      if (track.state == TrackState::Kept) places.push_back(scene_.scene_from_solve * track.point);
    }
    Vec3 middle = Vec3::Zero();
    for (int axis = 0; axis < 3 && !places.empty(); ++axis) {
      const auto at = places.begin() + static_cast<std::ptrdiff_t>(places.size() / 2);
      std::nth_element(places.begin(), at, places.end(), [axis](const Vec3& a, const Vec3& b) { return a[axis] < b[axis]; });
      middle[axis] = (*at)[axis];
    }
    Vec3 path = Vec3::Zero(), forward = Vec3::Zero();
    const double placed = std::max(1, solution_.placedFrames());
    for (const SolvedFrame& frame : solution_.frames) {
      if (!frame.placed) continue;
      path += (scene_.scene_from_solve * frame.pose.centre) / placed;
      forward += scene_.scene_from_solve.rotation * frame.pose.direction(Vec3::UnitZ());
    }
    middle = 0.5 * (middle + path);
    out_.behind_rad = static_cast<float>(std::atan2(-forward.x(), -forward.z()));
    out_.reach = static_cast<float>(std::max(1e-3, reachAround(middle, places)));
    out_.middle = QVector3D(static_cast<float>(middle.x()), static_cast<float>(middle.y()), static_cast<float>(middle.z()));
    out_.grid_spacing = gridSpacing(solution_, scene_);
  }

  /// Holds two thirds of the points and the whole path.
  double reachAround(const Vec3& middle, const std::vector<Vec3>& places) const {
    std::vector<double> distances;
    for (const Vec3& p : places) distances.push_back((p - middle).norm());
    double reach = 0;
    if (!distances.empty()) {
      const auto at = distances.begin() + static_cast<std::ptrdiff_t>(0.66 * static_cast<double>(distances.size() - 1));
      std::nth_element(distances.begin(), at, distances.end());
      reach = *at;
    }
    for (const SolvedFrame& frame : solution_.frames) {
      if (frame.placed) reach = std::max(reach, (scene_.scene_from_solve * frame.pose.centre - middle).norm());
    }
    return reach;
  }

  void line(const Vec3& a, const Vec3& b, const QColor& color, double alpha) {
    for (const Vec3& p : {a, b}) out_.lines.push_back(vertex(p, color, alpha));
  }

  static SpaceVertex vertex(const Vec3& p, const QColor& c, double alpha) {
    return {static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z()), c.redF(), c.greenF(), c.blueF(), static_cast<float>(alpha)};
  }

  void addGrid() {
    constexpr int kReach = 12;
    for (const auto& [from, to] : groundGrid(out_.grid_spacing, kReach)) line(from, to, color::Edge, 0.55);
    // Axes by length and place, not by colour: X is the long arrow, what is up the upright one.
    const double s = out_.grid_spacing;
    arrow(Vec3::Zero(), Vec3(1.5 * s, 0, 0));
    arrow(Vec3::Zero(), Vec3(0, s, 0));
    arrow(Vec3::Zero(), Vec3(0, 0, scene_.up == UpAxis::Z ? -0.75 * s : 0.75 * s));
  }

  void arrow(const Vec3& from, const Vec3& to) {
    const Vec3 along = to - from, side = 0.09 * along.norm() * (std::abs(along.y()) > 0 ? Vec3::UnitX() : Vec3::UnitY());
    const Vec3 neck = from + 0.86 * along;
    line(from, to, color::Quiet, 0.9);
    line(to, neck + side, color::Quiet, 0.9);
    line(to, neck - side, color::Quiet, 0.9);
  }

  void addSets() {
    if (!session_.view.setsShown()) return;
    for (const SetOutline& outline : setOutlines(solution_, scene_)) {
      for (const auto& [from, to] : outline.lines) line(from, to, color::Text, outline.lines.size() == 1 ? 0.9 : 0.45);
      out_.labels.emplace_back(QString::fromStdString(outline.name), outline.label);
    }
  }

  /// Usually in the picture's colours, so that the set is recognised, with errors that glow over them.
  void addPoints() {
    const auto by = session_.view.pointColor();
    const bool pictures = by == ViewSettings::PointColor::Picture, errors = by == ViewSettings::PointColor::Error;
    const PointScale scale(session_, by);
    out_.scale = scale.text();
    for (const SolvedTrack& track : solution_.tracks) {
      if (!track.hasPlace()) continue;
      const Glyph glyph = glyphNow(session_.model, track.id, &track);
      if (glyph == Glyph::SetAside && !session_.view.asideShown()) continue;
      if (!session_.view.tracksShown()) continue;
      const QColor error = errorQColor(track.typical_error_px, session_.view.errorTop());
      const double light = pictures ? glow(track.typical_error_px, session_.view.errorTop()) : 1;
      const QColor measured = pictures || errors ? mixed(brightened(track.color), error, light) : scale.colorOf(track.id);
      const QColor paint = glyph == Glyph::SetAside ? color::Quiet : glyph == Glyph::Going ? color::Text : measured;
      addPoint(track, glyph, paint, static_cast<float>(5.5 + 2.5 * (pictures ? light : 0.5)));
    }
  }

  void addPoint(const SolvedTrack& track, Glyph glyph, const QColor& paint, float size) {
    const SpaceVertex v = vertex(scene_.scene_from_solve * track.point, paint, 1);
    out_.points.push_back({v.x, v.y, v.z, v.r, v.g, v.b, v.a, static_cast<float>(glyph), size});
    out_.point_ids.push_back(track.id);
  }

  static QColor mixed(const QColor& a, const QColor& b, double share) {
    const auto mix = [share](float one, float other) { return static_cast<float>(one + share * (other - one)); };
    return QColor::fromRgbF(mix(a.redF(), b.redF()), mix(a.greenF(), b.greenF()), mix(a.blueF(), b.blueF()));
  }

  /// Dark things of the picture must be seen on a dark ground.
  static QColor brightened(const Rgb& c) {
    QColor paint(c.r, c.g, c.b);
    const float value = std::max(0.42f, paint.valueF());
    return QColor::fromHsvF(std::max(0.0f, paint.hueF()), paint.saturationF(), value);
  }

  void addPath() {
    const SolvedFrame* before = nullptr;
    const int every = std::max(1, static_cast<int>(solution_.frames.size()) / 10);
    for (std::size_t i = 0; i < solution_.frames.size(); ++i) {
      const SolvedFrame& frame = solution_.frames[i];
      if (!frame.placed) {
        before = nullptr;
        continue;
      }
      const Pose pose = scene_.scene_from_solve * frame.pose;
      if (before) line(scene_.scene_from_solve * before->pose.centre, pose.centre, color::Calm, 1);
      if (i % static_cast<std::size_t>(every) == 0) addFrustum(solution_.lensAt(frame), pose, 0.07 * out_.reach, color::Calm, 0.6);
      before = &frame;
    }
  }

  /// The run that the one shown is compared with, in this world; nothing: none.
  std::optional<Similarity> sceneFromOther() const {
    const Jobs::Comparison& comparison = session_.jobs.compared();
    if (!comparison.first || comparison.first->solution.get() != &solution_) return std::nullopt;
    return scene_.scene_from_solve * comparison.difference.first_from_second;
  }

  /// Its path, dashed.
  void addOtherPath() {
    const auto scene_from_other = sceneFromOther();
    if (!scene_from_other) return;
    const SolvedFrame* before = nullptr;
    for (const SolvedFrame& frame : session_.jobs.compared().second->solution->frames) {
      if (before && frame.placed && frame.frame % 2 == 0)
        line(*scene_from_other * before->pose.centre, *scene_from_other * frame.pose.centre, color::Text, 0.9);
      before = frame.placed ? &frame : nullptr;
    }
  }

  void addCameraIn(const Solution& solution, const Similarity& scene_from_solve, const QColor& color, double alpha) {
    const SolvedFrame* frame = solution.frameAt(session_.playback.frame());
    if (frame && frame->placed) addFrustum(solution.lensAt(*frame), scene_from_solve * frame->pose, kNowDepth * out_.reach, color, alpha);
  }

  /// Of the picture, as if the lens bent nothing: top left and on clockwise.
  static std::array<Vec3, 4> cornersOf(const Lens& lens, const Pose& pose, double depth) {
    std::array<Vec3, 4> corners;
    const std::array<Vec2, 4> seen = {Vec2(0, 0), Vec2(lens.width, 0), Vec2(lens.width, lens.height), Vec2(0, lens.height)};
    for (std::size_t k = 0; k < 4; ++k) corners[k] = pose.centre + depth * pose.direction(lens.straightRay(seen[k]).homogeneous());
    return corners;
  }

  std::vector<SpaceCorner> pictureIn(const SolvedFrame* frame) const {
    if (!frame || !frame->placed) return {};
    const auto corners = cornersOf(solution_.lensAt(*frame), scene_.scene_from_solve * frame->pose, kNowDepth * out_.reach);
    std::vector<SpaceCorner> triangles;
    for (const std::size_t k : {0, 1, 2, 0, 2, 3}) {
      const Vec3& p = corners[k];
      triangles.push_back(
          {static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z()), k == 1 || k == 2 ? 1.0f : 0.0f, k >= 2 ? 1.0f : 0.0f});
    }
    return triangles;
  }

  void addFrustum(const Lens& lens, const Pose& pose, double depth, const QColor& color, double alpha) {
    const std::array<Vec3, 4> corners = cornersOf(lens, pose, depth);
    for (std::size_t k = 0; k < 4; ++k) {
      line(pose.centre, corners[k], color, alpha);
      line(corners[k], corners[(k + 1) % 4], color, alpha);
    }
    // A notch marks the picture's top edge.
    const Vec3 top = 0.5 * (corners[0] + corners[1]), up = -0.18 * depth * pose.direction(Vec3::UnitY());
    line(corners[0] + 0.35 * (corners[1] - corners[0]), top + up, color, alpha);
    line(corners[0] + 0.65 * (corners[1] - corners[0]), top + up, color, alpha);
  }

  /// Three circles of each. Enlarged by a power of ten until the largest can be seen beside the set; returns how many times.
  double addEllipsoids(const std::vector<const SolvedTrack*>& tracks) {
    constexpr double kSeen = 0.012;  // of the set's reach
    std::vector<Mat3> axes;
    double largest = 0;
    for (const SolvedTrack* track : tracks) {
      axes.push_back(scene_.scene_from_solve.scale * (scene_.scene_from_solve.rotation * ellipsoidAxes(track->covariance)));
      largest = std::max(largest, axes.back().col(0).norm());
    }
    const double wanted = kSeen * out_.reach / std::max(1e-12, largest);
    const double enlarged = largest > 0 && wanted > 1 ? std::min(1e4, std::pow(10, std::ceil(std::log10(wanted)))) : 1;
    for (std::size_t i = 0; i < tracks.size(); ++i) {
      const Vec3 middle = scene_.scene_from_solve * tracks[i]->point;
      for (const auto& [a, b] : {std::pair(0, 1), {1, 2}, {2, 0}}) addCircle(middle, enlarged * axes[i].col(a), enlarged * axes[i].col(b));
    }
    return enlarged;
  }

  void addCircle(const Vec3& middle, const Vec3& a, const Vec3& b) {
    constexpr int kPieces = 40;
    Vec3 before = middle + a;
    for (int i = 1; i <= kPieces; ++i) {
      const double angle = 2 * std::numbers::pi * i / kPieces;
      const Vec3 next = middle + std::cos(angle) * a + std::sin(angle) * b;
      line(before, next, color::Lamp, 0.85);
      before = next;
    }
  }

  const Session& session_;
  const Solution& solution_;
  const SceneFrame& scene_;
  SpaceContents& out_;
};
}  // namespace

SpaceContents buildSpace(const Session& session, bool through) {
  SpaceContents contents;
  if (session.model.solution() && session.model.scene()) Builder(session, contents).build(through);
  return contents;
}

CameraNow buildCameraNow(const Session& session, const SpaceContents& contents, bool through) {
  SpaceContents now;
  now.reach = contents.reach;
  if (through || !session.model.solution() || !session.model.scene()) return {};
  auto picture = Builder(session, now).buildCameraNow();
  return {std::move(now.lines), std::move(picture)};
}

std::vector<SpaceVertex> buildSolids(const Session& session) {
  SpaceContents unused;
  if (!session.view.objectsShown() || !session.model.solution() || !session.model.scene()) return {};
  return Builder(session, unused).buildSolids();
}

SpaceMarked buildMarked(const Session& session, const SpaceContents& contents) {
  SpaceContents marked;
  marked.reach = contents.reach;
  if (!session.model.solution() || !session.model.scene()) return {};
  return Builder(session, marked).buildMarked();
}
}  // namespace dusky::desktop
