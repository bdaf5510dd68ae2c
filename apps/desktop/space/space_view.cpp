#include "apps/desktop/space/space_view.h"

#include <QMenu>
#include <QMouseEvent>
#include <cmath>
#include <numeric>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/view_note.h"
#include "apps/desktop/paint/select_by_gesture.h"

namespace dusky::desktop {
namespace {

// What lies beyond what is looked at sinks into the dusk; points are smaller there.
constexpr const char* kFlatVertex = R"(#version 330 core
layout(location = 0) in vec3 place; layout(location = 1) in vec4 paint;
uniform mat4 clip_from_world; uniform float pivot; uniform vec3 haze; out vec4 tint;
void main() { gl_Position = clip_from_world * vec4(place, 1); tint = vec4(mix(haze, paint.rgb, clamp(1.5 - 0.45 * gl_Position.w / pivot, 0.3, 1.0)), paint.a); })";
constexpr const char* kFlatFragment = R"(#version 330 core
in vec4 tint; out vec4 pixel;
void main() { pixel = tint; })";
constexpr const char* kShapeVertex = R"(#version 330 core
layout(location = 0) in vec3 place; layout(location = 1) in vec4 paint; layout(location = 2) in vec2 look;
uniform mat4 clip_from_world; uniform float ratio; uniform float pivot; uniform vec3 haze; out vec4 tint; flat out int shape;
void main() {
  gl_Position = clip_from_world * vec4(place, 1);
  float near = pivot / max(gl_Position.w, 1e-6);
  gl_PointSize = ratio * look.y * clamp(near, 0.75, 2.4);
  tint = vec4(mix(haze, paint.rgb, clamp(1.5 - 0.45 / near, 0.35, 1.0)), paint.a);
  shape = int(look.x + 0.5);
})";
// Kept: dot. Unplaced: ring. Set aside: slanted dash. Holdout: half-filled ring.
constexpr const char* kShapeFragment = R"(#version 330 core
in vec4 tint; flat in int shape; out vec4 pixel;
void main() {
  vec2 p = 2 * gl_PointCoord - 1;
  float r = length(p);
  bool ring = r > 0.62 && r < 1.0;
  bool inside = shape == 0 ? r < 0.85 : shape == 1 ? ring : shape == 2 ? abs(p.x + p.y) < 0.28 && abs(p.x - p.y) > 0.3 : shape == 4 ? abs(p.x + p.y) < 0.36 : ring || (r < 1.0 && p.x < 0.0);
  if (!inside) discard;
  pixel = vec4(tint.rgb, shape == 0 ? tint.a * smoothstep(0.85, 0.45, r) : tint.a);
})";
constexpr const char* kPictureVertex = R"(#version 330 core
layout(location = 0) in vec3 place; layout(location = 1) in vec2 at;
uniform mat4 clip_from_world; out vec2 where;
void main() { gl_Position = clip_from_world * vec4(place, 1); where = at; })";
constexpr const char* kPictureFragment = R"(#version 330 core
in vec2 where; uniform sampler2D picture; out vec4 pixel;
void main() { pixel = vec4(texture(picture, where).rgb, 0.55); })";
}  // namespace

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
  connect(&session_.selection, &Selection::changed, this, &SpaceView::rebuildMarked);
  connect(&session_.selection, &Selection::hoverChanged, this, &SpaceView::updateHovered);
}

SpaceView::~SpaceView() { giveBack(); }

/// What lies on the graphics card, while there is a way to it.
void SpaceView::giveBack() {
  if (!flat_) return;
  makeCurrent();
  for (Batch* batch : {&lines_, &solids_, &points_, &now_, &marked_, &plate_}) {
    batch->array.destroy();
    batch->buffer.destroy();
  }
  flat_.reset();
  shapes_.reset(), textured_.reset(), texture_.reset();
  stale_upload_ = stale_now_ = stale_marked_ = stale_picture_ = true;
  doneCurrent();
}

void SpaceView::rebuild() {
  contents_ = buildSpace(session_, eye_.mode == Eye::Mode::Camera);
  stale_upload_ = true;
  // The first result, and each partial one, is brought into view; after that the eye is the artist's.
  if (!contents_.points.empty() && (!looked_ || session_.model.partial())) {
    turnHome();
    frameAll();
  }
  if (!contents_.points.empty() && !session_.model.partial()) looked_ = true;
  if (contents_.points.empty() && !session_.model.solution()) looked_ = false;
  tellNote();
  rebuildNow();
  rebuildMarked();
  overlay_->update();
}

/// Scrubbing moves one camera; the set stays on the graphics card.
void SpaceView::rebuildNow() {
  camera_now_ = buildCameraNow(session_, contents_, eye_.mode == Eye::Mode::Camera);
  stale_now_ = true;
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
  if (!hover_box_.isNull()) updateHovered();
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
  marked_points_ = buildMarked(session_);
  stale_marked_ = true;
  draw();
}

void SpaceView::setMode(Eye::Mode mode) {
  eye_.mode = mode;
  turnHome();
  rebuild();
  emit modeChanged(mode);
}

/// From behind the camera and to its side; from above with its forward upwards.
void SpaceView::turnHome() {
  eye_.yaw_rad = contents_.behind_rad + (eye_.mode == Eye::Mode::Top ? 0.0f : 0.6f);
  eye_.pitch_rad = 0.5f;
}

void SpaceView::frameAll() {
  eye_.look(contents_.middle, contents_.reach);
  draw();
}

void SpaceView::tellNote() {
  if (contents_.points.empty()) return emit noteChanged("");
  const bool metric = session_.model.scene() && session_.model.scene()->metric;
  const QString grid =
      metric ? lengthText(contents_.grid_spacing) : tr("%1 %2").arg(contents_.grid_spacing).arg(contents_.grid_spacing == 1 ? tr("unit") : tr("units"));
  const QString from = eye_.mode == Eye::Mode::Top ? tr("from above") : eye_.mode == Eye::Mode::Camera ? tr("through the camera") : tr("orbit");
  emit noteChanged(tr("%1 · grid %2").arg(from, grid));
}

void SpaceView::makeBatch(Batch& batch, std::initializer_list<int> sizes) {
  const int stride = std::accumulate(sizes.begin(), sizes.end(), 0) * static_cast<int>(sizeof(float));
  batch.array.create();
  const QOpenGLVertexArrayObject::Binder bound(&batch.array);
  batch.buffer.create();
  batch.buffer.bind();
  GLuint attribute = 0;
  std::uintptr_t begins = 0;
  for (const int size : sizes) {
    glEnableVertexAttribArray(attribute);
    glVertexAttribPointer(attribute++, size, GL_FLOAT, GL_FALSE, stride, reinterpret_cast<const void*>(begins));
    begins += static_cast<std::uintptr_t>(size) * sizeof(float);
  }
  batch.buffer.release();
}

void SpaceView::initializeGL() {
  initializeOpenGLFunctions();
  connect(context(), &QOpenGLContext::aboutToBeDestroyed, this, &SpaceView::giveBack);
  const auto program = [this](const char* vertex, const char* fragment) {
    auto made = std::make_unique<QOpenGLShaderProgram>();
    made->addShaderFromSourceCode(QOpenGLShader::Vertex, vertex);
    made->addShaderFromSourceCode(QOpenGLShader::Fragment, fragment);
    if (!made->link()) qWarning("Space cannot draw: %s", qPrintable(made->log()));
    return made;
  };
  flat_ = program(kFlatVertex, kFlatFragment);
  shapes_ = program(kShapeVertex, kShapeFragment);
  textured_ = program(kPictureVertex, kPictureFragment);
  for (Batch* batch : {&lines_, &solids_, &now_}) makeBatch(*batch, {3, 4});
  for (Batch* batch : {&points_, &marked_}) makeBatch(*batch, {3, 4, 2});
  makeBatch(plate_, {3, 2});
}

void SpaceView::upload() {
  const auto fill = [](Batch& batch, const auto& vertices) {
    batch.count = static_cast<int>(vertices.size());
    batch.buffer.bind();
    batch.buffer.allocate(vertices.data(), static_cast<int>(vertices.size() * sizeof(vertices[0])));
    batch.buffer.release();
  };
  if (stale_upload_) fill(lines_, contents_.lines), fill(solids_, contents_.solids), fill(points_, contents_.points);
  if (stale_now_) fill(now_, camera_now_.lines), fill(plate_, camera_now_.picture);
  if (stale_marked_) fill(marked_, marked_points_);
  if (stale_picture_) texture_ = picture_.isNull() ? nullptr : std::make_unique<QOpenGLTexture>(picture_, QOpenGLTexture::DontGenerateMipMaps);
  stale_upload_ = stale_now_ = stale_marked_ = stale_picture_ = false;
}

/// Points and lines before and behind it stay seen.
void SpaceView::drawPicture() {
  if (!texture_ || plate_.count == 0) return;
  texture_->setMinMagFilters(QOpenGLTexture::Linear, QOpenGLTexture::Linear);
  texture_->setWrapMode(QOpenGLTexture::ClampToEdge);
  texture_->bind(0);
  textured_->bind();
  textured_->setUniformValue("clip_from_world", matrix());
  textured_->setUniformValue("picture", 0);
  glDepthMask(GL_FALSE);
  const QOpenGLVertexArrayObject::Binder bound(&plate_.array);
  glDrawArrays(GL_TRIANGLES, 0, plate_.count);
  glDepthMask(GL_TRUE);
  textured_->release();
  texture_->release();
}

void SpaceView::drawBatch(Batch& batch, QOpenGLShaderProgram& program, GLenum kind) {
  if (batch.count == 0) return;
  program.bind();
  program.setUniformValue("clip_from_world", matrix());
  program.setUniformValue("ratio", static_cast<float>(devicePixelRatioF()));
  program.setUniformValue("pivot", eye_.mode == Eye::Mode::Camera ? contents_.reach : eye_.distance);
  program.setUniformValue("haze", QVector3D(color::Night.redF(), color::Night.greenF(), color::Night.blueF()));
  const QOpenGLVertexArrayObject::Binder bound(&batch.array);
  glDrawArrays(kind, 0, batch.count);
  program.release();
}

void SpaceView::paintGL() {
  upload();
  glClearColor(color::Night.redF(), color::Night.greenF(), color::Night.blueF(), 1);
  glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
  glEnable(GL_DEPTH_TEST);
  glEnable(GL_PROGRAM_POINT_SIZE);
  glEnable(GL_BLEND);
  // The view itself stays opaque: what is behind it must not shine through soft edges.
  glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ONE, GL_ONE_MINUS_SRC_ALPHA);
  drawBatch(solids_, *flat_, GL_TRIANGLES);
  drawBatch(lines_, *flat_, GL_LINES);
  drawBatch(now_, *flat_, GL_LINES);
  drawPicture();
  drawBatch(points_, *shapes_, GL_POINTS);
  glDisable(GL_DEPTH_TEST);
  drawBatch(marked_, *shapes_, GL_POINTS);
}

void SpaceView::resizeGL(int width, int height) { overlay_->setGeometry(0, 0, width, height); }

void SpaceView::drawOverlay(QPainter& painter) const {
  painter.setRenderHint(QPainter::Antialiasing);
  gesture_.draw(painter);
  if (const auto at = placeOf(session_.selection.hovered())) {
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(session_.selection.contains(session_.selection.hovered()) ? color::Lamp : color::Text, 1.4));
    painter.drawEllipse(*at, 7, 7);
  }
  if (contents_.points.empty()) {
    painter.setPen(color::Quiet);
    painter.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap,
                     !session_.model.hasFootage() ? ""
                     : session_.model.solution()  ? tr("Nothing is shown: the tracks of this solve are hidden.")
                                                  : tr("Points and camera appear here\nonce these tracks are solved."));
    return;
  }
  if (!contents_.scale.isEmpty()) drawNote(painter, contents_.scale, {8, height() - 8});
  if (eye_.mode != Eye::Mode::Camera || !session_.model.solution()) return;
  const Lens lens = session_.model.solution()->lensIn(session_.playback.frame());
  const double scale = std::min(static_cast<double>(width()) / lens.width, static_cast<double>(height()) / lens.height);
  const QSizeF size(scale * lens.width, scale * lens.height);
  painter.setBrush(Qt::NoBrush);
  painter.setPen(QPen(color::Edge, 1));
  painter.drawRect(QRectF(QPointF((width() - size.width()) / 2, (height() - size.height()) / 2), size));
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

std::optional<QPointF> SpaceView::onScreen(const QMatrix4x4& clip_from_world, const SpacePoint& point) const {
  const QVector4D clip = clip_from_world * QVector4D(point.x, point.y, point.z, 1);
  if (clip.w() <= 0) return std::nullopt;
  return QPointF((clip.x() / clip.w() + 1) / 2 * static_cast<float>(width()), (1 - clip.y() / clip.w()) / 2 * static_cast<float>(height()));
}

std::optional<QPointF> SpaceView::placeOf(int track) const {
  const auto found = std::find(contents_.point_ids.begin(), contents_.point_ids.end(), track);
  if (found == contents_.point_ids.end()) return std::nullopt;
  return onScreen(matrix(), contents_.points[static_cast<std::size_t>(found - contents_.point_ids.begin())]);
}

int SpaceView::nearest(const QPointF& place) const {
  double reach = 8;  // px
  const QMatrix4x4 clip_from_world = matrix();
  int best = 0;
  for (std::size_t i = 0; i < contents_.points.size(); ++i) {
    const auto at = onScreen(clip_from_world, contents_.points[i]);
    const double distance = at ? std::hypot(at->x() - place.x(), at->y() - place.y()) : 1e9;
    if (distance < reach) best = contents_.point_ids[i], reach = distance;
  }
  return best;
}

void SpaceView::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton) {
    gesture_.begin(event->position(), event->modifiers() & Qt::AltModifier ? ViewSettings::Tool::Lasso : session_.view.tool());
  } else {
    drag_ = event->button();
    dragged_ = false;
    drag_from_ = event->position();
  }
}

void SpaceView::mouseMoveEvent(QMouseEvent* event) {
  if (drag_ != Qt::NoButton) {
    const QPointF moved = event->position() - drag_from_;
    if (!dragged_ && moved.manhattanLength() < 4) return;
    dragged_ = true;
    drag_from_ = event->position();
    const auto right = static_cast<float>(moved.x()), down = static_cast<float>(moved.y());
    if (drag_ == Qt::RightButton && !(event->modifiers() & Qt::ShiftModifier))
      eye_.turn(right, down);
    else
      eye_.move(right, down, static_cast<float>(height()));
    draw();
  } else if (gesture_.active()) {
    gesture_.move(event->position());
    overlay_->update();
  } else {
    session_.selection.hover(nearest(event->position()));
  }
}

void SpaceView::mouseReleaseEvent(QMouseEvent* event) {
  if (drag_ != Qt::NoButton && event->button() == drag_) {
    drag_ = Qt::NoButton;
    if (!dragged_ && event->button() == Qt::RightButton) track_menu_->popup(event->globalPosition().toPoint());
    return;
  }
  if (!gesture_.active()) return;
  selectByGesture(
      gesture_, *event, session_.selection, [this](const QPointF& place) { return nearest(place); },
      [this](const auto& visit) {
        const QMatrix4x4 clip_from_world = matrix();
        for (std::size_t i = 0; i < contents_.points.size(); ++i) {
          if (const auto at = onScreen(clip_from_world, contents_.points[i])) visit(contents_.point_ids[i], *at);
        }
      });
  overlay_->update();
}

void SpaceView::wheelEvent(QWheelEvent* event) {
  eye_.approach(static_cast<float>(event->angleDelta().y()) / 8);
  draw();
}

void SpaceView::leaveEvent(QEvent*) { session_.selection.hover(0); }
}  // namespace dusky::desktop
