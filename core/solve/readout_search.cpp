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

}  // namespace

bool ReadoutFound::clear() const {
  constexpr double kGain = 0.05, kSigmas = 2.5;
  return gain > kGain && sigmas > kSigmas && isLikelyReadout(readout);
}

TrackSet withoutRolling(const TrackSet& tracks, double readout) {
  TrackSet out = tracks;
  for (std::size_t t = 0; t < tracks.tracks.size(); ++t) {
    const std::vector<Observation>& seen = tracks.tracks[t].observations;
    for (std::size_t i = 0; i < seen.size() && seen.size() > 1; ++i) {
      const Observation &before = seen[i > 0 ? i - 1 : 0], &after = seen[std::min(i + 1, seen.size() - 1)];
      const Vec2 speed = (after.position - before.position) / (after.frame - before.frame);
      out.tracks[t].observations[i].position -= readout * (seen[i].position.y() / tracks.height - 0.5) * speed;
    }
  }
  return out;
}

ReadoutFound findReadout(const TrackSet& tracks) {
  const std::vector<double> without = pairNoise(tracks);
  const auto at = [&](double readout) { return logRatio(pairNoise(withoutRolling(tracks, readout)), without); };
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
