#include "core/deliver/receipt_pictures.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_invoke.h>

#include <cmath>
#include <numbers>
#include <optional>

#include "core/media/footage.h"
#include "core/media/write_picture.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

constexpr int kReach = 2;  ///< Brightness is the mean of so many px to each side: what grain and filters change does not count.
constexpr std::size_t kAround = (2 * kReach + 1) * (2 * kReach + 1);

/// Pixels of a plate, and where in the footage they and those around them come from.
struct Places {
  std::vector<std::array<int, 2>> plate;
  std::vector<std::array<Vec2, kAround>> footage;
};

/// Spread evenly over what a frame shows of the plate.
Places placesIn(const DeliveryInput& input, int frame, int width, int height, double focal) {
  constexpr int kAcross = 24;
  const Lens lens = input.solution.lensIn(frame);
  if (focal <= 0) focal = lens.focal_px;
  const auto seenFrom = [&](int x, int y) -> std::optional<Vec2> {
    const Vec2 n((x + 0.5 - 0.5 * width) / focal, (y + 0.5 - 0.5 * height) / (focal * lens.pixel_aspect)), seen = lens.distort(n);
    const bool inside = seen.x() > 3 && seen.y() > 3 && seen.x() < lens.width - 3 && seen.y() < lens.height - 3 && lens.risingUpTo(n);
    return inside ? std::optional(seen) : std::nullopt;
  };
  Places places;
  for (int j = 0; j < kAcross; ++j) {
    for (int i = 0; i < kAcross; ++i) {
      const int x = std::clamp(width * (2 * i + 1) / (2 * kAcross), kReach, width - 1 - kReach),
                y = std::clamp(height * (2 * j + 1) / (2 * kAcross), kReach, height - 1 - kReach);
      std::array<Vec2, kAround> around;
      std::size_t inside = 0;
      for (std::size_t k = 0; k < kAround; ++k) {
        const int side = 2 * kReach + 1, dx = static_cast<int>(k) % side - kReach, dy = static_cast<int>(k) / side - kReach;
        if (const auto seen = seenFrom(x + dx, y + dy)) around[k] = *seen, ++inside;
      }
      if (inside == kAround) places.plate.push_back({x, y}), places.footage.push_back(around);
    }
  }
  return places;
}

/// A pixel of a FloatPicture or a StoredPicture.
template <class Picture>
double brightnessAt(const Picture& picture, bool light, int x, int y) {
  const auto& c = picture.at(x, y);
  const double mean = (c[0] + c[1] + c[2]) / 3.0;
  return light ? readAsScreen(mean) : mean;
}

std::vector<double> brightnessOfPlate(const StoredPicture& plate, bool light, const Places& places) {
  std::vector<double> values;
  for (const auto& [x, y] : places.plate) {
    double sum = 0;
    for (int j = -kReach; j <= kReach; ++j) {
      for (int i = -kReach; i <= kReach; ++i) sum += brightnessAt(plate, light, x + i, y + j);
    }
    values.push_back(sum / static_cast<double>(kAround));
  }
  return values;
}

std::vector<double> brightnessOfFootage(const FloatPicture& footage, bool light, const Places& places) {
  const auto between = [&](const Vec2& at) {
    const int x = static_cast<int>(at.x() - 0.5), y = static_cast<int>(at.y() - 0.5);
    const double a = at.x() - 0.5 - x, b = at.y() - 0.5 - y;
    const auto value = [&](int i, int j) { return brightnessAt(footage, light, x + i, y + j); };
    return (1 - b) * ((1 - a) * value(0, 0) + a * value(1, 0)) + b * ((1 - a) * value(0, 1) + a * value(1, 1));
  };
  std::vector<double> values;
  for (const auto& around : places.footage) {
    double sum = 0;
    for (const Vec2& at : around) sum += between(at);
    values.push_back(sum / static_cast<double>(kAround));
  }
  return values;
}

double differenceOf(const std::vector<double>& a, const std::vector<double>& b) {
  double sum = 0;
  for (std::size_t k = 0; k < a.size(); ++k) sum += std::abs(a[k] - b[k]);
  return a.empty() ? 0 : sum / static_cast<double>(a.size());
}

std::string_view endingOf(PlateFormat format) { return format == PlateFormat::Exr ? "exr" : format == PlateFormat::Jpeg ? "jpg" : "png"; }

/// One plate beside the footage: how far its brightness is from its own frame's and from the neighbours'.
struct PlateLook {
  int frame = 0, width = 0, height = 0;
  double own = kUnknown, before = kUnknown, after = kUnknown;
  std::string problem;
};

/// Plates of pictures against a window of three frames of the footage.
Result<std::vector<PlateLook>> lookAtPlates(const DeliveryInput& input, const DeliveryChoices& choices, const ReceiptTruth& truth, const fs::path& folder,
                                            const std::vector<int>& frames, const Progress& progress) {
  const auto source = input.open_footage();
  if (!source.ok()) return source.error();
  const bool light = choices.plates.format == PlateFormat::Exr && !input.log_footage;
  std::map<int, Frame> window;
  const auto footage = [&](int frame) -> Result<const Frame*> {
    if (!input.footage.has(frame)) return nullptr;
    auto found = window.find(frame);
    if (found == window.end()) {
      auto got = (*source)->read(frame, FrameUse::Plate);
      if (!got.ok()) return got.error();
      found = window.emplace(frame, std::move(*got)).first;
      std::erase_if(window, [&](const auto& held) { return held.first < frame - 2; });
    }
    return &found->second;
  };
  std::vector<PlateLook> looks;
  for (const int frame : frames) {
    if (progress.stopRequested()) return cancelled();
    progress.report(static_cast<double>(looks.size()) / static_cast<double>(frames.size()), fmt::format("checking plate {}", frame));
    PlateLook look{.frame = frame};
    const auto plate = readStoredPicture(folder / fmt::format("plate.{:04}.{}", frame + truth.shift(), endingOf(choices.plates.format)));
    if (!plate.ok()) {
      look.problem = plate.error().message;
    } else {
      look.width = plate->width, look.height = plate->height;
      const Places places = placesIn(input, frame, plate->width, plate->height, choices.plates.focal_px);
      const auto shown = brightnessOfPlate(*plate, light, places);
      for (const auto& [offset, difference] : {std::pair(-1, &look.before), {0, &look.own}, {1, &look.after}}) {
        const auto held = footage(frame + offset);
        if (!held.ok()) return held.error();
        if (*held) *difference = differenceOf(shown, brightnessOfFootage((*held)->values, (*held)->linear, places));
      }
    }
    looks.push_back(std::move(look));
  }
  return looks;
}

ReceiptCheck contentCheck(const std::vector<PlateLook>& looks) {
  constexpr double kMost = 0.02, kTold = 0.3;
  double worst = 0;
  for (const PlateLook& look : looks) {
    worst = std::max(worst, look.own);
    const double other = std::fmin(look.before, look.after);
    // In a still part of the shot neighbours look alike, and nothing is told.
    if (other < kTold * look.own && look.own > 0.002)
      return checked("plates", "content", false, fmt::format("the plate of frame {} shows another frame of the footage.", look.frame));
    if (look.own > kMost)
      return measured("plates", "content", look.own, kMost, "of 1",
                      fmt::format("the plate of frame {} does not show its frame of the footage, or not where the lens says: brightness is {:.0f} % off.",
                                  look.frame, 100 * look.own));
  }
  return measured("plates", "content", worst, kMost, "of 1",
                  fmt::format("each shows its own frame, where the lens says: brightness within {:.1f} %.", 100 * worst));
}

double bilinear(const StoredPicture& map, double x, double y, std::size_t channel) {
  const double u = std::clamp(x - 0.5, 0.0, map.width - 1.001), v = std::clamp(y - 0.5, 0.0, map.height - 1.001);
  const int left = static_cast<int>(u), top = static_cast<int>(v);
  const double a = u - left, b = v - top;
  const auto at = [&](int i, int j) { return static_cast<double>(map.at(left + i, top + j)[channel]); };
  return (1 - b) * ((1 - a) * at(0, 0) + a * at(1, 0)) + b * ((1 - a) * at(0, 1) + a * at(1, 1));
}

/// Where a channel is by its name: files have them in alphabetical order.
std::size_t channelOf(const StoredPicture& map, const char* name) {
  return static_cast<std::size_t>(std::find(map.channels.begin(), map.channels.end(), name) - map.channels.begin());
}

/// One pair of ST maps.
std::vector<ReceiptCheck> checkPair(const DeliveryInput& input, const DeliveryChoices& choices, const fs::path& folder, const std::string& number, int frame) {
  Result<StoredPicture> undistort = StoredPicture{}, redistort = StoredPicture{};
  tbb::parallel_invoke([&] { undistort = readStoredPicture(folder / ("undistort" + number + ".exr")); },
                       [&] { redistort = readStoredPicture(folder / ("redistort" + number + ".exr")); });
  if (!undistort.ok()) return {checked("st-maps", "reading", false, undistort.error().message)};
  if (!redistort.ok()) return {checked("st-maps", "reading", false, redistort.error().message)};
  const Lens lens = input.solution.lensIn(frame);
  const double focal = choices.plates.focal_px > 0 ? choices.plates.focal_px : lens.focal_px;
  const int full_width = redistort->full_width, full_height = redistort->full_height;
  if (full_width != lens.width || full_height != lens.height || redistort->width != lens.width)
    return {
        checked("st-maps", "size", false, fmt::format("the redistort map is {}×{} px, the footage {}×{}.", full_width, full_height, lens.width, lens.height))};
  constexpr int kGrid = 40;
  double off_lens = 0, off_back = 0;
  int known = 0, told_of = 0;
  for (int j = 1; j < kGrid; ++j) {
    for (int i = 1; i < kGrid; ++i) {
      const Vec2 seen(lens.width * i / kGrid + 0.5, lens.height * j / kGrid + 0.5);  // the middle of a pixel: nothing is interpolated
      const auto n = lens.undistort(seen);
      if (!n) continue;
      // Near where the lens folds over, it draws what a map of pixels cannot follow.
      constexpr double kSteepest = 4;
      const auto beside = lens.undistort(seen + Vec2(1, 1));
      if (!beside || focal * (*beside - *n).norm() > kSteepest * std::numbers::sqrt2) continue;
      ++known;
      if (bilinear(*redistort, seen.x(), seen.y(), channelOf(*redistort, "A")) < 0.999) continue;
      ++told_of;
      // Through the one map, held against the lens, then through the other one back.
      const std::size_t r = channelOf(*redistort, "R"), g = channelOf(*redistort, "G");
      const Vec2 plate(lens.width * bilinear(*redistort, seen.x(), seen.y(), r), lens.height * (1 - bilinear(*redistort, seen.x(), seen.y(), g)));
      const Vec2 told(focal * n->x() + 0.5 * lens.width, focal * lens.pixel_aspect * n->y() + 0.5 * lens.height);
      off_lens = std::max(off_lens, (plate - told).norm());
      const Vec2 in_map = plate - Vec2(undistort->left, undistort->top);
      if (in_map.x() < 2 || in_map.y() < 2 || in_map.x() > undistort->width - 2 || in_map.y() > undistort->height - 2) continue;
      const std::size_t ur = channelOf(*undistort, "R"), ug = channelOf(*undistort, "G"), ua = channelOf(*undistort, "A");
      if (bilinear(*undistort, in_map.x(), in_map.y(), ua) < 0.999) continue;
      const Vec2 back(lens.width * bilinear(*undistort, in_map.x(), in_map.y(), ur), lens.height * (1 - bilinear(*undistort, in_map.x(), in_map.y(), ug)));
      off_back = std::max(off_back, (back - seen).norm());
    }
  }
  constexpr double kMost = 0.05, kLeastTold = 0.95;
  if (told_of < kLeastTold * known)
    return {checked("st-maps", "coverage", false, fmt::format("the redistort map is empty at {} of {} places that the lens shows.", known - told_of, known))};
  return {measured("st-maps", "lens", off_lens, kMost, "px", fmt::format("the redistort map is within {:.3f} px of the lens.", off_lens)),
          measured("st-maps", "both ways", off_back, kMost, "px", fmt::format("one after the other, places come back within {:.3f} px.", off_back))};
}

}  // namespace

Result<std::vector<ReceiptCheck>> checkPlates(const DeliveryInput& input, const DeliveryChoices& choices, const ReceiptTruth& truth, const fs::path& folder,
                                              std::pair<int, int> fitted, const Progress& progress) {
  std::vector<int> frames;
  for (const SolvedFrame& frame : input.solution.frames) {
    if (frame.placed && input.footage.has(frame.frame)) frames.push_back(frame.frame);
  }
  const auto looks = lookAtPlates(input, choices, truth, folder, frames, progress);
  if (!looks.ok()) return looks.error();
  for (const PlateLook& look : *looks) {
    if (!look.problem.empty()) return std::vector{checked("plates", "reading", false, look.problem)};
    if (look.width != looks->front().width || look.height != looks->front().height)
      return std::vector{checked("plates", "size", false,
                                 fmt::format("the plate of frame {} is {}×{} px, the first one {}×{}.", look.frame, look.width, look.height,
                                             looks->front().width, looks->front().height))};
  }
  if (looks->empty()) return std::vector{checked("plates", "reading", false, "there is none.")};
  const PlateLook& first = looks->front();
  std::vector checks = {checked("plates", "size", true, fmt::format("{} plates of {}×{} px.", looks->size(), first.width, first.height)), contentCheck(*looks)};
  if (fitted.first > 0) {
    const bool fits = first.width == fitted.first && first.height == fitted.second;
    checks.push_back(checked(
        "plates", "fit", fits,
        fits ? "the cameras fit them." : fmt::format("plates have {}×{} px, cameras fit {}×{}.", first.width, first.height, fitted.first, fitted.second)));
  }
  return checks;
}

std::vector<ReceiptCheck> checkStMaps(const DeliveryInput& input, const DeliveryChoices& choices, const ReceiptTruth& truth, const fs::path& folder) {
  std::error_code failed;
  std::vector<int> frames;
  for (const SolvedFrame& frame : input.solution.frames) {
    if (frame.placed) frames.push_back(frame.frame);
  }
  if (frames.empty() || fs::exists(folder / "undistort.exr", failed)) return checkPair(input, choices, folder, "", frames.empty() ? 0 : frames.front());
  // Of a zoom: the first, the middle and the last, and that all are there.
  for (const int frame : frames) {
    const std::string name = fmt::format("undistort.{:04}.exr", frame + truth.shift());
    if (!fs::exists(folder / name, failed)) return {checked("st-maps", "reading", false, name + " is missing.")};
  }
  std::vector<ReceiptCheck> worst;
  for (const int frame : {frames.front(), frames[frames.size() / 2], frames.back()}) {
    auto checks = checkPair(input, choices, folder, fmt::format(".{:04}", frame + truth.shift()), frame);
    const bool bad = std::any_of(checks.begin(), checks.end(), [](const ReceiptCheck& c) { return !c.passed; });
    if (worst.empty() || bad) worst = std::move(checks);
    if (bad) break;
  }
  return worst;
}

std::vector<ReceiptCheck> checkMovie(const ReceiptTruth& truth, const fs::path& path, int frames) {
  const std::string name = path.filename().string();
  const auto movie = openFootage(path);
  if (!movie.ok()) return {checked(name, "reading", false, movie.error().message)};
  const FootageInfo& info = (*movie)->info();
  if (info.frames() != frames) return {checked(name, "frames", false, fmt::format("has {} frames, not {}.", info.frames(), frames))};
  constexpr double kRate = 1e-3;
  if (std::abs(info.fps - truth.fps()) > kRate * truth.fps())
    return {checked(name, "rate", false, fmt::format("says {:g} frames a second, not {:g}.", info.fps, truth.fps()))};
  return {checked(name, "frames", true, fmt::format("{} frames of {}×{} px at {:g} a second.", frames, info.width, info.height, info.fps))};
}

}  // namespace dusky
