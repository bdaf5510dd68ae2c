// Dense points and their surface in Space: drawn as far as time allows, cut with a lasso.
#include <QElapsedTimer>
#include <algorithm>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/paint/view_note.h"
#include "apps/desktop/space/axis_rulers.h"
#include "apps/desktop/space/space_view.h"
#include "core/dense/measure.h"
#include "core/scene/seen_mesh.h"

namespace dusky::desktop {
namespace {

constexpr double kFrame_ms = 62;  // of a picture while the eye moves: 16 in a second
constexpr double kLeastTime_ms = 6, kRestingTime_ms = 600;
constexpr int kRestAfter_ms = 220;
constexpr std::size_t kLeastDrawn = 12'000;

using Tool = ViewSettings::Tool;

std::vector<SpaceVertex> facesOf(const Surface& surface) {
  std::vector<SpaceVertex> faces;
  const SetMesh& mesh = surface.mesh;
  const Vec3 towards = Vec3(0.4, 0.8, 0.45).normalized();
  faces.reserve(3 * mesh.triangles.size());
  for (const auto& triangle : mesh.triangles) {
    const auto &a = mesh.points[triangle[0]], &b = mesh.points[triangle[1]], &c = mesh.points[triangle[2]];
    const auto light = static_cast<float>(0.5 + 0.5 * facingLight((b - a).cross(c - a).normalized().cast<double>(), towards));
    for (const std::uint32_t corner : triangle) {
      const auto& p = mesh.points[corner];
      const auto color = mesh.colors.empty() ? std::array<std::uint8_t, 3>{180, 180, 180} : mesh.colors[corner];
      const auto part = [&](std::size_t k) { return std::min(1.0f, light * static_cast<float>(color[k]) / 255); };
      faces.push_back({p.x(), p.y(), p.z(), part(0), part(1), part(2), 1});
    }
  }
  return faces;
}

}  // namespace

void SpaceView::connectDense() {
  connect(&session_.dense, &DenseStore::pickedChanged, overlay_, qOverload<>(&QWidget::update));
  connect(&session_.dense, &DenseStore::changed, this, &SpaceView::rebuildDense);
  rest_.setSingleShot(true);
  rest_.setInterval(kRestAfter_ms);
  connect(&rest_, &QTimer::timeout, this, [this] {
    moving_ = false;
    update();
  });
}

/// While the eye moves less is drawn.
void SpaceView::eyeMoves() {
  moving_ = true;
  rest_.start();
}

void SpaceView::rebuildDense() {
  if (dense_now_ != session_.dense.points()) dense_now_ = session_.dense.points(), dense_.stale = dense_going_.stale = true;
  const auto surface = session_.view.denseShown() == ViewSettings::DenseShown::Mesh ? session_.dense.surface() : nullptr;
  if (surface_now_ != surface) {
    surface_now_ = surface;
    surface_faces_ = surface ? facesOf(*surface) : std::vector<SpaceVertex>();
    surface_.stale = true;
  }
  rebuildRegion();
  draw();
}

/// The box that dense points stay in.
void SpaceView::rebuildRegion() {
  region_lines_.clear();
  if (const auto& box = session_.model.document().dense.clean.region; box && session_.view.denseShown() != ViewSettings::DenseShown::Nothing) {
    const auto corner = [&](int k) {
      return SpaceVertex{static_cast<float>(k & 1 ? box->high.x() : box->low.x()),
                         static_cast<float>(k & 2 ? box->high.y() : box->low.y()),
                         static_cast<float>(k & 4 ? box->high.z() : box->low.z()),
                         0.78f,
                         0.74f,
                         0.86f,
                         0.8f};
    };
    for (int k = 0; k < 8; ++k) {
      for (const int axis : {1, 2, 4}) {
        if (!(k & axis)) region_lines_.push_back(corner(k)), region_lines_.push_back(corner(k | axis));
      }
    }
  }
  region_.stale = true;
}

void SpaceView::makeDenseBatch(Batch& batch) {
  batch.array.create();
  const QOpenGLVertexArrayObject::Binder bound(&batch.array);
  batch.buffer.create();
  batch.buffer.bind();
  glEnableVertexAttribArray(0), glEnableVertexAttribArray(1);
  glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, sizeof(DenseVertex), nullptr);
  glVertexAttribPointer(1, 4, GL_UNSIGNED_BYTE, GL_TRUE, sizeof(DenseVertex), reinterpret_cast<const void*>(3 * sizeof(float)));
  batch.buffer.release();
}

/// As many of the first as a picture has time for, by what the last ones took.
void SpaceView::drawDense() {
  using Shown = ViewSettings::DenseShown;
  const Shown shown = session_.view.denseShown();
  if (shown == Shown::Nothing) return;
  drawBatch(region_, *flat_, GL_LINES);
  if (shown == Shown::Mesh) return drawBatch(surface_, *flat_, GL_TRIANGLES);
  if (!dense_now_) return;
  const auto all = static_cast<std::size_t>(dense_.count + (session_.view.goingDenseShown() ? dense_going_.count : 0));
  if (all == 0) return;
  const double time = moving_ ? movingTime_ms() : kRestingTime_ms;
  const std::size_t most = ms_per_dense_ > 0 ? std::max(kLeastDrawn, static_cast<std::size_t>(time / ms_per_dense_)) : kLeastDrawn;
  const double share = std::min(1.0, static_cast<double>(most) / static_cast<double>(all));
  glFinish();  // what came before is not its time
  QElapsedTimer watch;
  watch.start();
  specks_->bind();
  specks_->setUniformValue("clip_from_world", matrix());
  specks_->setUniformValue("size", static_cast<float>(devicePixelRatioF() * std::clamp(1.6 / std::sqrt(share), 1.6, 4.0)));
  const auto drawSome = [&](Batch& batch, const QVector4D& tint) {
    const int count = static_cast<int>(std::ceil(share * batch.count));
    if (count == 0) return;
    specks_->setUniformValue("tint_all", tint);
    const QOpenGLVertexArrayObject::Binder bound(&batch.array);
    glDrawArrays(GL_POINTS, 0, count);
  };
  drawSome(dense_, {0, 0, 0, 0});
  const QColor glow = errorQColor(0.8, 1);
  if (session_.view.goingDenseShown()) drawSome(dense_going_, {glow.redF(), glow.greenF(), glow.blueF(), 0.85f});
  specks_->release();
  glFinish();
  dense_drawn_ = static_cast<std::size_t>(share * static_cast<double>(all));
  learnDenseTime(static_cast<double>(watch.nsecsElapsed()) / 1e6);
}

/// What else of a picture takes, by how long it was since the last one, is no time for points.
double SpaceView::movingTime_ms() {
  constexpr double kPause_ms = 400;
  const double since = since_dense_.isValid() ? static_cast<double>(since_dense_.nsecsElapsed()) / 1e6 : kPause_ms;
  since_dense_.start();
  if (since < kPause_ms) other_ms_ = 0.7 * other_ms_ + 0.3 * std::max(0.0, since - took_dense_ms_);
  return std::clamp(kFrame_ms - other_ms_, kLeastTime_ms, kFrame_ms);
}

/// At rest more are drawn at once where there was time for more.
void SpaceView::learnDenseTime(double took_ms) {
  took_dense_ms_ = took_ms;
  const double each = took_ms / std::max(1.0, static_cast<double>(dense_drawn_));
  ms_per_dense_ = ms_per_dense_ <= 0 ? each : 0.5 * (ms_per_dense_ + each);
  const std::size_t all = static_cast<std::size_t>(dense_.count + (session_.view.goingDenseShown() ? dense_going_.count : 0));
  const bool more = !moving_ && dense_drawn_ < all && kRestingTime_ms / ms_per_dense_ > 1.5 * static_cast<double>(dense_drawn_);
  if (more) QTimer::singleShot(0, this, [this] { update(); });
}

DenseCut SpaceView::shapeOf(const QPolygonF& region) const {
  constexpr double kEndless = 1e9;
  DenseCut cut{.along = lookedAlong(), .near = -kEndless, .far = kEndless, .keeps = session_.view.tool() == Tool::DenseKeep};
  const QMatrix4x4 clip_from_world = matrix();
  for (int r = 0; r < 4; ++r)
    for (int c = 0; c < 4; ++c) cut.clip_from_scene(r, c) = static_cast<double>(clip_from_world(r, c));
  for (const QPointF& p : region) cut.outline.emplace_back(2 * p.x() / width() - 1, 1 - 2 * p.y() / height());
  if (brushing()) cut.brush = 2 * session_.view.brushRadius() / height(), cut.aspect = static_cast<double>(width()) / height();
  return cut;
}

/// The dense points inside of a region on the screen, over a sample of them.
SpaceView::DensePick SpaceView::denseIn(const QPolygonF& region) const {
  constexpr std::size_t kSample = 300'000;
  DensePick pick;
  if (!dense_now_) return pick;
  const QMatrix4x4 clip_from_world = matrix();
  const DenseCut shape = shapeOf(region);
  const double beyond = brushing() ? session_.view.brushRadius() : 0;
  const QRectF bounds = region.boundingRect().adjusted(-beyond, -beyond, beyond, beyond);
  const std::size_t sample = std::min(kSample, dense_now_->kept.size());
  pick.near = 1e30, pick.far = -1e30;
  const Vec3 along = lookedAlong();
  std::vector<double> depths;
  for (std::size_t k = 0; k < sample; ++k) {
    const DenseVertex& p = dense_now_->kept[k];
    const auto at = onScreen(clip_from_world * QVector4D(p.x, p.y, p.z, 1));
    if (at && bounds.contains(*at) && shape.covers({2 * at->x() / width() - 1, 1 - 2 * at->y() / height()}))
      depths.push_back(along.dot(Vec3(static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z))));
  }
  if (depths.empty()) return pick;
  const auto [near, far] = std::minmax_element(depths.begin(), depths.end());
  pick.near = *near, pick.far = *near + depth_share_ * (*far - *near);
  const auto inside = std::count_if(depths.begin(), depths.end(), [&](double depth) { return depth <= pick.far; });
  pick.count = static_cast<double>(inside) * static_cast<double>(dense_now_->kept.size()) / static_cast<double>(sample);
  pick.exact = sample == dense_now_->kept.size();
  return pick;
}

Vec3 SpaceView::lookedAlong() const {
  const auto ray = sight().ray(QPointF(width() / 2.0, height() / 2.0));
  return ray ? ray->direction : Vec3::UnitZ();
}

bool SpaceView::boxing() const { return cutting() && session_.view.cutShape() == ViewSettings::CutShape::Box; }

bool SpaceView::cutting() const { return session_.view.tool() == Tool::DenseCut || session_.view.tool() == Tool::DenseKeep; }

/// What is drawn round, or over, goes, or all else does: as a rule that undo takes back. A brush stays in the hand.
void SpaceView::cutDense(const QPolygonF& region) {
  const bool keeps = session_.view.tool() == Tool::DenseKeep;
  const DensePick pick = denseIn(region);
  if (pick.count <= 0) return;
  // Without a limit it reaches through everything, what other results may have there too.
  DenseCut cut = shapeOf(region);
  if (depth_share_ < 1) cut.far = pick.far + 1e-6 * (1 + std::abs(pick.far));
  DenseSettings settings = session_.model.document().dense;
  settings.clean.cuts.push_back(std::move(cut));
  if (!brushing()) session_.view.setTool(Tool::Box);
  session_.model.set(keeps ? "Keep dense points inside" : "Cut dense points", &Document::dense, settings);
}

/// The dense point under the pointer, or near it, that stands before the others.
void SpaceView::measureAt(const QPointF& place) {
  constexpr double kReach_px = 6;
  const auto& points = session_.dense.points();
  const SceneSight seen = sight();
  const auto ray = seen.ray(place), beside = seen.ray(place + QPointF(kReach_px, 0));
  if (!points || !ray || !beside) return;
  const double within = (beside->from - ray->from).norm(), per_unit = (beside->direction - ray->direction).norm();
  const auto at = [](const DenseVertex& p) { return Vec3(static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z)); };
  const auto found = pickedPoint(points->kept, at, {ray->from, ray->direction, within, per_unit});
  if (found) session_.dense.pick(at(points->kept[*found]));
}

void SpaceView::drawMeasured(QPainter& painter) const {
  constexpr double kArm_px = 5;
  const SceneSight seen = sight();
  std::optional<QPointF> before;
  const std::vector<Vec3> picked = session_.dense.picked();
  for (std::size_t k = 0; k < picked.size(); ++k) {
    const auto at = seen.see(picked[k]);
    painter.setPen(QPen(color::Lamp, 1.2));
    if (at && before) painter.drawLine(*before, *at);
    if (at) {
      painter.setPen(QPen(color::Text, 1.6));
      painter.drawLine(*at - QPointF(kArm_px, kArm_px), *at + QPointF(kArm_px, kArm_px));
      painter.drawLine(*at - QPointF(kArm_px, -kArm_px), *at + QPointF(kArm_px, -kArm_px));
      painter.drawText(*at + QPointF(8, -6), QString::number(k + 1));
    }
    before = at;
  }
}

void SpaceView::drawDenseNotes(QPainter& painter) const {
  const int left = eye_.alongAxis() ? kRulerLeft + 8 : 8;
  if (measuring()) return drawNote(painter, tr("Click dense points: their places, lengths and plane stand in the step"), {left, 30});
  if (cutting()) {
    const QPolygonF region = gesture_.region();
    if (brushing()) {
      painter.setBrush(Qt::NoBrush);
      painter.setPen(QPen(color::Lamp, 1.2));
      painter.drawEllipse(pointer_, session_.view.brushRadius(), session_.view.brushRadius());
    }
    if (region.isEmpty()) {
      const bool keeps = session_.view.tool() == Tool::DenseKeep;
      const QString way =
          brushing() ? tr("Brush over the dense points that %1 · Shift and wheel: brush · Backspace ends it") : tr("Draw round the dense points that %1");
      drawNote(painter, way.arg(keeps ? tr("stay") : tr("go")), {left, 30});
      return;
    }
    const DensePick pick = denseIn(region);
    const QString count = QLocale().toString(static_cast<qlonglong>(std::llround(pick.count)));
    QString text = session_.view.tool() == Tool::DenseKeep ? tr("%1%2 dense points stay").arg(pick.exact ? "" : tr("about "), count)
                                                           : tr("%1%2 dense points go").arg(pick.exact ? "" : tr("about "), count);
    if (depth_share_ < 1 && session_.model.scene())
      text += tr(" · to %1 behind the nearest").arg(sceneLengthText(*session_.model.scene(), pick.far - pick.near, 2));
    drawNote(painter, tr("%1 · wheel: how deep").arg(text), {left, 30});
  }
}

}  // namespace dusky::desktop
