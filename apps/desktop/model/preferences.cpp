#include "apps/desktop/model/preferences.h"
#include "apps/desktop/model/user_settings.h"

#include <algorithm>
#include <cmath>

namespace dusky::desktop {
namespace {

PreferenceValues inRange(PreferenceValues v) {
  v.threads = std::clamp(v.threads, 0, 1024);
  v.frame_memory_mb = std::clamp(v.frame_memory_mb, 64, 65536);
  v.error_decimals = std::clamp(v.error_decimals, 1, 4);
  v.scale_percent = std::clamp(v.scale_percent, 75, 300);
  if (v.unit < LengthUnit::Metres || v.unit > LengthUnit::Feet) v.unit = LengthUnit::Metres;
  return v;
}

}  // namespace

Preferences& Preferences::instance() {
  static Preferences one;
  return one;
}

PreferenceValues Preferences::stored() {
  const QSettings kept = userSettings();
  const PreferenceValues usual;
  return inRange({.threads = kept.value("threads", usual.threads).toInt(),
                  .frame_memory_mb = kept.value("frame_memory_mb", usual.frame_memory_mb).toInt(),
                  .unit = static_cast<LengthUnit>(kept.value("length_unit", 0).toInt()),
                  .error_decimals = kept.value("error_decimals", usual.error_decimals).toInt(),
                  .scale_percent = kept.value("scale_percent", usual.scale_percent).toInt(),
                  .high_contrast = kept.value("high_contrast", false).toBool()});
}

void Preferences::set(const PreferenceValues& values) {
  const PreferenceValues now = inRange(values);
  if (now == values_) return;
  values_ = now;
  QSettings kept = userSettings();
  kept.setValue("threads", now.threads);
  kept.setValue("frame_memory_mb", now.frame_memory_mb);
  kept.setValue("length_unit", static_cast<int>(now.unit));
  kept.setValue("error_decimals", now.error_decimals);
  kept.setValue("scale_percent", now.scale_percent);
  kept.setValue("high_contrast", now.high_contrast);
  emit changed();
}

QString pxText(double error_px, int more) {
  return std::isnan(error_px) ? QStringLiteral("–") : QString::number(error_px, 'f', Preferences::instance().values().error_decimals + more);
}

double unitsPerMetre() {
  constexpr double kFeet = 1 / 0.3048, kCentimetres = 100;
  const LengthUnit unit = Preferences::instance().values().unit;
  return unit == LengthUnit::Feet ? kFeet : unit == LengthUnit::Centimetres ? kCentimetres : 1;
}

QString unitSign() {
  const LengthUnit unit = Preferences::instance().values().unit;
  return unit == LengthUnit::Feet ? QStringLiteral("ft") : unit == LengthUnit::Centimetres ? QStringLiteral("cm") : QStringLiteral("m");
}

QString lengthText(double metres, int digits) { return QStringLiteral("%1 %2").arg(metres * unitsPerMetre(), 0, 'g', digits).arg(unitSign()); }

}  // namespace dusky::desktop
