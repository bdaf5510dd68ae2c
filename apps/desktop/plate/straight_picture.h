#pragma once
#include <QImage>

#include "apps/desktop/plate/plate_tool.h"
#include "core/lens/lens.h"

namespace dusky::desktop {

/// Where a px of the footage lies once the lens's distortion is taken out, with the same focal length and axis; nothing outside of the lens's
/// range.
std::optional<QPointF> straightened(const Lens& lens, const QPointF& footage);

/// The picture without the lens's distortion, as it lies in a widget of this size. `lens` belongs to the footage, which the picture may show
/// reduced. What the footage does not show stays transparent.
QImage straightPicture(const QImage& picture, const Lens& lens, const PlatePlace& place, const QSize& size);

}  // namespace dusky::desktop
