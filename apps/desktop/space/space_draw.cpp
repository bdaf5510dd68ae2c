#include <numeric>
#include <utility>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/space/space_view.h"

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
// Dense points in their own colours, or in a tint as far as its alpha.
constexpr const char* kSpeckVertex = R"(#version 330 core
layout(location = 0) in vec3 place; layout(location = 1) in vec4 paint;
uniform mat4 clip_from_world; uniform float size; uniform vec4 tint_all; out vec4 tint;
void main() { gl_Position = clip_from_world * vec4(place, 1); gl_PointSize = size; tint = vec4(mix(paint.rgb, tint_all.rgb, tint_all.a), 1); })";
constexpr const char* kShapeVertex = R"(#version 330 core
layout(location = 0) in vec3 place; layout(location = 1) in vec4 paint; layout(location = 2) in vec2 look;
uniform mat4 clip_from_world; uniform float ratio; uniform float pivot; uniform float smaller; uniform vec3 haze; out vec4 tint; flat out int shape;
void main() {
  gl_Position = clip_from_world * vec4(place, 1);
  float near = pivot / max(gl_Position.w, 1e-6);
  gl_PointSize = smaller * ratio * look.y * clamp(near, 0.75, 2.4);
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

/// What lies on the graphics card, while there is a way to it.
void SpaceView::giveBack() {
  if (!flat_) return;
  makeCurrent();
  for (Batch* batch : {&lines_, &solids_, &points_, &now_, &marked_, &ellipsoids_, &plate_, &mesh_faces_, &mesh_edges_, &mesh_points_, &dense_, &dense_going_,
                       &surface_, &region_}) {
    batch->array.destroy();
    batch->buffer.destroy();
    batch->stale = true;
  }
  flat_.reset();
  shapes_.reset(), specks_.reset(), textured_.reset(), texture_.reset();
  stale_picture_ = true;
  doneCurrent();
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
  specks_ = program(kSpeckVertex, kFlatFragment);
  shapes_->bind();
  shapes_->setUniformValue("smaller", 1.0f);
  shapes_->release();
  for (Batch* batch : {&dense_, &dense_going_}) makeDenseBatch(*batch);
  for (Batch* batch : {&lines_, &solids_, &now_, &ellipsoids_, &mesh_faces_, &mesh_edges_, &surface_, &region_}) makeBatch(*batch, {3, 4});
  for (Batch* batch : {&points_, &marked_, &mesh_points_}) makeBatch(*batch, {3, 4, 2});
  makeBatch(plate_, {3, 2});
}

template <class Vertices>
void SpaceView::fill(Batch& batch, const Vertices& vertices) {
  if (!std::exchange(batch.stale, false)) return;
  batch.count = static_cast<int>(vertices.size());
  batch.buffer.bind();
  batch.buffer.allocate(vertices.data(), static_cast<int>(vertices.size() * sizeof(vertices[0])));
  batch.buffer.release();
}

void SpaceView::upload() {
  fill(lines_, contents_.lines), fill(points_, contents_.points);
  fill(solids_, solids_now_);
  fill(mesh_faces_, mesh_now_.faces), fill(mesh_edges_, mesh_now_.edges), fill(mesh_points_, mesh_now_.points);
  if (dense_now_) {
    fill(dense_, dense_now_->kept), fill(dense_going_, dense_now_->going);
  } else {
    dense_.count = dense_going_.count = 0;
  }
  fill(surface_, surface_faces_), fill(region_, region_lines_);
  fill(now_, camera_now_.lines), fill(plate_, camera_now_.picture);
  fill(marked_, marked_now_.points), fill(ellipsoids_, marked_now_.ellipsoids);
  if (std::exchange(stale_picture_, false))
    texture_ = picture_.isNull() ? nullptr : std::make_unique<QOpenGLTexture>(picture_, QOpenGLTexture::DontGenerateMipMaps);
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
  // Without perspective nothing is farther than anything else.
  program.setUniformValue("pivot", eye_.alongAxis() ? 1.0f : eye_.mode == Eye::Mode::Camera ? contents_.reach : eye_.distance);
  program.setUniformValue("haze", QVector3D(color::Night.redF(), color::Night.greenF(), color::Night.blueF()));
  const QOpenGLVertexArrayObject::Binder bound(&batch.array);
  glDrawArrays(kind, 0, batch.count);
  program.release();
}

/// Its faces a little farther off, so that edges and points on them are seen. Where it is lines, it hides nothing but its own.
void SpaceView::drawMesh() {
  glEnable(GL_POLYGON_OFFSET_FILL);
  glPolygonOffset(3, 200);
  drawBatch(mesh_faces_, *flat_, GL_TRIANGLES);
  glDisable(GL_POLYGON_OFFSET_FILL);
  drawBatch(mesh_edges_, *flat_, GL_LINES);
  drawBatch(mesh_points_, *shapes_, GL_POINTS);
  if (!mesh_now_.edges.empty()) glClear(GL_DEPTH_BUFFER_BIT);
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
  drawMesh();
  drawDense();
  drawBatch(solids_, *flat_, GL_TRIANGLES);
  drawBatch(lines_, *flat_, GL_LINES);
  drawBatch(now_, *flat_, GL_LINES);
  drawPicture();
  // Among dense points those of tracks stand back.
  const bool among = session_.view.denseShown() != ViewSettings::DenseShown::Nothing && (dense_now_ || surface_now_);
  shapes_->bind();
  shapes_->setUniformValue("smaller", among ? 0.55f : 1.0f);
  drawBatch(points_, *shapes_, GL_POINTS);
  shapes_->bind();
  shapes_->setUniformValue("smaller", 1.0f);
  glDisable(GL_DEPTH_TEST);
  drawBatch(ellipsoids_, *flat_, GL_LINES);
  drawBatch(marked_, *shapes_, GL_POINTS);
}

void SpaceView::resizeGL(int width, int height) { overlay_->setGeometry(0, 0, width, height); }

}  // namespace dusky::desktop
