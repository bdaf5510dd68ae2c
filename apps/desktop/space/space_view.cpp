#include "apps/desktop/space/space_view.h"

#include <QMenu>
#include <QMouseEvent>
#include <cmath>
#include <map>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/select_by_gesture.h"

namespace dusky::desktop {
/// What lies over the points: texts and the region being drawn. A widget of its own, painted without GL.
class SpaceView::Overlay : public QWidget {
 public:
  explicit Overlay(SpaceView& view) : QWidget(&view), view_(view) { setAttribute(Qt::WA_TransparentForMouseEvents); }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter painter(this);
    view_.drawOverlay(painter);
  }

 private:
  SpaceView& view_;
};

SpaceView::SpaceView(Session& session, QMenu* track_menu, QWidget* parent)
    : QOpenGLWidget(parent), session_(session), track_menu_(track_menu), overlay_(new Overlay(*this)) {
  setObjectName("spaceView");
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  connect(&session_.model, &DocumentModel::opened, this, [this] { looked_ = false; });
  connect(&session_.model, &DocumentModel::resultsChanged, this, &SpaceView::rebuild);
  connect(&session_.model, &DocumentModel::scenePreviewed, this, &SpaceView::rebuild);
  connect(&session_.edited_set, &EditedSet::changed, this, [this] { update(); });
  connect(&session_.jobs, &Jobs::comparisonChanged, this, &SpaceView::rebuild);
  connect(&session_.playback, &Playback::frameChanged, this, &SpaceView::rebuildNow);
  connect(&session_.view, &ViewSettings::changed, this, &SpaceView::rebuild);
  connect(&session_.frames, &FrameStore::ready, this, [this](int number) {
    if (number != session_.playback.frame() && number != FrameStore::kAllChanged) return;
    takePicture();
    update();
  });
  connect(&session_.facts, &TrackFacts::changed, this, [this] {
    if (session_.view.pointColor() > ViewSettings::PointColor::Error) rebuild();
  });
  connect(&session_.objects, &TestObjects::changed, this, &SpaceView::rebuildSolids);
  connect(&session_.mesh, &MeshStore::changed, this, &SpaceView::rebuildMesh);
  connect(&session_.model, &DocumentModel::documentChanged, this, &SpaceView::rebuildMesh);
  connectDense();
  connect(&session_.selection, &Selection::changed, this, &SpaceView::rebuildMarked);
  connect(&session_.selection, &Selection::hoverChanged, this, &SpaceView::updateHovered);
}

SpaceView::~SpaceView() { giveBack(); }

void SpaceView::rebuild() {
  contents_ = buildSpace(session_, eye_.mode == Eye::Mode::Camera);
  for (Batch* batch : {&lines_, &points_}) batch->stale = true;
  // The first result, and each partial one, is brought into view; after that the eye is the artist's.
  if (!contents_.points.empty() && (!looked_ || session_.model.partial())) {
    turnHome();
    frameAll();
  }
  if (!contents_.points.empty() && !session_.model.partial()) looked_ = true;
  if (contents_.points.empty() && !session_.model.solution()) looked_ = false;
  tellNote();
  rebuildMesh();
  rebuildDense();
  rebuildSolids();
  rebuildNow();
  rebuildMarked();
}

/// Scrubbing moves one camera; the set stays on the graphics card.
void SpaceView::rebuildNow() {
  camera_now_ = buildCameraNow(session_, contents_, eye_.mode == Eye::Mode::Camera);
  now_.stale = plate_.stale = true;
  takePicture();
  draw();
}

/// The frame's picture, where it is there already: it comes later else.
void SpaceView::takePicture() {
  constexpr int kWide = 320;
  const QImage picture = camera_now_.picture.empty() ? QImage() : session_.frames.frame(session_.playback.frame());
  if (picture.isNull() && !camera_now_.picture.empty()) return;
  picture_ = picture.isNull() ? QImage() : picture.scaledToWidth(kWide).convertToFormat(QImage::Format_RGBA8888);
  stale_picture_ = true;
}

/// The points anew, and what lies over them where that moves with them.
void SpaceView::draw() {
  update();
  hover_box_ = QRect();
  overlay_->update();
}

/// The ring about what is pointed at lies over the points: they are not drawn anew for it.
void SpaceView::updateHovered() {
  overlay_->update(hover_box_);
  const auto at = placeOf(session_.selection.hovered());
  constexpr int kRoom = 10;
  hover_box_ = at ? QRect(at->toPoint() - QPoint(kRoom, kRoom), QSize(2 * kRoom, 2 * kRoom)) : QRect();
  overlay_->update(hover_box_);
}

void SpaceView::rebuildMarked() {
  marked_now_ = buildMarked(session_, contents_);
  marked_.stale = ellipsoids_.stale = true;
  draw();
}

void SpaceView::rebuildSolids() {
  solids_now_ = buildSolids(session_);
  solids_.stale = true;
  draw();
}

void SpaceView::rebuildMesh() {
  const SpaceMeshKey key = meshKeyOf(session_);
  if (mesh_key_ == key) return;
  mesh_key_ = key;
  mesh_now_ = buildMesh(session_);
  for (Batch* batch : {&mesh_faces_, &mesh_edges_, &mesh_points_}) batch->stale = true;
  draw();
}

void SpaceView::setMode(Eye::Mode mode) {
  eye_.mode = mode;
  scene_tool_.setThroughCamera(mode == Eye::Mode::Camera);
  turnHome();
  rebuild();
  emit modeChanged(mode);
}

void SpaceView::turnHome() { eye_.home(contents_.behind_rad); }

void SpaceView::frameAll() {
  eye_.look(contents_.middle, contents_.reach);
  draw();
}

void SpaceView::frameSelection() {
  QVector3D low(1e30f, 1e30f, 1e30f), high = -low;
  for (const SpacePoint& point : marked_now_.points) {
    const QVector3D at(point.x, point.y, point.z);
    for (int axis = 0; axis < 3; ++axis) low[axis] = std::min(low[axis], at[axis]), high[axis] = std::max(high[axis], at[axis]);
  }
  if (marked_now_.points.empty()) return frameAll();
  // A single point with what is about it.
  constexpr float kLeast = 0.06f;
  eye_.look((low + high) / 2, std::max(kLeast * contents_.reach, (high - low).length() / 2));
  draw();
}

void SpaceView::tellNote() {
  if (contents_.points.empty()) return emit noteChanged("");
  const bool metric = session_.model.scene() && session_.model.scene()->metric;
  const QString grid =
      metric ? lengthText(contents_.grid_spacing) : tr("%1 %2").arg(contents_.grid_spacing).arg(contents_.grid_spacing == 1 ? tr("unit") : tr("units"));
  static const std::map<Eye::Mode, const char*> kFrom = {{Eye::Mode::Orbit, QT_TR_NOOP("orbit")},
                                                         {Eye::Mode::Top, QT_TR_NOOP("from above")},
                                                         {Eye::Mode::Front, QT_TR_NOOP("from the front")},
                                                         {Eye::Mode::Side, QT_TR_NOOP("from the side")},
                                                         {Eye::Mode::Camera, QT_TR_NOOP("through the camera")}};
  emit noteChanged(tr("%1 · grid %2").arg(tr(kFrom.at(eye_.mode)), grid));
}

QMatrix4x4 SpaceView::matrix() const {
  const float aspect = static_cast<float>(width()) / static_cast<float>(std::max(1, height()));
  const SolutionPtr solution = session_.model.solution();
  const SolvedFrame* frame = solution ? solution->frameAt(session_.playback.frame()) : nullptr;
  if (!frame || !frame->placed || !session_.model.scene()) return eye_.matrix(aspect, nullptr, nullptr);
  const Pose pose = session_.model.scene()->scene_from_solve * frame->pose;
  const Lens lens = solution->lensAt(*frame);
  return eye_.matrix(aspect, &pose, &lens);
}

namespace {
QVector4D homogeneous(const SpacePoint& point) { return {point.x, point.y, point.z, 1}; }
}  // namespace

std::optional<QPointF> SpaceView::onScreen(const QVector4D& clip) const {
  if (clip.w() <= 0) return std::nullopt;
  return QPointF((clip.x() / clip.w() + 1) / 2 * static_cast<float>(width()), (1 - clip.y() / clip.w()) / 2 * static_cast<float>(height()));
}

const SpacePoint* SpaceView::pointOf(int track) const {
  const auto found = std::find(contents_.point_ids.begin(), contents_.point_ids.end(), track);
  return found != contents_.point_ids.end() ? &contents_.points[static_cast<std::size_t>(found - contents_.point_ids.begin())] : nullptr;
}

std::optional<QPointF> SpaceView::placeOf(int track) const {
  const SpacePoint* point = pointOf(track);
  return point ? onScreen(matrix() * homogeneous(*point)) : std::nullopt;
}

SceneSight SpaceView::sight() const {
  const QMatrix4x4 clip_from_world = matrix(), world_from_clip = clip_from_world.inverted();
  const auto see = [this, clip_from_world](const Vec3& p) {
    return onScreen(clip_from_world * QVector4D(static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z()), 1));
  };
  const auto ray = [this, world_from_clip](const QPointF& at) -> std::optional<SceneRay> {
    const auto x = static_cast<float>(2 * at.x() / width() - 1), y = static_cast<float>(1 - 2 * at.y() / height());
    const QVector3D near = world_from_clip.map(QVector3D(x, y, -1)), middle = world_from_clip.map(QVector3D(x, y, 0));
    const Vec3 from(near.x(), near.y(), near.z()), on(middle.x(), middle.y(), middle.z());
    return SceneRay{from, (on - from).normalized()};
  };
  return {see, ray};
}

SpaceView::RegionPick SpaceView::pickIn(const QPolygonF& region) const {
  struct Inside {
    int track;
    QPointF at;
    double depth;
  };
  std::vector<Inside> inside;
  const QMatrix4x4 clip_from_world = matrix();
  const QRectF bounds = region.boundingRect();
  for (std::size_t i = 0; i < contents_.points.size(); ++i) {
    const QVector4D clip = clip_from_world * homogeneous(contents_.points[i]);
    const auto at = onScreen(clip);
    if (at && bounds.contains(*at) && region.containsPoint(*at, Qt::OddEvenFill)) inside.push_back({contents_.point_ids[i], *at, eye_.depthOf(clip)});
  }
  RegionPick pick{.inside = static_cast<int>(inside.size())};
  if (inside.empty()) return pick;
  const auto [near, far] = std::minmax_element(inside.begin(), inside.end(), [](const Inside& a, const Inside& b) { return a.depth < b.depth; });
  pick.depth = depth_share_ * (far->depth - near->depth);
  for (const Inside& one : inside) {
    if (one.depth <= near->depth + pick.depth) pick.taken.emplace_back(one.track, one.at);
  }
  return pick;
}

/// The point under the pointer, or not far from it; else what is looked at.
QVector3D SpaceView::pivotAt(const QPointF& place) const {
  constexpr double kNear_px = 40;
  const SpacePoint* point = pointOf(nearest(place, kNear_px));
  return point ? QVector3D(point->x, point->y, point->z) : eye_.target;
}

int SpaceView::nearest(const QPointF& place, double reach) const {
  const QMatrix4x4 clip_from_world = matrix();
  int best = 0;
  for (std::size_t i = 0; i < contents_.points.size(); ++i) {
    const auto at = onScreen(clip_from_world * homogeneous(contents_.points[i]));
    const double distance = at ? std::hypot(at->x() - place.x(), at->y() - place.y()) : 1e9;
    if (distance < reach) best = contents_.point_ids[i], reach = distance;
  }
  return best;
}

void SpaceView::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton) {
    if (scene_tool_.press(sight(), event->position()) || (!cutting() && region_handles_.press(sight(), event->position()))) return;
    depth_share_ = 1;
    cut_begun_ = cutting();
    if (brushing()) return gesture_.beginStroke(event->position(), session_.view.brushRadius()), overlay_->update();
    const bool lasso = event->modifiers() & Qt::AltModifier;
    gesture_.begin(event->position(), lasso ? ViewSettings::Tool::Lasso : measuring() || boxing() ? ViewSettings::Tool::Box : session_.view.tool());
  } else {
    drag_ = event->button();
    dragged_ = false;
    drag_from_ = event->position();
    pivot_ = pivotAt(event->position());
  }
}

void SpaceView::mouseMoveEvent(QMouseEvent* event) {
  pointer_ = event->position();
  if (drag_ != Qt::NoButton) {
    const QPointF moved = event->position() - drag_from_;
    if (!dragged_ && moved.manhattanLength() < 4) return;
    dragged_ = true;
    drag_from_ = event->position();
    eyeMoves();
    const auto right = static_cast<float>(moved.x()), down = static_cast<float>(moved.y());
    if (drag_ == Qt::RightButton && !(event->modifiers() & Qt::ShiftModifier))
      turn(right, down);
    else
      eye_.move(right, down, static_cast<float>(height()));
    draw();
  } else if (scene_tool_.holds()) {
    scene_tool_.drag(sight(), event->position(), event->modifiers());
  } else if (region_handles_.holds()) {
    region_handles_.drag(sight(), event->position(), event->modifiers());
    overlay_->update();
  } else if (gesture_.active()) {
    gesture_.move(event->position());
    overlay_->update();
  } else {
    session_.selection.hover(nearest(event->position()));
    const SceneSight seen = sight();
    const auto held = scene_tool_.cursorAt(seen, event->position());
    setCursor(held ? *held : region_handles_.cursorAt(seen, event->position()).value_or(Qt::ArrowCursor));
    if (brushing()) overlay_->update();
  }
}

void SpaceView::turn(float right_px, float down_px) {
  const Eye::Mode before = eye_.mode;
  eye_.turn(right_px, down_px, pivot_);
  if (eye_.mode == before) return;
  scene_tool_.setThroughCamera(eye_.mode == Eye::Mode::Camera);
  tellNote();
  emit modeChanged(eye_.mode);
}

void SpaceView::mouseReleaseEvent(QMouseEvent* event) {
  if (drag_ != Qt::NoButton && event->button() == drag_) {
    drag_ = Qt::NoButton;
    if (!dragged_ && event->button() == Qt::RightButton) track_menu_->popup(event->globalPosition().toPoint());
    return;
  }
  if (scene_tool_.holds()) return scene_tool_.release();
  if (region_handles_.holds()) return region_handles_.release(), overlay_->update();
  if (!gesture_.active()) return;
  if (cut_begun_ && !cutting()) return gesture_.cancel(), overlay_->update();  // the tool was put away meanwhile
  if (measuring()) {
    if (gesture_.isClick()) measureAt(event->position());
    gesture_.cancel();
    overlay_->update();
    return;
  }
  if (gesture_.isClick()) scene_tool_.choose(sight(), event->position(), nearest(event->position()) != 0);
  if (cutting()) {
    gesture_.move(event->position());
    if (const QPolygonF region = gesture_.end(); !region.isEmpty()) cutDense(region);
    overlay_->update();
    return;
  }
  const RegionPick pick = gesture_.isClick() ? RegionPick() : pickIn(gesture_.region());
  selectByGesture(
      gesture_, *event, session_.selection, [this](const QPointF& place) { return nearest(place); },
      [&pick](const auto& visit) {
        for (const auto& [track, at] : pick.taken) visit(track, at);
      });
  overlay_->update();
}

void SpaceView::wheelEvent(QWheelEvent* event) {
  constexpr double kNotch = 0.85;  // of the depth, for a step of the wheel
  const double steps = event->angleDelta().y() / 120.0;
  if (brushing() && event->modifiers() & Qt::ShiftModifier)
    session_.view.setBrushRadius(session_.view.brushRadius() * std::pow(kNotch, -steps));
  else if (gesture_.active())
    depth_share_ = std::min(1.0, depth_share_ * std::pow(kNotch, -steps));
  else
    eyeMoves(), eye_.approach(static_cast<float>(15 * steps));
  draw();
}

void SpaceView::leaveEvent(QEvent*) { session_.selection.hover(0); }
}  // namespace dusky::desktop
