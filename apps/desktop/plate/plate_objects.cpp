#include "apps/desktop/paint/solid_shade.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/plate/straight_picture.h"

namespace dusky::desktop {

void PlateView::refreshObjects() {
  objects_ = session_.view.objectsShown() ? plateObjects(session_.model, session_.objects.shown(), shownFrame()) : PlateObjects{};
  const auto moveAll = [this](QPolygonF& outline) {
    for (QPointF& p : outline) p = straightened(*straight_, p).value_or(p);
  };
  if (straight_) {
    for (PlateFace& face : objects_.faces) moveAll(face.outline);
    for (QPolygonF& shadow : objects_.shadows) moveAll(shadow);
  }
  occlusion_.show(session_.view.objectsShown() ? cameraShown() : std::nullopt);
  update();
}

/// Where the distortion is taken out, the set is seen through a lens without any.
std::optional<SceneCamera> PlateView::cameraShown() const {
  auto camera = cameraAt(session_.model, shownFrame());
  if (camera && straight_) camera->lens.model = LensModel::None;
  return camera;
}

void PlateView::refreshMesh() {
  const auto camera = cameraShown();
  mesh_.show(camera);
  occlusion_.show(session_.view.objectsShown() ? camera : std::nullopt);
  update();
}

void PlateView::drawMesh(QPainter& painter) const {
  const QSizeF whole = scale_ * QSizeF(picture_.size());
  if (!mesh_.shade().isNull()) painter.drawImage(QRectF(offset_, whole), mesh_.shade());
  painter.setPen(QPen(QColor(226, 214, 240, 190), 1));
  for (const QPolygonF& line : mesh_.lines()) painter.drawPolyline(toWidget(line));
}

SceneSight PlateView::sight() const {
  const auto camera = cameraAt(session_.model, shownFrame());
  const auto see = [this, camera](const Vec3& p) {
    const auto at = camera ? camera->see(p) : std::nullopt;
    return at ? std::optional(toWidget(asShown(*at))) : std::nullopt;
  };
  const auto ray = [this, camera](const QPointF& at) -> std::optional<SceneRay> {
    if (!camera) return std::nullopt;
    const Vec2 picture = place().toPicture(at);
    const auto sight = straight_ ? std::optional(Vec3(camera->lens.straightRay(picture).homogeneous().normalized())) : camera->lens.ray(picture);
    if (!sight) return std::nullopt;
    return SceneRay{camera->pose.centre, camera->pose.direction(*sight)};
  };
  return {see, ray};
}

void PlateView::drawFaces(QPainter& painter) const {
  for (const PlateFace& face : objects_.faces) {
    const QColor shade = solidColor(face.light);
    painter.setPen(QPen(shade, 0.6));
    painter.setBrush(shade);
    painter.drawPolygon(toWidget(face.outline));
  }
}

/// Shadows fall on the mesh where there is one, else on the plane that an object stands on; what the mesh hides of the objects is taken out of them.
void PlateView::drawSolids(QPainter& painter) const {
  const QRectF whole(offset_, scale_ * QSizeF(picture_.size()));
  if (occlusion_.hidden().isNull()) {
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(8, 5, 12, 150));
    for (const QPolygonF& shadow : objects_.shadows) painter.drawPolygon(toWidget(shadow));
    return drawFaces(painter);
  }
  painter.setRenderHint(QPainter::SmoothPixmapTransform);
  painter.drawImage(whole, occlusion_.shadow());
  QImage layer(devicePixelRatioF() * size(), QImage::Format_ARGB32_Premultiplied);
  layer.setDevicePixelRatio(devicePixelRatioF());
  layer.fill(Qt::transparent);
  QPainter onto(&layer);
  onto.setRenderHints(QPainter::Antialiasing | QPainter::SmoothPixmapTransform);
  drawFaces(onto);
  onto.setCompositionMode(QPainter::CompositionMode_DestinationOut);
  onto.drawImage(whole, occlusion_.hidden());
  onto.end();
  painter.drawImage(QPointF(), layer);
}

}  // namespace dusky::desktop
