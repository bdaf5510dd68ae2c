#include "apps/desktop/model/verdict_text.h"

#include <QObject>
#include <QStringList>
#include <cmath>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/model/preferences.h"

namespace dusky::desktop {

QString wordOf(TrustLevel level) {
  return level == TrustLevel::Trust ? QObject::tr("Trust") : level == TrustLevel::Check ? QObject::tr("Check") : QObject::tr("Do not use");
}

QString evidenceOf(const Verdict& verdict) {
  QStringList lines = {QString("<b style=\"color:%1\">%2</b>").arg(color::Text.name(), wordOf(verdict.level))};
  if (verdict.causes.empty()) lines << QString::fromStdString(verdict.sentence).toHtmlEscaped();
  for (const Cause& cause : verdict.causes) lines << QString::fromStdString(cause.sentence).toHtmlEscaped();
  if (!std::isnan(verdict.noise_floor_px)) lines << QObject::tr("Noise of the tracks by themselves: %1 px.").arg(pxText(verdict.noise_floor_px));
  // The sentence of a camera that is trusted says it already.
  if (!verdict.causes.empty() && !std::isnan(verdict.explained_share))
    lines << QObject::tr("Explained: %1 % of the sightings.").arg(100 * verdict.explained_share, 0, 'f', 0);
  if (!std::isnan(verdict.stability_px))
    lines << QObject::tr("Solved again from either half of the tracks, an insert moves by %1 px.").arg(pxText(verdict.stability_px));
  if (!verdict.causes.empty() && !std::isnan(verdict.pictures_off_px))
    lines << QObject::tr("Pictures of keyframes lie %1 px from where the camera has them.").arg(pxText(verdict.pictures_off_px));
  return lines.join("<br>");
}

}  // namespace dusky::desktop
