#include "core/solve/readout_search.h"

#include <fmt/format.h>

#include <cmath>

#include "core/solve/noise_floor.h"

namespace dusky {
namespace {

/// Mean over the pairs of the logarithm of noise over noise, and its standard deviation.
struct LogRatio {
  double mean = 0, sigma = kUnknown;
};

LogRatio logRatio(const std::vector<double>& now, const std::vector<double>& before) {
  double sum = 0, squares = 0, count = 0;
  for (std::size_t i = 0; i < now.size(); ++i) {
    const double ratio = std::log(now[i] / before[i]);
    if (!std::isfinite(ratio)) continue;
    sum += ratio, squares += ratio * ratio, ++count;
  }
  constexpr double kFewest = 6;
  if (count < kFewest) return {};
  const double mean = sum / count;
  return {mean, std::sqrt(std::max(1e-12, squares / count - mean * mean) / (count - 1))};
}

/// Where a track was `late` frames before one of its sightings: on the parabola through it and its neighbours; at an end on the line.
Vec2 before(const std::vector<Observation>& seen, std::size_t i, double late) {
  const Vec2& here = seen[i].position;
  const std::size_t a = i > 0 ? i - 1 : 0, b = std::min(i + 1, seen.size() - 1);
  const double from = seen[i].frame - seen[a].frame, to = seen[b].frame - seen[i].frame;
  if (from == 0 || to == 0) return here - late / (from + to) * (seen[b].position - seen[a].position);
  const Vec2 slope_a = (here - seen[a].position) / from, slope_b = (seen[b].position - here) / to;
  const Vec2 bend = (slope_b - slope_a) / (from + to), slope = (slope_a * to + slope_b * from) / (from + to);
  return here - late * slope + late * late * bend;
}

/// Moving sightings along their tracks also evens out their noise: the logarithm of what is left of its standard deviation where it is independent from frame
/// to frame, over the rows of a picture. It must not speak for a slow shutter.
double logSmoothing(double readout) {
  const double late2 = readout * readout / 12, late4 = std::pow(readout, 4) / 80;
  return 0.5 * std::log(1 - 1.5 * late2 + 1.5 * late4);
}

}  // namespace

bool ReadoutFound::clear() const {
  constexpr double kGain = 0.04, kSigmas = 3.5;
  return gain > kGain && sigmas > kSigmas && isLikelyReadout(readout);
}

TrackSet withoutRolling(const TrackSet& tracks, double readout) {
  TrackSet out = tracks;
  for (std::size_t t = 0; t < tracks.tracks.size(); ++t) {
    const std::vector<Observation>& seen = tracks.tracks[t].observations;
    for (std::size_t i = 0; i < seen.size() && seen.size() > 1; ++i)
      out.tracks[t].observations[i].position = before(seen, i, readout * (seen[i].position.y() / tracks.height - 0.5));
  }
  return out;
}

ReadoutFound findReadout(const TrackSet& tracks) {
  const std::vector<double> without = pairNoise(tracks);
  const auto at = [&](double readout) {
    LogRatio ratio = logRatio(pairNoise(withoutRolling(tracks, readout)), without);
    ratio.mean -= logSmoothing(readout);
    return ratio;
  };
  ReadoutFound found;
  LogRatio best;
  for (const double readout : {-0.3, 0.15, 0.3, 0.5, 0.75, 1.0}) {
    const LogRatio ratio = at(readout);
    if (ratio.mean < best.mean) best = ratio, found.readout = readout;
  }
  if (found.readout == 0) return found;
  // A parabola about the least.
  constexpr double kStep = 0.12;
  for (double step = kStep; step > 0.02; step /= 2) {
    const LogRatio below = at(found.readout - step), above = at(found.readout + step);
    const double bend = below.mean + above.mean - 2 * best.mean;
    const double move = bend > 0 ? std::clamp(0.5 * step * (below.mean - above.mean) / bend, -step, step) : below.mean < above.mean ? -step : step;
    const LogRatio there = at(found.readout + move);
    if (there.mean < best.mean) best = there, found.readout += move;
  }
  found.gain = 1 - std::exp(best.mean), found.sigmas = -best.mean / best.sigma;
  return found;
}

bool isLikelyReadout(double readout) {
  constexpr double kLeast = 0.03, kMost = 1;
  return std::abs(readout) >= kLeast && std::abs(readout) <= kMost;
}

std::string whyRolling(double readout) { return fmt::format(" Its shutter rolls: the rows are read over {:.2f} of a frame.", std::abs(readout)); }

}  // namespace dusky
