#include "apps/desktop/plate/plate_mesh.h"

#include <QMetaObject>

namespace dusky::desktop {
namespace {

constexpr std::size_t kMostLines = 12000;
constexpr int kShadeWidth = 640;

QImage pictureOf(const Plane<float>& light) {
  QImage picture(light.width, light.height, QImage::Format_ARGB32_Premultiplied);
  constexpr double kCover = 0.62;
  for (int y = 0; y < light.height; ++y) {
    auto* row = reinterpret_cast<QRgb*>(picture.scanLine(y));
    for (int x = 0; x < light.width; ++x) {
      const float value = light.row(y)[x];
      const auto level = [value](double tint) { return static_cast<int>(255 * kCover * tint * std::max(0.0f, value)); };
      row[x] = value < 0 ? qRgba(0, 0, 0, 0) : qRgba(level(0.80), level(0.74), level(0.90), static_cast<int>(255 * kCover));
    }
  }
  return picture;
}

}  // namespace

PlateMesh::PlateMesh(Session& session, QObject* parent)
    : QObject(parent), session_(session), worker_([this](std::stop_token stop) { work(std::move(stop)); }) {}

PlateMesh::~PlateMesh() = default;

bool PlateMesh::Asked::is(const SceneCamera& seen_by, const MeshSurfacePtr& surface, const MeshSettings& placed, ViewSettings::MeshStyle drawn_as) const {
  const Pose &a = camera.pose, &b = seen_by.pose;
  return a.centre == b.centre && a.world_from_camera.coeffs() == b.world_from_camera.coeffs() && camera.lens.model == seen_by.lens.model &&
         camera.lens.parameters() == seen_by.lens.parameters() && mesh.surface == surface && settings == placed && style == drawn_as;
}

/// What was worked out for another camera is not shown over this picture: it would look like a bad solve.
void PlateMesh::show(const std::optional<SceneCamera>& camera) {
  const MeshStore::Mesh& mesh = session_.mesh.mesh();
  const MeshSettings& placed = session_.model.document().mesh;
  const bool seen = camera && mesh.surface && session_.view.meshShown();
  if (seen && last_ && last_->is(*camera, mesh.surface, placed, session_.view.meshStyle())) return;
  std::optional<Asked> now;
  if (seen) now = Asked{*camera, mesh, placed, session_.view.meshStyle()};
  ++generation_;
  seen_ = {}, last_ = now;
  const std::lock_guard lock(mutex_);
  asked_.reset();
  if (!now) return;
  asked_ = {generation_, *now};
  wake_.notify_one();
}

PlateMesh::Seen PlateMesh::look(const Asked& asked, std::stop_token stop) {
  using Style = ViewSettings::MeshStyle;
  Seen seen;
  if (asked.style == Style::Solid) {
    seen.shade = pictureOf(shadeSeen(asked.camera, *asked.mesh.surface, asked.settings, kShadeWidth, stop));
    return seen;
  }
  auto edges = asked.mesh.edges;
  if (edges.size() > kMostLines) edges.resize(kMostLines);
  for (const auto& line : edgesSeen(asked.camera, *asked.mesh.drawn, edges, *asked.mesh.surface, asked.settings, asked.style == Style::HiddenLines, stop)) {
    QPolygonF places;
    for (const Vec2& p : line) places << QPointF(p.x(), p.y());
    seen.lines.push_back(std::move(places));
  }
  return seen;
}

void PlateMesh::work(std::stop_token stop) {
  for (;;) {
    std::unique_lock lock(mutex_);
    if (!wake_.wait(lock, stop, [this] { return asked_.has_value(); })) return;
    const auto [generation, asked] = std::move(*asked_);
    asked_.reset();
    lock.unlock();
    Seen seen = look(asked, stop);
    if (stop.stop_requested()) return;
    QMetaObject::invokeMethod(
        this,
        [this, generation = generation, seen = std::move(seen)] {
          if (generation != generation_) return;
          seen_ = seen;
          emit changed();
        },
        Qt::QueuedConnection);
  }
}

}  // namespace dusky::desktop
