#include "apps/desktop/space/axis_rulers.h"

#include <cmath>

#include "apps/desktop/model/preferences.h"
#include "apps/desktop/paint/theme.h"
#include "core/base/numbers.h"

namespace dusky::desktop {
namespace {

/// Round values that are seen, `apart` px or more from each other.
std::vector<double> ticks(const AxisMeasure& measure, double length_px, double apart_px, double* step) {
  *step = roundTo125(std::abs(measure.per_px) * apart_px);
  const double low = std::min(measure.at(0), measure.at(length_px)), high = std::max(measure.at(0), measure.at(length_px));
  std::vector<double> values;
  for (double i = std::ceil(low / *step); i * *step <= high; ++i) values.push_back(i * *step);
  return values;
}

QString valueText(double value, double step) { return QString::number(std::abs(value) < step / 2 ? 0 : value, 'f', decimalsFor(step)); }

}  // namespace

AxisMeasure AxisMeasure::along(const QVector3D& direction, const QVector3D& middle, double units_per_px, double length_px) {
  const int axis = std::abs(direction.x()) > 0.5f ? 0 : std::abs(direction.y()) > 0.5f ? 1 : 2;
  const double per_px = std::copysign(units_per_px, direction[axis]);
  return {axis, middle[axis] - length_px / 2 * per_px, per_px};
}

void drawAxisRulers(QPainter& painter, const Eye& eye, const QSize& size, const SceneFrame& scene) {
  const double unit = scene.metric ? unitsPerMetre() : 1, units_per_px = unit * eye.unitsPerPx(static_cast<float>(size.height()));
  const Vec3 target = toUpAxis(scene.up, unit * Vec3(eye.target.x(), eye.target.y(), eye.target.z()));
  const QVector3D middle(static_cast<float>(target.x()), static_cast<float>(target.y()), static_cast<float>(target.z()));
  // The axes as numbers call them.
  const auto told = [&scene](const QVector3D& v) {
    const Vec3 t = toUpAxis(scene.up, Vec3(v.x(), v.y(), v.z()));
    return QVector3D(static_cast<float>(t.x()), static_cast<float>(t.y()), static_cast<float>(t.z()));
  };
  const AxisMeasure across = AxisMeasure::along(told(eye.right()), middle, units_per_px, size.width()),
                    upwards = AxisMeasure::along(told(eye.up()), middle, units_per_px, size.height());
  const QString sign = scene.metric ? unitSign() : QObject::tr("units");
  const QRectF foot(0, size.height() - kRulerFoot, size.width(), kRulerFoot), left(0, 0, kRulerLeft, size.height() - kRulerFoot);
  QColor ground = color::Night;
  ground.setAlpha(225);
  for (const QRectF& band : {foot, left}) painter.fillRect(band, ground);
  painter.setRenderHint(QPainter::Antialiasing, false);
  painter.setPen(QPen(color::Edge, 1));
  painter.drawLine(QPointF(kRulerLeft, foot.top()), foot.topRight());
  painter.drawLine(left.topRight(), left.bottomRight());
  const int line = painter.fontMetrics().height();
  const QString across_name = QObject::tr("%1, %2").arg(QChar('X' + across.axis)).arg(sign),
                up_name = QObject::tr("%1, %2").arg(QChar('X' + upwards.axis)).arg(sign);
  const double name_width = painter.fontMetrics().horizontalAdvance(across_name) + 12;
  painter.setPen(color::Quiet);
  double step = 1;
  for (const double value : ticks(across, size.width(), 76, &step)) {
    const double x = across.placeOf(value);
    if (x < kRulerLeft + 16 || x > size.width() - name_width - 20) continue;
    painter.drawLine(QPointF(x, foot.top()), QPointF(x, foot.top() + 4));
    painter.drawText(QRectF(x - 40, foot.top() + 3, 80, line), Qt::AlignCenter, valueText(value, step));
  }
  for (const double value : ticks(upwards, size.height(), 52, &step)) {
    const double y = size.height() - upwards.placeOf(value);
    if (y < line + 12 || y > left.bottom() - 8) continue;
    painter.drawLine(QPointF(left.right() - 4, y), QPointF(left.right(), y));
    painter.drawText(QRectF(0, y - line / 2.0, kRulerLeft - 7, line), Qt::AlignRight | Qt::AlignVCenter, valueText(value, step));
  }
  painter.setPen(color::Text);
  painter.drawText(foot.adjusted(0, 0, -6, 0), Qt::AlignRight | Qt::AlignVCenter, across_name);
  painter.drawText(QRectF(4, 3, kRulerLeft - 6, line), Qt::AlignLeft | Qt::AlignVCenter, up_name);
  painter.setRenderHint(QPainter::Antialiasing);
}

}  // namespace dusky::desktop
