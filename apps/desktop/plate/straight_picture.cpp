#include "apps/desktop/plate/straight_picture.h"

#include "core/lens/straighten.h"

namespace dusky::desktop {

std::optional<QPointF> straightened(const Lens& lens, const QPointF& footage) {
  const auto n = lens.undistort({footage.x(), footage.y()});
  if (!n) return std::nullopt;
  const Vec2 at = lens.straightPixel(*n);
  return QPointF(at.x(), at.y());
}

QImage straightPicture(const QImage& picture, const Lens& lens, const PlatePlace& place, const QSize& size) {
  // Shown much smaller than it is, it would glitter: made small first, yet larger than the screen needs, or it would blur.
  constexpr double kFiner = 1.6;
  const double shrunk = kFiner * place.scale * lens.width / picture.width();
  const QImage fitting = shrunk < 0.7 ? picture.scaled(picture.size() * shrunk, Qt::IgnoreAspectRatio, Qt::SmoothTransformation) : picture;
  const QImage source = fitting.convertToFormat(QImage::Format_RGB32);
  QImage out(size, QImage::Format_ARGB32_Premultiplied);
  straighten(lens, {reinterpret_cast<const std::uint32_t*>(source.constBits()), source.width(), source.height(), source.bytesPerLine() / 4},
             {place.offset.x(), place.offset.y()}, place.scale,
             {reinterpret_cast<std::uint32_t*>(out.bits()), out.width(), out.height(), out.bytesPerLine() / 4});
  return out;
}

}  // namespace dusky::desktop
