#include "core/dense/dense_view.h"

#include <algorithm>
#include <cmath>

#include "core/dense/byte_of.h"
#include "core/dense/keyframes.h"
#include "core/dense/rolling.h"

namespace dusky {
namespace {

constexpr double kMostBeyond = 1.25;
constexpr int kSizes = 3;

FloatPicture floatsOf(const Picture& picture) {
  FloatPicture out = FloatPicture::unset(picture.width, picture.height);
  for (std::size_t i = 0; i < out.data.size(); ++i) {
    const Rgb& c = picture.data[i];
    out.data[i] = {static_cast<float>(c.r), static_cast<float>(c.g), static_cast<float>(c.b)};
  }
  return out;
}

/// Grey by Rec. 709's weights, and bytes for the screen.
std::pair<FloatPlane, Picture> greyAndColor(const FloatPicture& picture) {
  std::pair<FloatPlane, Picture> out{FloatPlane::unset(picture.width, picture.height), Picture(picture.width, picture.height)};
  for (std::size_t i = 0; i < picture.data.size(); ++i) {
    const auto& [r, g, b] = picture.data[i];
    out.first.data[i] = 0.2126F * r + 0.7152F * g + 0.0722F * b;
    out.second.data[i] = {byteOf(r), byteOf(g), byteOf(b)};
  }
  return out;
}

/// 1 where the footage shows something that is not left out.
Plane<std::uint8_t> usableOf(const SourceMap& map, const Plane<std::uint8_t>& left_out) {
  Plane<std::uint8_t> usable(map.width, map.height);
  for (std::size_t i = 0; i < map.data.size(); ++i) {
    const auto [u, v] = map.data[i];
    if (std::isnan(u)) continue;
    const int x = static_cast<int>(u), y = static_cast<int>(v);
    const bool out = !left_out.empty() && left_out.at(std::clamp(x, 0, left_out.width - 1), std::clamp(y, 0, left_out.height - 1)) != 0;
    usable.data[i] = out ? 0 : 1;
  }
  return usable;
}

}  // namespace

float noiseOf(const FloatPlane& grey) {
  constexpr int kBlock = 12;
  std::vector<float> blocks;
  for (int top = 1; top + kBlock < grey.height; top += kBlock) {
    for (int left = 1; left + kBlock < grey.width; left += kBlock) {
      float squares = 0;
      for (int y = top; y < top + kBlock; ++y) {
        const float *above = grey.row(y - 1), *here = grey.row(y), *below = grey.row(y + 1);
        for (int x = left; x < left + kBlock; ++x) {
          const float edge = above[x - 1] + above[x + 1] + below[x - 1] + below[x + 1], side = above[x] + below[x] + here[x - 1] + here[x + 1];
          const float bend = edge - 2 * side + 4 * here[x];
          squares += bend * bend;
        }
      }
      // What is clipped shows no noise.
      if (squares > 0) blocks.push_back(squares / (kBlock * kBlock));
    }
  }
  if (blocks.empty()) return 1;
  const auto smooth = blocks.begin() + static_cast<std::ptrdiff_t>(blocks.size() / 20);
  std::nth_element(blocks.begin(), smooth, blocks.end());
  constexpr float kSquares = 36;      // of the mask
  constexpr float kSmoothest = 0.9F;  // what the smoothest twentieth of so large blocks shows of noise alone
  return std::clamp(std::sqrt(*smooth / kSquares) / kSmoothest, 0.3F, 8.0F);
}

Plate densePlate(const Lens& lens) { return plateFor({&lens, 1}, {.whole = true, .most = kMostBeyond}); }

Result<DenseView> makeDenseView(const Solution& solution, const SolvedFrame& frame, FrameSource& footage, const MaskOf& mask, int halvings,
                                Undistortion& kept) {
  const auto reach = depthReach(solution, frame);
  if (!reach.ok()) return reach.error();
  const auto read = footage.read(frame.frame, FrameUse::Screen);
  if (!read.ok()) return read.error();
  Plane<std::uint8_t> out;
  if (mask) {
    auto plane = mask(frame.frame);
    if (!plane.ok()) return plane.error();
    out = std::move(*plane);
  }
  const Lens lens = solution.lensAt(frame);
  if (kept.map.empty() || kept.lens != lens) {
    const Plate plate = densePlate(lens);
    kept = {lens, plate, footageFromPlate(plate, lens)};
  }
  const auto& [same, plate, still] = kept;
  const RollingFrame rolling(solution, frame);
  const SourceMap turned = rolling.rolls() ? rolling.withoutTurning(still, plate, lens) : SourceMap();
  const SourceMap& map = rolling.rolls() ? turned : still;
  const int times = 1 << halvings;
  auto [grey, color] = greyAndColor(reducedBy(ResampleSource(floatsOf(read->picture)).resampled(map, ResampleFilter::Cubic), times));
  const double focal = lens.focal_px;
  Pinhole whole{plate.width, plate.height, focal, focal * plate.pixel_aspect, 0.5 * plate.width, 0.5 * plate.height, frame.pose};
  if (rolling.rolls()) rolling.timeRows(map, whole);
  DenseView view{frame.frame, whole.halved(halvings), std::move(color), {}, {1 / reach->far, 1 / reach->near}, noiseOf(grey)};
  view.sizes = matchPyramid(matchPicture(view.camera, std::move(grey), reducedUsable(usableOf(map, out), times)), kSizes);
  return view;
}

}  // namespace dusky
