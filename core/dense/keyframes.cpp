#include "core/dense/keyframes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/numbers.h"

namespace dusky {
namespace {

constexpr double kDegree = std::numbers::pi / 180;
constexpr double kBestAngle_rad = 5 * kDegree, kBelow_rad = 3 * kDegree, kAbove_rad = 12 * kDegree;
/// At which views tell the same.
constexpr double kSameAngle_rad = 2 * kDegree;
constexpr double kLeastParallax_rad = 0.25 * kDegree;
constexpr std::size_t kLeastShared = 8;

/// A frame and the points in it, ascending.
struct Looking {
  const SolvedFrame* frame;
  std::vector<std::size_t> points;
};

bool tells(const SolvedTrack& track) { return track.state == TrackState::Kept && !track.at_infinity; }

std::vector<Looking> lookingFrames(const Solution& solution) {
  std::vector<Looking> all;
  std::vector<std::size_t> by_number;
  const auto& frames = solution.frames;
  if (frames.empty()) return all;
  const int first = frames.front().frame;
  by_number.assign(static_cast<std::size_t>(frames.back().frame - first) + 1, frames.size());
  for (const SolvedFrame& frame : frames) {
    if (!frame.placed) continue;
    by_number[static_cast<std::size_t>(frame.frame - first)] = all.size();
    all.push_back({&frame, {}});
  }
  for (std::size_t k = 0; k < solution.tracks.size(); ++k) {
    if (!tells(solution.tracks[k])) continue;
    for (const TrackError& error : solution.tracks[k].errors) {
      const auto at = static_cast<std::size_t>(error.frame - first);
      if (error.frame >= first && at < by_number.size() && by_number[at] < all.size()) all[by_number[at]].points.push_back(k);
    }
  }
  return all;
}

/// What two frames have in common.
struct Pair {
  std::size_t shared = 0;
  double angle_rad = 0;  ///< The middle one of the shared points.
};

double angleBetween(const Vec3& a, const Vec3& b) { return std::atan2(a.cross(b).norm(), a.dot(b)); }

/// How well a point's depth is told by two views, by the angle between them and how large they see it: 0 to 1.
double worthOf(const Vec3& point, const Looking& a, const Looking& b) {
  const Vec3 from_a = point - a.frame->pose.centre, from_b = point - b.frame->pose.centre;
  const double angle = angleBetween(from_a, from_b), scale = from_a.norm() / from_b.norm();
  const double off = (angle - kBestAngle_rad) / (angle < kBestAngle_rad ? kBelow_rad : kAbove_rad);
  return std::exp(-0.5 * off * off) * std::min(scale, 1 / scale);
}

Pair pairOf(const Solution& solution, const Looking& a, const Looking& b) {
  Pair pair;
  std::vector<std::size_t> shared;
  std::set_intersection(a.points.begin(), a.points.end(), b.points.begin(), b.points.end(), std::back_inserter(shared));
  pair.shared = shared.size();
  std::vector<double> angles;
  for (const std::size_t k : shared) {
    const Vec3 &p = solution.tracks[k].point, from_a = p - a.frame->pose.centre, from_b = p - b.frame->pose.centre;
    angles.push_back(angleBetween(from_a, from_b));
  }
  if (!angles.empty()) pair.angle_rad = median(std::move(angles));
  return pair;
}

/// A place on the way for one keyframe: the frame that stands evenly there, and others near it, ascending, with it.
struct Slot {
  std::size_t even = 0;
  std::vector<std::size_t> near;
  std::vector<double> off;  ///< How far each is from the even place: 0 to 1.
};

/// Of a step, to either side.
constexpr double kSlotReach = 0.35;
constexpr std::size_t kMostInSlot = 5;

/// Of the frames from `first` to `last` those whose place on the way is near `at`, and the even one.
Slot slotAt(const std::vector<double>& way, double at, double step, std::size_t even, std::size_t first, std::size_t last) {
  std::vector<std::pair<double, std::size_t>> near;
  const double reach = kSlotReach * step;
  for (std::size_t k = first; k <= last; ++k) {
    if (k == even || std::abs(way[k] - at) < reach) near.emplace_back(k == even ? -1 : std::abs(way[k] - at), k);
  }
  std::sort(near.begin(), near.end());
  near.resize(std::min(near.size(), kMostInSlot));
  std::sort(near.begin(), near.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
  Slot slot{even, {}, {}};
  for (const auto& [off, k] : near) slot.near.push_back(k), slot.off.push_back(reach > 0 ? std::max(0.0, off) / reach : 0);
  return slot;
}

/// Evenly along the way that the view goes: by parallax, and by how much of what it sees goes.
std::vector<Slot> evenly(const Solution& solution, const std::vector<Looking>& frames, const KeyframeOptions& options) {
  constexpr double kLostPerStep = 0.1;
  std::vector<double> way(frames.size(), 0);
  for (std::size_t k = 1; k < frames.size(); ++k) {
    const Pair pair = pairOf(solution, frames[k - 1], frames[k]);
    const double lost = 1 - static_cast<double>(pair.shared) / static_cast<double>(std::max<std::size_t>(1, frames[k - 1].points.size()));
    const double turned = angleBetween(frames[k - 1].frame->pose.direction(Vec3::UnitZ()), frames[k].frame->pose.direction(Vec3::UnitZ()));
    way[k] = way[k - 1] + pair.angle_rad / (options.step_deg * kDegree) + std::min(lost / kLostPerStep, turned / (5 * kDegree));
  }
  const int wanted = std::clamp(static_cast<int>(std::lround(way.back())) + 1, 5, options.most);
  const double step = way.back() / (wanted - 1);
  std::vector<std::pair<std::size_t, double>> places;
  for (int i = 0; i < wanted; ++i) {
    const auto found = static_cast<std::size_t>(std::lower_bound(way.begin(), way.end(), step * i - 1e-12) - way.begin());
    const std::size_t k = std::min(found, frames.size() - 1);
    if (places.empty() || k > places.back().first) places.emplace_back(k, step * i);
  }
  std::vector<Slot> slots;
  for (std::size_t i = 0; i < places.size(); ++i) {
    const std::size_t first = i == 0 ? 0 : places[i - 1].first + 1, last = i + 1 == places.size() ? frames.size() - 1 : places[i + 1].first - 1;
    slots.push_back(slotAt(way, places[i].second, step, places[i].first, first, last));
  }
  return slots;
}

/// The frame of a slot, from `first` on, that is sharp and whose camera explains its tracks well, unless it stands too far from the even place for what it
/// gains.
Result<std::size_t> bestOf(const Slot& slot, std::size_t first, const std::vector<Looking>& frames, const SharpnessOf& sharpness) {
  constexpr double kOffCosts = 0.1;  // of a logarithm of sharpness, at the end of the slot
  if (slot.near.size() < 2) return slot.even;
  std::vector<int> numbers;
  std::vector<double> errors;
  for (const std::size_t k : slot.near) numbers.push_back(frames[k].frame->frame), errors.push_back(frames[k].frame->rms_px);
  const auto sharp = sharpness(numbers);
  if (!sharp.ok()) return sharp.error();
  std::vector<double> known = errors;
  std::erase_if(known, [](double error) { return std::isnan(error); });
  const double usual = known.empty() ? 0 : median(std::move(known));
  std::size_t best = slot.even;
  double most = -1e30;
  for (std::size_t i = 0; i < slot.near.size(); ++i) {
    const double loud = usual > 0 && errors[i] > usual ? std::log(errors[i] / usual) : 0;
    const double score = (*sharp)[i] - loud - kOffCosts * slot.off[i] * slot.off[i];
    if (slot.near[i] >= first && score > most) most = score, best = slot.near[i];
  }
  return best;
}

/// What the artist chose, where it has a camera.
std::vector<Slot> chosenByArtist(const std::vector<Looking>& frames, const std::vector<int>& chosen) {
  std::vector<Slot> slots;
  for (std::size_t k = 0; k < frames.size(); ++k) {
    if (std::binary_search(chosen.begin(), chosen.end(), frames[k].frame->frame)) slots.push_back({k, {k}, {0}});
  }
  return slots;
}

/// How much of a frame's picture each of its points stands for: those of one cell share it.
std::vector<double> sharesOf(const Solution& solution, const Looking& looking) {
  constexpr int kCells = 10;
  const Lens lens = solution.lensAt(*looking.frame);
  std::vector<int> cells;
  std::vector<double> counts(kCells * kCells, 0);
  for (const std::size_t k : looking.points) {
    const auto at = project(lens, looking.frame->pose, solution.tracks[k].point);
    const int x = at ? std::clamp(static_cast<int>(kCells * at->x() / lens.width), 0, kCells - 1) : 0;
    const int y = at ? std::clamp(static_cast<int>(kCells * at->y() / lens.height), 0, kCells - 1) : 0;
    cells.push_back(y * kCells + x);
    ++counts[static_cast<std::size_t>(cells.back())];
  }
  std::vector<double> shares;
  for (const int cell : cells) shares.push_back(1 / counts[static_cast<std::size_t>(cell)]);
  return shares;
}

/// Of a keyframe's points, how well another one tells their depth.
struct Telling {
  std::size_t other = 0;
  std::vector<std::pair<std::size_t, double>> worths;  ///< Which of its points, and 0 to 1.
  double fresh = 1;                                    ///< How far it lies from those that were chosen, 0 to 1.
};

std::vector<Telling> tellingOf(const Solution& solution, const std::vector<Looking>& frames, std::size_t key, const std::vector<std::vector<Pair>>& pairs) {
  std::vector<Telling> all;
  const Looking& own = frames[key];
  for (std::size_t j = 0; j < frames.size(); ++j) {
    if (j == key || pairs[key][j].shared < kLeastShared) continue;
    Telling telling{j, {}, 1};
    for (std::size_t i = 0; i < own.points.size(); ++i) {
      if (!std::binary_search(frames[j].points.begin(), frames[j].points.end(), own.points[i])) continue;
      telling.worths.emplace_back(i, worthOf(solution.tracks[own.points[i]].point, own, frames[j]));
    }
    all.push_back(std::move(telling));
  }
  return all;
}

/// The best for one keyframe, one after the other: what they tell of its picture that those before do not (as Goesele et al., ICCV 2007, add views); what lies
/// near one that was chosen adds little.
std::vector<std::size_t> othersOf(const Solution& solution, const std::vector<Looking>& frames, std::size_t key, const std::vector<std::vector<Pair>>& pairs,
                                  std::size_t most) {
  constexpr double kTold = 0.7;  // of a point's depth, by a view at the best angle
  std::vector<Telling> left = tellingOf(solution, frames, key, pairs);
  std::vector<double> untold = sharesOf(solution, frames[key]);
  std::vector<std::size_t> chosen;
  while (chosen.size() < most && !left.empty()) {
    const auto gainOf = [&](const Telling& telling) {
      double gain = 0;
      for (const auto& [point, worth] : telling.worths) gain += untold[point] * worth;
      return telling.fresh * gain;
    };
    std::vector<double> gains;
    for (const Telling& telling : left) gains.push_back(gainOf(telling));
    const auto best = std::max_element(gains.begin(), gains.end());
    if (!(*best > 0)) break;
    const auto at = left.begin() + (best - gains.begin());
    const std::size_t j = at->other;
    chosen.push_back(j);
    for (const auto& [point, worth] : at->worths) untold[point] *= 1 - kTold * worth;
    left.erase(at);
    for (Telling& telling : left) {
      const double near = pairs[j][telling.other].shared < kLeastShared ? 1 : pairs[j][telling.other].angle_rad / kSameAngle_rad;
      telling.fresh *= 1 - 0.6 * std::exp(-near * near);
    }
  }
  return chosen;
}

}  // namespace

Result<std::vector<Keyframe>> chooseKeyframes(const Solution& solution, const KeyframeOptions& options, const SharpnessOf& sharpness) {
  const std::vector<Looking> frames = lookingFrames(solution);
  if (frames.size() < 3)
    return invalidInput(fmt::format("Dense points need at least 3 frames with a camera; there are {}. Solve more of the shot.", frames.size()));
  const std::vector<Slot> slots = options.frames.empty() ? evenly(solution, frames, options) : chosenByArtist(frames, options.frames);
  if (slots.size() < 3)
    return invalidInput(fmt::format("Dense points need at least 3 keyframes with a camera; there are {}. Add some in the Dense step.", slots.size()));
  std::vector<std::size_t> at;
  for (const Slot& slot : slots) {
    const auto best = sharpness ? bestOf(slot, at.empty() ? 0 : at.back() + 1, frames, sharpness) : Result<std::size_t>(slot.even);
    if (!best.ok()) return best.error();
    at.push_back(*best);
  }
  std::vector<Looking> chosen;
  for (const std::size_t k : at) chosen.push_back(frames[k]);
  std::vector<std::vector<Pair>> pairs(chosen.size(), std::vector<Pair>(chosen.size()));
  for (std::size_t i = 0; i < chosen.size(); ++i) {
    for (std::size_t j = i + 1; j < chosen.size(); ++j) pairs[i][j] = pairs[j][i] = pairOf(solution, chosen[i], chosen[j]);
  }
  std::vector<Keyframe> keys;
  double widest = 0;
  for (std::size_t i = 0; i < chosen.size(); ++i) {
    Keyframe key{.frame = chosen[i].frame->frame, .others = othersOf(solution, chosen, i, pairs, options.others)};
    if (!key.others.empty()) key.parallax_rad = pairs[i][key.others.front()].angle_rad;
    widest = std::max(widest, key.parallax_rad);
    keys.push_back(std::move(key));
  }
  if (solution.motion == MotionKind::Nodal || widest < kLeastParallax_rad)
    return invalidInput(fmt::format("The camera {}: without parallax nothing tells how deep the set is. Dense points need a camera that moves through the set.",
                                    solution.motion == MotionKind::Nodal ? "only rotates" : "hardly moves beside how far the set is"));
  return keys;
}

Result<DepthReach> depthReach(const Solution& solution, const SolvedFrame& frame) {
  std::vector<double> depths;
  for (const SolvedTrack& track : solution.tracks) {
    if (!tells(track)) continue;
    const bool seen = std::any_of(track.errors.begin(), track.errors.end(), [&](const TrackError& error) { return error.frame == frame.frame; });
    const double depth = frame.pose.toCamera(track.point).z();
    if (seen && depth > 0) depths.push_back(depth);
  }
  if (depths.size() < kLeastShared)
    return invalidInput(fmt::format("Frame {} shows {} points of known depth: too few to say how far the set reaches there.", frame.frame, depths.size()));
  std::sort(depths.begin(), depths.end());
  constexpr double kRoom = 1.6;
  const std::size_t cut = depths.size() / 50;
  return DepthReach{depths[cut] / kRoom, depths[depths.size() - 1 - cut] * kRoom};
}

}  // namespace dusky
