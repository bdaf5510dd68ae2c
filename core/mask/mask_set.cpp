#include "core/mask/mask_set.h"

#include <fmt/format.h>

#include <algorithm>

namespace dusky {
namespace {

constexpr double kMostGrowth_px = 500;

void unite(LeftOut& all, const Plane<std::uint8_t>& more) {
  for (std::size_t i = 0; i < all.data.size(); ++i) all.data[i] |= more.data[i];
}

Status checkMask(const Mask& mask) {
  if (mask.keys.empty()) return invalidInput(fmt::format("Mask \"{}\" has no key: it lies nowhere.", mask.name));
  if (!(std::abs(mask.grow_px) <= kMostGrowth_px)) return invalidInput(fmt::format("Mask \"{}\" may grow by -500 to 500 px, not {}.", mask.name, mask.grow_px));
  for (const MaskKey& key : mask.keys) {
    if (!(key.scale > 0)) return invalidInput(fmt::format("Mask \"{}\": its scale in frame {} must be over 0.", mask.name, key.frame));
    const std::size_t least = mask.shape == MaskShape::Curve ? 3 : 1;
    if (key.points.size() < least) return invalidInput(fmt::format("Mask \"{}\": its shape in frame {} has too few points.", mask.name, key.frame));
  }
  return Done{};
}

}  // namespace

Status MaskSettings::check() const {
  for (const Mask& mask : shapes) {
    if (const Status fine = checkMask(mask); !fine.ok()) return fine;
  }
  if (!(mattes.threshold >= 0 && mattes.threshold <= 1)) return invalidInput(fmt::format("The mattes' threshold must be 0 to 1, not {}.", mattes.threshold));
  if (!(std::abs(mattes.grow_px) <= kMostGrowth_px)) return invalidInput(fmt::format("Mattes may grow by -500 to 500 px, not {}.", mattes.grow_px));
  return Done{};
}

LeftOut leftOutByShapes(const std::vector<Mask>& shapes, int frame, int width, int height) {
  LeftOut out(width, height), inside(width, height);
  bool only_inside = false;
  for (const Mask& mask : shapes) {
    if (!mask.holdsIn(frame) || mask.keys.empty()) continue;
    Plane<std::uint8_t> area = grown(fillLine(outlineOf(mask, frame), width, height), mask.grow_px);
    if (mask.inverted) {
      for (std::uint8_t& v : area.data) v = v == 0;
    }
    only_inside = only_inside || mask.only_inside;
    unite(mask.only_inside ? inside : out, area);
  }
  for (std::size_t i = 0; only_inside && i < out.data.size(); ++i) out.data[i] |= inside.data[i] == 0;
  return out;
}

Result<std::unique_ptr<MaskSet>> MaskSet::make(MaskSettings settings, const FootageInfo& footage, std::unique_ptr<FrameSource> mattes,
                                               const std::vector<int>& frames) {
  if (const Status fine = settings.check(); !fine.ok()) return fine.error();
  if (mattes) {
    const FootageInfo& info = mattes->info();
    if (info.width != footage.width || info.height != footage.height) {
      return invalidInput(fmt::format("The mattes in {} are {}×{}, the footage is {}×{}; they must have one size.", settings.mattes.folder, info.width,
                                      info.height, footage.width, footage.height));
    }
    const auto has = [&](int f) { return info.has(f); };
    const auto lacking = std::find_if_not(frames.begin(), frames.end(), has);
    if (lacking != frames.end()) {
      return invalidInput(fmt::format(
          "{} has no matte for frame {} ({} of {} frames have none): a matte belongs to the frame of the same number, and these are {}–{}.",
          settings.mattes.folder, *lacking, std::count_if(frames.begin(), frames.end(), [&](int f) { return !has(f); }), frames.size(), info.first, info.last));
    }
  }
  return std::unique_ptr<MaskSet>(new MaskSet(std::move(settings), footage.width, footage.height, std::move(mattes)));
}

Result<LeftOut> MaskSet::leftOut(int frame) {
  LeftOut out = leftOutByShapes(settings_.shapes, frame, width_, height_);
  if (!mattes_) return out;
  const auto matte = mattes_->read(frame, FrameUse::Tracking);
  if (!matte.ok()) return matte.error();
  Plane<std::uint8_t> area(width_, height_);
  const auto from = static_cast<float>(255 * settings_.mattes.threshold);
  for (std::size_t i = 0; i < area.data.size(); ++i) area.data[i] = (matte->luma.data[i] >= from) != settings_.mattes.inverted;
  unite(out, grown(area, settings_.mattes.grow_px));
  return out;
}

}  // namespace dusky
