#include "core/dense/sharpness.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

#include "core/base/numbers.h"

namespace dusky {
namespace {

constexpr int kReach_px = 7;
constexpr std::size_t kMostPoints = 400, kLeastShared = 12;

using EnergyByTrack = std::map<std::size_t, double>;

/// Sum of squared differences of grey values around a place; nothing where that leaves the picture.
std::optional<double> energyAt(const FloatPlane& grey, const Vec2& place) {
  const int x = static_cast<int>(std::floor(place.x())), y = static_cast<int>(std::floor(place.y()));
  if (x < kReach_px || y < kReach_px || x + kReach_px + 1 >= grey.width || y + kReach_px + 1 >= grey.height) return std::nullopt;
  double sum = 0;
  for (int v = y - kReach_px; v <= y + kReach_px; ++v) {
    const float *here = grey.row(v), *below = grey.row(v + 1);
    for (int u = x - kReach_px; u <= x + kReach_px; ++u) {
      const float across = here[u + 1] - here[u], down = below[u] - here[u];
      sum += static_cast<double>(across * across + down * down);
    }
  }
  return sum;
}

/// Where the camera sees its points in a frame, evenly thinned.
std::vector<std::pair<std::size_t, Vec2>> placesIn(const Solution& solution, int frame) {
  std::vector<std::pair<std::size_t, Vec2>> places;
  for (std::size_t k = 0; k < solution.tracks.size(); ++k) {
    const SolvedTrack& track = solution.tracks[k];
    if (track.state != TrackState::Kept) continue;
    const auto seen = std::lower_bound(track.errors.begin(), track.errors.end(), frame, [](const TrackError& e, int f) { return e.frame < f; });
    if (seen != track.errors.end() && seen->frame == frame && !std::isnan(seen->error_px)) places.emplace_back(k, seen->reprojected);
  }
  return places;
}

}  // namespace

Result<std::vector<double>> sharpnessOf(const Solution& solution, FrameSource& footage, const std::vector<int>& frames) {
  std::vector<double> sharpness(frames.size(), 0);
  EnergyByTrack first;
  for (std::size_t i = 0; i < frames.size(); ++i) {
    const auto read = footage.read(frames[i], FrameUse::Tracking);
    if (!read.ok()) return read.error();
    std::vector<double> ratios;
    const auto places = placesIn(solution, frames[i]);
    const std::size_t every = i == 0 ? 1 + places.size() / kMostPoints : 1;
    for (std::size_t k = 0; k < places.size(); k += every) {
      const auto& [track, at] = places[k];
      const auto before = first.find(track);
      if (i > 0 && before == first.end()) continue;
      const auto energy = energyAt(read->luma, at);
      if (!energy || !(*energy > 0)) continue;
      i == 0 ? void(first[track] = *energy) : ratios.push_back(std::log(*energy / before->second));
    }
    if (ratios.size() >= kLeastShared) sharpness[i] = median(std::move(ratios));
  }
  return sharpness;
}

}  // namespace dusky
