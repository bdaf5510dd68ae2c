#include "core/dense/texture_pages.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#define STB_RECT_PACK_IMPLEMENTATION
#define STBRP_STATIC
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wold-style-cast"
#pragma GCC diagnostic ignored "-Wconversion"
#pragma GCC diagnostic ignored "-Wsign-conversion"
#pragma GCC diagnostic ignored "-Wunused-function"
#pragma GCC diagnostic ignored "-Wuseless-cast"
#include <stb/stb_rect_pack.h>
#pragma GCC diagnostic pop

namespace dusky {
namespace {

constexpr int kFixed_px = 4;

/// Where they come to lie at a scale; false where they do not fit.
bool pack(const std::vector<Eigen::Vector2d>& pieces, std::size_t fixed, TexturePage& page) {
  std::vector<stbrp_rect> rects;
  rects.reserve(pieces.size() + fixed);
  for (const Eigen::Vector2d& piece : pieces) {
    const Eigen::Vector2i size = page.sizeOf(piece);
    if (size.maxCoeff() > page.side_px) return false;
    rects.push_back({static_cast<int>(rects.size()), size.x(), size.y(), 0, 0, 0});
  }
  for (std::size_t k = 0; k < fixed; ++k) rects.push_back({static_cast<int>(rects.size()), kFixed_px, kFixed_px, 0, 0, 0});
  std::vector<stbrp_node> nodes(static_cast<std::size_t>(page.side_px));
  stbrp_context context;
  stbrp_init_target(&context, page.side_px, page.side_px, nodes.data(), page.side_px);
  if (stbrp_pack_rects(&context, rects.data(), static_cast<int>(rects.size())) == 0) return false;
  page.at.clear();
  int used = 0;
  for (const stbrp_rect& rect : rects) page.at.emplace_back(rect.x, rect.y), used = std::max(used, rect.y + rect.h);
  constexpr int kStep_px = 16;
  page.height_px = std::min(page.side_px, (used + kStep_px - 1) / kStep_px * kStep_px);
  return true;
}

double areaOf(const std::vector<Eigen::Vector2d>& pieces, std::size_t fixed, const TexturePage& page) {
  double area = static_cast<double>(fixed) * kFixed_px * kFixed_px;
  for (const Eigen::Vector2d& piece : pieces) area += page.sizeOf(piece).cast<double>().prod();
  return area;
}

}  // namespace

Eigen::Vector2i TexturePage::sizeOf(const Eigen::Vector2d& piece) const {
  return (scale * piece).array().ceil().matrix().cast<int>() + Eigen::Vector2i::Constant(2 * kRoom_px);
}

Result<TexturePage> packed(const std::vector<Eigen::Vector2d>& pieces, std::size_t fixed, int side_px) {
  constexpr double kSmaller = 0.95, kLeastScale = 1e-3;
  TexturePage page{.side_px = side_px};
  const auto room = [&] { return static_cast<double>(page.side_px) * page.side_px; };
  while (page.scale > kLeastScale && (areaOf(pieces, fixed, page) > room() || !pack(pieces, fixed, page))) page.scale *= kSmaller;
  if (page.at.empty() && pieces.size() + fixed > 0)
    return invalidInput(fmt::format("The surface falls into {} pieces that a texture of {} px has no room for: make it larger, or take fewer triangles.",
                                    pieces.size() + fixed, side_px));
  while (page.scale == 1 && page.side_px > 256) {
    TexturePage half{.side_px = page.side_px / 2};
    if (areaOf(pieces, fixed, half) > 0.25 * room() || !pack(pieces, fixed, half)) break;
    page = std::move(half);
  }
  return page;
}

}  // namespace dusky
