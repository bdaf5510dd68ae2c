#include "core/dense/dense.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "core/base/atomic_file.h"
#include "core/dense/depth_search.h"
#include "core/dense/keyframes.h"
#include "core/dense/picture_offset.h"
#include "core/dense/sharpness.h"
#include "core/dense/smooth_map.h"
#include "core/dense/view_light.h"
#include "core/dense/view_shelf.h"

namespace dusky {
namespace {

constexpr std::size_t kMatched = 4;       ///< Others that a depth map is made from.
constexpr std::size_t kLeastOthers = 3;   ///< That a depth map is compared with, where memory is short.
constexpr std::size_t kMapsInMaking = 2;  ///< In memory while depth is searched for: pictures need the room.
// Bytes for each of its pixels: of a view that depth is made from, of a depth map, of one that is being searched, of points by the maps they come from (most
// while they are put in one row, cleaned up and written).
constexpr std::size_t kViewBytes = 16, kMapBytes = 27, kSearchBytes = 80, kPointBytes = 24;
constexpr std::size_t kProgramBytes = std::size_t{64} << 20;  ///< Whatever it makes.

int halvingsOf(DenseQuality quality) { return quality == DenseQuality::Draft ? 2 : quality == DenseQuality::Good ? 1 : 0; }

/// Between keyframes, degrees: of more views more agree on a point; a draft makes do with few.
double stepOf(DenseQuality quality) { return quality == DenseQuality::Draft ? 2 : quality == DenseQuality::Good ? 0.4 : 1; }

/// Keyframes, and how much of them is in memory at a time.
struct Plan {
  std::vector<Keyframe> keys;
  std::size_t pixels = 0;  ///< Of the largest.
  int width = 0, height = 0;
  std::size_t others = 0, maps_kept = 0, views_kept = 0;
  std::vector<int> frames() const {
    std::vector<int> numbers;
    for (const Keyframe& key : keys) numbers.push_back(key.frame);
    return numbers;
  }
};

/// Keyframes that share too little with any other tell no depth, and are nobody's others.
void dropLonely(std::vector<Keyframe>& keys) {
  std::vector<std::size_t> now(keys.size());
  std::size_t kept = 0;
  for (std::size_t k = 0; k < keys.size(); ++k) now[k] = keys[k].others.empty() ? keys.size() : kept++;
  for (Keyframe& key : keys) {
    for (std::size_t& other : key.others) other = now[other];
  }
  std::erase_if(keys, [](const Keyframe& key) { return key.others.empty(); });
}

Result<Plan> planOf(const Solution& solution, const DenseOptions& options, const SharpnessOf& sharpness = {}) {
  const KeyframeOptions choice{.step_deg = stepOf(options.quality), .frames = options.keyframes};
  auto chosen = chooseKeyframes(solution, choice, sharpness);
  if (!chosen.ok()) return chosen.error();
  Plan plan{std::move(*chosen)};
  dropLonely(plan.keys);
  for (const Keyframe& key : plan.keys) {
    const Plate plate = densePlate(solution.lensAt(*solution.frameAt(key.frame)));
    const int w = plate.width >> halvingsOf(options.quality), h = plate.height >> halvingsOf(options.quality);
    const auto pixels = static_cast<std::size_t>(w) * static_cast<std::size_t>(h);
    if (pixels > plan.pixels) plan.pixels = pixels, plan.width = w, plan.height = h;
  }
  const std::size_t maps = options.most_bytes / std::max<std::size_t>(1, plan.pixels * kMapBytes);
  plan.others = std::clamp(maps > 0 ? maps - 1 : 0, kLeastOthers, choice.others);
  plan.maps_kept = std::max(maps, plan.others + 1);
  plan.views_kept = std::max(kMatched + 1, options.most_bytes / std::max<std::size_t>(1, plan.pixels * kViewBytes));
  for (Keyframe& key : plan.keys) key.others.resize(std::min(key.others.size(), plan.others));
  return plan;
}

/// Undistorted keyframes, made when they are asked for.
class Views {
 public:
  Views(const DenseInput& input, const Plan& plan, DenseQuality quality) : input_(input), plan_(plan), quality_(quality), newest_(plan.views_kept) {}

  Result<std::shared_ptr<const DenseView>> at(std::size_t k) {
    if (auto there = newest_.find(k)) return there;
    const Stopwatch watch;
    if (!footage_) {
      auto opened = input_.open_footage();
      if (!opened.ok()) return opened.error();
      footage_ = std::move(*opened);
    }
    auto view = makeDenseView(input_.solution, *input_.solution.frameAt(plan_.keys[k].frame), *footage_, input_.mask, halvings(), kept_);
    seconds_ += watch.seconds();
    if (!view.ok()) return view.error();
    return newest_.keep(k, std::make_shared<DenseView>(std::move(*view)));
  }
  double seconds() const { return seconds_; }
  int halvings() const { return halvingsOf(quality_); }
  /// Views that are needed, as they follow each other in the footage: to go back in a movie takes long. Where all fit into memory, those between come along.
  std::vector<std::size_t> readingOrder(std::size_t at, std::vector<std::size_t> order) const {
    order.push_back(at);
    std::sort(order.begin(), order.end());
    if (plan_.views_kept < plan_.keys.size()) return order;
    std::vector<std::size_t> all(order.back() - order.front() + 1);
    std::iota(all.begin(), all.end(), order.front());
    return all;
  }

 private:
  const DenseInput& input_;
  const Plan& plan_;
  DenseQuality quality_;
  Newest<DenseView> newest_;
  std::unique_ptr<FrameSource> footage_;
  Undistortion kept_;
  double seconds_ = 0;
};

/// The others that a depth map is made from.
std::vector<std::size_t> matchedOf(const Keyframe& key) {
  return {key.others.begin(), key.others.begin() + static_cast<std::ptrdiff_t>(std::min(key.others.size(), kMatched))};
}

std::vector<MapName> mapNames(const std::vector<Keyframe>& keys) {
  std::vector<MapName> names;
  for (const Keyframe& key : keys) {
    MapName name{key.frame, {}};
    for (const std::size_t k : matchedOf(key)) name.from.push_back(keys[k].frame);
    names.push_back(std::move(name));
  }
  return names;
}

/// Of a shot's footage, read frame by frame.
SharpnessOf sharpnessIn(const DenseInput& input, const Progress& progress) {
  auto footage = std::make_shared<std::unique_ptr<FrameSource>>();
  return [&input, progress, footage](const std::vector<int>& frames) -> Result<std::vector<double>> {
    if (progress.stopRequested()) return cancelled();
    if (!*footage) {
      auto opened = input.open_footage();
      if (!opened.ok()) return opened.error();
      *footage = std::move(*opened);
    }
    const auto& all = input.solution.frames;
    progress.report(static_cast<double>(frames.front() - all.front().frame) / std::max(1, all.back().frame - all.front().frame), "looking for sharp frames");
    return sharpnessOf(input.solution, **footage, frames);
  };
}

/// What an artist should know of the keyframes.
std::vector<std::string> notesOn(const std::vector<Keyframe>& keys, const std::vector<int>& asked) {
  std::vector<std::string> notes;
  std::vector<int> missing;
  for (const int frame : asked) {
    if (std::none_of(keys.begin(), keys.end(), [frame](const Keyframe& key) { return key.frame == frame; })) missing.push_back(frame);
  }
  if (!missing.empty())
    notes.push_back(
        fmt::format("Left out of the keyframes that were chosen, without a camera or too little in common with the others: {}.", fmt::join(missing, ", ")));
  return notes;
}

Result<FusedViewPtr> depthOf(Views& views, const std::vector<Keyframe>& keys, std::size_t at, const Progress& progress) {
  const std::vector<std::size_t> matched = matchedOf(keys[at]);
  std::map<std::size_t, std::shared_ptr<const DenseView>> read;
  for (const std::size_t k : views.readingOrder(at, matched)) {
    auto view = views.at(k);
    if (!view.ok()) return view.error();
    read[k] = std::move(*view);
  }
  std::vector<const std::vector<MatchPicture>*> neighbours;
  for (const std::size_t k : matched) neighbours.push_back(&read[k]->sizes);
  const DenseView& view = *read[at];
  auto made = std::make_shared<FusedView>();
  made->map = searchDepth(view.sizes, neighbours, view.range, {.noise = view.noise}, progress);
  smoothFacets(made->map, {});
  std::vector<const MatchPicture*> largest;
  for (const auto* sizes : neighbours) largest.push_back(&sizes->front());
  for (std::size_t k = 0; k < matched.size(); ++k) {
    const double ratio = lightRatio(view.sizes.front(), *largest[k], made->map);
    if (!std::isnan(ratio)) made->lighter.emplace_back(keys[matched[k]].frame, ratio);
  }
  made->off_px = (1 << views.halvings()) * pictureOffset_px(view.sizes.front(), largest, made->map, view.noise);
  made->map.frame = keys[at].frame;
  made->picture = view.color;
  return FusedViewPtr(std::move(made));
}

/// Each view is a job of its own: what is there already is not made again.
Status makeMaps(const DenseInput& input, const Plan& plan, Views& views, MapShelf& shelf, std::vector<LightTie>& ties, int& made_now,
                const Progress& progress) {
  for (std::size_t k = 0; k < plan.keys.size(); ++k) {
    if (progress.stopRequested()) return cancelled();
    progress.report(static_cast<double>(k) / static_cast<double>(plan.keys.size()),
                    fmt::format("depth of frame {}, {} of {}", plan.keys[k].frame, k + 1, plan.keys.size()));
    if (!shelf.has(k)) {
      auto made = depthOf(views, plan.keys, k, progress);
      if (!made.ok()) return made.error();
      if (progress.stopRequested()) return cancelled();
      if (const Status kept = shelf.put(k, *made); !kept.ok()) return kept;
      ++made_now;
    }
    const auto view = shelf.at(k);
    if (!view.ok()) return view.error();
    addTies((*view)->lighter, k, plan.frames(), ties);
    if (input.on_view) input.on_view(*view);
  }
  return Done{};
}

/// Of exposures that hardly differ the pictures stay as they are.
std::vector<double> lightToLevel(std::size_t views, const std::vector<LightTie>& ties, std::vector<std::string>& told) {
  constexpr double kHardly = 0.02;
  std::vector<double> light = lightOf(views, ties);
  const auto [least, most] = std::minmax_element(light.begin(), light.end());
  if (*most - *least < kHardly) return {};
  told.push_back(fmt::format("Keyframes are up to {:.0f} % brighter than others: colours are levelled to the mean of all.", 100 * std::expm1(*most - *least)));
  return light;
}

}  // namespace

const DenseFrame* leastAgreed(const DenseResult& dense) {
  const DenseFrame* least = nullptr;
  for (const DenseFrame& frame : dense.frames) {
    if (!std::isnan(frame.agreeing_share) && (!least || frame.agreeing_share < least->agreeing_share)) least = &frame;
  }
  return least;
}

const DenseFrame* farthestOff(const DenseResult& dense) {
  const DenseFrame* farthest = nullptr;
  for (const DenseFrame& frame : dense.frames) {
    if (!std::isnan(frame.off_px) && (!farthest || frame.off_px > farthest->off_px)) farthest = &frame;
  }
  return farthest;
}

Result<DenseForecast> forecastDense(const Solution& solution, const DenseOptions& options) {
  const auto plan = planOf(solution, options);
  if (!plan.ok()) return plan.error();
  const std::size_t keys = plan->keys.size(), pixels = plan->pixels;
  const std::size_t searching = std::min(plan->views_kept, keys) * kViewBytes + kMapsInMaking * kMapBytes + kSearchBytes;
  const std::size_t fusing = std::min(plan->maps_kept, keys) * kMapBytes;
  return DenseForecast{.keyframes = static_cast<int>(keys),
                       .frames = plan->frames(),
                       .width = plan->width,
                       .height = plan->height,
                       .megapixels = 1e-6 * static_cast<double>(pixels * keys),
                       .memory = kProgramBytes + pixels * (std::max(searching, fusing) + keys * kPointBytes),
                       .disk = pixels * keys * kMapBytes};
}

Result<DenseResult> makeDense(const DenseInput& input, const DenseOptions& options, const Progress& progress) {
  const Stopwatch choosing;
  const auto planned = planOf(input.solution, options, sharpnessIn(input, progress.part(0, 0.05)));
  if (!planned.ok()) return planned.error();
  const double choosing_s = choosing.seconds();
  const Plan& plan = *planned;
  if (!input.folder.empty()) {
    if (const Status made = makeFolder(input.folder); !made.ok()) return made.error();
  }
  DenseResult result{.quality = options.quality, .warnings = notesOn(plan.keys, options.keyframes)};
  if (const KeyframeOptions usual; plan.others < usual.others)
    result.warnings.push_back(fmt::format("Memory is short for pictures of {} × {}: each depth map is compared with {} others, not {}.", plan.width,
                                          plan.height, plan.others, usual.others));
  MapShelf shelf(input.folder, input.earlier, mapNames(plan.keys), kMapsInMaking);
  const Stopwatch searching;
  std::vector<LightTie> ties;
  {
    Views views(input, plan, options.quality);
    if (const Status made = makeMaps(input, plan, views, shelf, ties, result.maps_made, progress.part(0.05, 0.85)); !made.ok()) return made.error();
    result.views_s = choosing_s + views.seconds(), result.depth_s = searching.seconds() - views.seconds();
  }
  shelf.keep(plan.maps_kept);
  const Stopwatch fusing;
  FuseInput fused{{}, [&](std::size_t k) { return shelf.at(k); }, lightToLevel(plan.keys.size(), ties, result.warnings)};
  for (const Keyframe& key : plan.keys) fused.others.push_back(key.others);
  auto made = fuse(fused, {}, progress.part(0.85, 1));
  if (!made.ok()) return made.error();
  if (made->cloud.points.empty())
    return invalidInput("No place of the set is seen alike in enough frames: there are no dense points. Check the camera, or solve a stretch that moves more.");
  result.cloud = std::move(made->cloud);
  result.fuse_s = fusing.seconds();
  for (std::size_t k = 0; k < plan.keys.size(); ++k)
    result.frames.push_back({plan.keys[k].frame, plan.keys[k].parallax_rad, made->shares[k].agreeing_share, made->shares[k].correlation, made->shares[k].off_px,
                             made->shares[k].pixels});
  return result;
}

}  // namespace dusky
