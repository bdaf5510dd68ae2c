#include "apps/desktop/space/point_scale.h"

#include <algorithm>
#include <cmath>

#include "apps/desktop/paint/track_text.h"
#include "core/image/color_scale.h"

namespace dusky::desktop {
namespace {

using PointColor = ViewSettings::PointColor;

double measureOf(const TrackMeasures& measures, PointColor by) {
  return by == PointColor::Depth ? measures.depth : by == PointColor::Parallax ? measures.parallax_deg : measures.depth_sigma_pc;
}

/// What is near, and what hardly turns, is light; what is not sure too.
bool lightIsLow(PointColor by) { return by != PointColor::DepthSigma; }

QString valueText(const Session& session, PointColor by, double value) {
  const auto& scene = session.model.scene();
  if (by == PointColor::Depth && scene) return sceneLengthText(*scene, value * scene->scene_from_solve.scale, 2);
  return by == PointColor::Parallax ? QObject::tr("%1°").arg(value, 0, 'g', 2) : QObject::tr("± %1 %").arg(value, 0, 'g', 2);
}

}  // namespace

PointScale::PointScale(const Session& session, PointColor by) : session_(session), by_(by) {
  if (by == PointColor::Picture || by == PointColor::Error || !session.facts.current() || !session.model.solution()) return;
  std::vector<double> values;
  for (const TrackMeasures& measures : session.facts.now()->tracks) {
    const SolvedTrack* track = session.model.solution()->find(measures.id);
    const double value = measureOf(measures, by);
    if (track && track->state == TrackState::Kept && value > 0 && std::isfinite(value)) values.push_back(value);
  }
  if (values.empty()) return;
  std::sort(values.begin(), values.end());
  const auto at = [&values](double share) { return values[static_cast<std::size_t>(share * static_cast<double>(values.size() - 1))]; };
  low_ = at(0.03), high_ = std::max(at(0.97), low_ * 1.0001);
  const QString name = by == PointColor::Depth ? QObject::tr("depth") : by == PointColor::Parallax ? QObject::tr("parallax") : QObject::tr("depth’s deviation");
  const QString low = valueText(session, by, low_), high = valueText(session, by, high_);
  text_ = lightIsLow(by) ? QObject::tr("%1: %2 light to %3 dark").arg(name, low, high) : QObject::tr("%1: %2 dark to %3 light").arg(name, low, high);
}

QColor PointScale::colorOf(int track) const {
  const TrackMeasures* measures = std::isnan(low_) ? nullptr : session_.facts.now()->find(track);
  const double value = measures ? measureOf(*measures, by_) : kUnknown;
  double place = value > 0 ? std::clamp(std::log(value / low_) / std::log(high_ / low_), 0.0, 1.0) : kUnknown;
  if (lightIsLow(by_)) place = 1 - place;
  const Rgb c = errorColor(0.15 + 0.85 * place);  // the darkest is hardly seen on a dark ground
  return {c.r, c.g, c.b};
}

}  // namespace dusky::desktop
