#include "apps/desktop/plate/plate_mesh.h"

#include <QMetaObject>

#include "apps/desktop/plate/plate_marks.h"

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
    : QObject(parent), session_(session), worker_([this](const Asked& asked, std::stop_token dropped) { answer(asked, dropped); }) {}

bool PlateMesh::Asked::is(const Asked& other) const {
  return sameView(camera, other.camera) && mesh.surface == other.mesh.surface && settings == other.settings && style == other.style;
}

/// What was worked out for another camera is not shown over this picture: it would look like a bad solve.
void PlateMesh::show(const std::optional<SceneCamera>& camera) {
  const MeshStore::Mesh& mesh = session_.mesh.mesh();
  std::optional<Asked> now;
  if (camera && mesh.surface && session_.view.meshShown()) now = Asked{*camera, mesh, session_.model.document().mesh, session_.view.meshStyle()};
  if (now && last_ && now->is(*last_)) return;
  seen_ = {}, last_ = now;
  if (now)
    worker_.ask(*now);
  else
    worker_.dropOlder();
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

void PlateMesh::answer(const Asked& asked, std::stop_token dropped) {
  Seen seen = look(asked, dropped);
  if (dropped.stop_requested()) return;
  QMetaObject::invokeMethod(
      this,
      [this, seen = std::move(seen), dropped] {
        if (dropped.stop_requested()) return;
        seen_ = seen;
        emit changed();
      },
      Qt::QueuedConnection);
}

}  // namespace dusky::desktop
