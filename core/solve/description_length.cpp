#include "core/solve/description_length.h"

#include <cmath>

#include "core/base/parallel.h"
#include "core/solve/drift.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

constexpr double kOutlier = 12;       // squared errors in standard deviations count no more than this
constexpr double kFocalOfZoom = 0.3;  // unknowns a frame: neighbours have nearly the same focal length
constexpr int kFewestFrames = 3;

/// Of one unknown that so many independent sightings determine.
double priceOf(double independent) { return std::log(std::max(2.0, 2 * independent)); }

/// Squared errors in noise, none counting more than an outlier does; what has no place or falls behind the camera is one.
double squaresOf(const std::vector<std::optional<Vec2>>& residuals, double sigma_px) {
  double sum = 0;
  for (const auto& r : residuals) sum += r ? std::min(r->squaredNorm() / (sigma_px * sigma_px), kOutlier) : kOutlier;
  return sum;
}

/// The residuals less the straight drift that explains most of them.
std::vector<std::optional<Vec2>> withoutDrift(std::vector<std::optional<Vec2>> residuals, const std::vector<WorkObservation>& at) {
  const auto when = [&](std::size_t i) { return static_cast<double>(at[i].frame_index - at.front().frame_index); };
  Drift drift;
  for (std::size_t i = 0; i < residuals.size(); ++i) {
    if (residuals[i]) drift.add(when(i), *residuals[i]);
  }
  if (!drift.isTold()) return residuals;
  for (std::size_t i = 0; i < residuals.size(); ++i) {
    if (residuals[i]) *residuals[i] -= drift.at(when(i));
  }
  return residuals;
}

/// A track is explained by a point that stands still, or by one that slides: its drift is four unknowns more, and one track in ten does it.
DescriptionLength lengthOfTrack(const Reconstruction& work, const Views& views, WorkTrack track, double far_rad, double sigma_px, double correlated) {
  constexpr double kDirection = 2, kDrift = 4, kRare = 4.6;
  track.point.reset();
  const auto placed = placeNearOrFar(work, views, track, false, far_rad);
  if (placed) track.point = placed->point;
  std::vector<std::optional<Vec2>> residuals;
  for (const WorkObservation& o : track.observations) {
    const bool seen = placed && work.poses[static_cast<std::size_t>(o.frame_index)];
    const auto shown = seen ? views.reproject(track, o) : std::nullopt;
    residuals.push_back(shown ? std::optional<Vec2>(*shown - o.seen) : std::nullopt);
  }
  const double independent = static_cast<double>(track.observations.size()) / correlated, depth = track.at_infinity ? 0 : 1;
  DescriptionLength still, slides;
  still.errors = squaresOf(residuals, sigma_px) / correlated;
  still.charge(kDirection, independent), still.chargeTold(depth, independent);
  if (track.observations.size() < 5) return still;
  slides.errors = squaresOf(withoutDrift(std::move(residuals), track.observations), sigma_px) / correlated;
  slides.charge(kDirection + kDrift, independent), slides.chargeTold(depth, independent);
  slides.unknowns += kRare;
  return slides.total() < still.total() ? slides : still;
}

}  // namespace

void DescriptionLength::charge(double unknown, double independent) { count += unknown, unknowns += unknown * priceOf(independent); }

void DescriptionLength::chargeTold(double unknown, double independent) {
  constexpr double kByChance = 2;
  count += unknown, unknowns += unknown * std::min(kByChance, priceOf(independent));
}

DescriptionLength descriptionLength(const Reconstruction& work, bool nodal, const std::vector<int>& frames, double sigma_px, double correlated, int most) {
  std::vector<std::uint8_t> wanted(work.poses.size(), 0);
  for (const int f : frames) wanted[static_cast<std::size_t>(f)] = 1;
  const auto counts = [&](const WorkObservation& o) { return wanted[static_cast<std::size_t>(o.frame_index)] != 0; };
  std::vector<std::size_t> tracks;
  for (std::size_t t = 0; t < work.tracks.size(); ++t) {
    const WorkTrack& track = work.tracks[t];
    if (!track.by_artist && std::count_if(track.observations.begin(), track.observations.end(), counts) >= kFewestFrames) tracks.push_back(t);
  }
  const double each = std::max(1.0, static_cast<double>(tracks.size()) / most);
  const int taken = static_cast<int>(static_cast<double>(tracks.size()) / each);
  const Views views(work);
  const double far_rad = nodal ? 10 : 2 * sigma_px / work.lens().focal_px;
  std::vector<DescriptionLength> parts(static_cast<std::size_t>(taken));
  parallelFor(
      taken,
      [&](int i) {
        WorkTrack track = work.tracks[tracks[static_cast<std::size_t>(i * each)]];
        std::erase_if(track.observations, [&](const WorkObservation& o) { return !counts(o); });
        parts[static_cast<std::size_t>(i)] = lengthOfTrack(work, views, std::move(track), far_rad, sigma_px, correlated);
      },
      8);
  DescriptionLength sum;
  for (const DescriptionLength& part : parts) sum.errors += part.errors, sum.unknowns += part.unknowns, sum.count += part.count;
  sum.errors *= each, sum.unknowns *= each, sum.count *= each;
  std::vector<double> in_frame(work.poses.size(), 0.0);
  double all = 0;
  for (const std::size_t t : tracks) {
    for (const WorkObservation& o : work.tracks[t].observations) in_frame[static_cast<std::size_t>(o.frame_index)] += counts(o), all += counts(o);
  }
  for (const int f : frames) {
    if (!work.poses[static_cast<std::size_t>(f)]) continue;
    const double independent = in_frame[static_cast<std::size_t>(f)] / correlated;
    sum.charge(3 + (work.focal_px.empty() ? 0 : kFocalOfZoom), independent), sum.chargeTold(nodal || work.arm ? 0 : 3, independent);
  }
  if (work.readout != 0) sum.charge(1, all / correlated);
  if (work.arm) sum.charge(2, all / correlated);
  return sum;
}

}  // namespace dusky
