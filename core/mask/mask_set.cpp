#include "core/mask/mask_set.h"

#include <fmt/format.h>

#include <algorithm>

namespace dusky {
namespace {

constexpr double kMostGrowth_px = 500;

void unite(LeftOut& all, const Plane<std::uint8_t>& more) {
  for (std::size_t i = 0; i < all.data.size(); ++i) all.data[i] |= more.data[i];
}

/// Where a plane reaches a share of white; `wanted` false: where it does not.
Plane<std::uint8_t> brighter(const FloatPlane& plane, double share, bool wanted) {
  Plane<std::uint8_t> area(plane.width, plane.height);
  const auto from = static_cast<float>(255 * share);
  for (std::size_t i = 0; i < area.data.size(); ++i) area.data[i] = (plane.data[i] >= from) == wanted;
  return area;
}

Status checkMask(const Mask& mask) {
  if (mask.keys.empty()) return invalidInput(fmt::format("Mask \"{}\" has no key: it lies nowhere.", mask.name));
  if (!(std::abs(mask.grow_px) <= kMostGrowth_px)) return invalidInput(fmt::format("Mask \"{}\" may grow by -500 to 500 px, not {}.", mask.name, mask.grow_px));
  for (const FrameRange& range : mask.ranges) {
    if (range.last < range.first) return invalidInput(fmt::format("Mask \"{}\": its range {}–{} ends before it begins.", mask.name, range.first, range.last));
  }
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
  if (!(alpha.threshold >= 0 && alpha.threshold <= 1)) return invalidInput(fmt::format("The alpha's threshold must be 0 to 1, not {}.", alpha.threshold));
  if (!(std::abs(alpha.grow_px) <= kMostGrowth_px)) return invalidInput(fmt::format("Alpha may grow by -500 to 500 px, not {}.", alpha.grow_px));
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

Status MaskSet::checkMattes(const MatteSettings& settings, const FootageInfo& mattes, const FootageInfo& footage, const std::vector<int>& frames) {
  if (mattes.width != footage.width || mattes.height != footage.height) {
    return invalidInput(fmt::format("The mattes in {} are {}×{}, the footage is {}×{}; they must have one size.", settings.folder, mattes.width, mattes.height,
                                    footage.width, footage.height));
  }
  const auto has = [&](int f) { return mattes.has(f); };
  const auto lacking = std::find_if_not(frames.begin(), frames.end(), has);
  if (lacking == frames.end()) return Done{};
  return invalidInput(fmt::format(
      "{} has no matte for frame {} ({} of {} frames have none): a matte belongs to the frame of the same number, and these are {}–{}.", settings.folder,
      *lacking, std::count_if(frames.begin(), frames.end(), [&](int f) { return !has(f); }), frames.size(), mattes.first, mattes.last));
}

Result<std::unique_ptr<MaskSet>> MaskSet::make(MaskSettings settings, const FootageInfo& footage, MaskSources sources, const std::vector<int>& frames) {
  if (const Status fine = settings.check(); !fine.ok()) return fine.error();
  if (settings.alpha.used && !footage.has_alpha) return invalidInput(fmt::format("{} has no alpha to leave out what is transparent by.", footage.path));
  if (sources.mattes) {
    if (const Status fine = checkMattes(settings.mattes, sources.mattes->info(), footage, frames); !fine.ok()) return fine.error();
  }
  return std::unique_ptr<MaskSet>(new MaskSet(std::move(settings), footage.width, footage.height, std::move(sources)));
}

Result<LeftOut> MaskSet::leftOut(int frame) {
  LeftOut out = leftOutByShapes(settings_.shapes, frame, width_, height_);
  if (sources_.mattes) {
    const MatteSettings& mattes = settings_.mattes;
    const auto matte = sources_.mattes->read(frame, FrameUse::Tracking);
    if (!matte.ok()) return matte.error();
    unite(out, grown(brighter(matte->luma, mattes.threshold, !mattes.inverted), mattes.grow_px));
  }
  if (sources_.footage) {
    const AlphaSettings& alpha = settings_.alpha;
    const auto opacity = sources_.footage->read(frame, FrameUse::Alpha);
    if (!opacity.ok()) return opacity.error();
    unite(out, grown(brighter(opacity->luma, alpha.threshold, alpha.inverted), alpha.grow_px));
  }
  return out;
}
}  // namespace dusky
