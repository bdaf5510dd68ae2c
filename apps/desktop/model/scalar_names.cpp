#include "apps/desktop/model/scalar_names.h"

#include <QObject>

#include "core/knowledge/known_scalars.h"

namespace dusky::desktop {

QString scalarName(const std::string& parameter) {
  if (parameter == "focal_px") return QObject::tr("focal length, px");
  if (parameter == "cx_px") return QObject::tr("axis from the left, px");
  if (parameter == "cy_px") return QObject::tr("axis from the top, px");
  if (parameter == "rotation_rad") return QObject::tr("rotation, rad");
  if (parameter == "readout_ms") return QObject::tr("readout time, ms");
  return QString::fromStdString(parameter) + (isKnownAngle(parameter) ? ", °" : "");
}

}  // namespace dusky::desktop
