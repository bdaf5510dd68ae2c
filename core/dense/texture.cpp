#include "core/dense/texture.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/parallel.h"
#include "core/dense/byte_of.h"
#include "core/dense/texture_charts.h"
#include "core/dense/texture_pages.h"
#include "core/dense/view_light.h"
#include "core/mesh/mesh_surface.h"

namespace dusky {
namespace {

constexpr std::size_t kChoices = 5;  // Views of a triangle that are kept in mind.
constexpr int kChunk = 2048;

/// The triangles of a surface as the solve's cameras see them.
struct Faces {
  const SetMesh& mesh;
  std::vector<Vec3> places;  ///< Of its points, the solve's world.

  std::array<Vec3, 3> corners(std::size_t t) const { return {places[mesh.triangles[t][0]], places[mesh.triangles[t][1]], places[mesh.triangles[t][2]]}; }
};

/// What of the footage is left out, asked at undistorted places.
struct MaskLook {
  Plane<std::uint8_t> plane;
  Lens lens;
  bool leavesOut(const Pinhole& camera, const Vec3& seen) const {
    if (plane.empty()) return false;
    const Vec2 at = lens.distort(camera.ray(seen.head<2>()).head<2>());
    const int x = static_cast<int>(at.x()), y = static_cast<int>(at.y());
    return x >= 0 && y >= 0 && x < plane.width && y < plane.height && plane.at(x, y) != 0;
  }
};

/// How well a depth map bears out that a place of the surface is what is seen there: little where it shows something else before or behind.
double borneOut(const DepthMap& map, const Vec3& seen) {
  constexpr double kAgrees = 0.02, kUnknownDepth = 0.4, kOther = 0.02;
  constexpr float kMostCost = 0.6F;
  const int x = static_cast<int>(seen.x()), y = static_cast<int>(seen.y());
  const float depth = map.depth.at(x, y);
  if (!(depth > 0) || map.cost.at(x, y) > kMostCost) return kUnknownDepth;
  return std::abs(static_cast<double>(depth) - seen.z()) < kAgrees * seen.z() ? 1 : kOther;
}

/// How well a view shows a triangle: its pixels, where it is not hidden; 0: not at all.
double worthIn(const Faces& faces, std::size_t t, const DepthMap& map, const MaskLook& mask, const MeshSurface& surface, const Similarity& scene_from_solve) {
  constexpr double kLeastFacing = 0.15, kNudge = 2e-3;
  const Pinhole& camera = map.camera;
  const auto corners = faces.corners(t);
  const Vec3 middle = (corners[0] + corners[1] + corners[2]) / 3, normal = (corners[1] - corners[0]).cross(corners[2] - corners[0]).normalized();
  const Vec3 towards = camera.pose.centre - middle;
  if (!(normal.dot(towards) > kLeastFacing * towards.norm())) return 0;
  std::array<Vec3, 3> seen;
  for (std::size_t k = 0; k < 3; ++k) {
    const auto at = camera.seen(corners[k]);
    if (!at || !(at->x() >= 1 && at->y() >= 1 && at->x() < camera.width - 1 && at->y() < camera.height - 1)) return 0;
    seen[k] = *at;
  }
  const auto centre = camera.seen(middle);
  if (!centre || mask.leavesOut(camera, *centre)) return 0;
  const Eigen::Vector2d a = (seen[1] - seen[0]).head<2>(), b = (seen[2] - seen[0]).head<2>();
  const double pixels = 0.5 * std::abs(a.x() * b.y() - a.y() * b.x());
  if (!(pixels > 0) || surface.hides(scene_from_solve * Vec3(middle + towards), scene_from_solve * Vec3(middle + kNudge * towards))) return 0;
  return pixels * borneOut(map, *centre);
}

void keepBest(std::vector<TextureChoice>& choices, const TextureChoice& one) {
  const auto at = std::upper_bound(choices.begin(), choices.end(), one, [](const TextureChoice& a, const TextureChoice& b) { return a.worth > b.worth; });
  choices.insert(at, one);
  if (choices.size() > kChoices) choices.pop_back();
}

/// What the keyframes have for each triangle.
struct Looked {
  std::vector<std::vector<TextureChoice>> choices;
  std::vector<Pinhole> cameras;  ///< Of each keyframe's depth map.
  std::vector<double> light;     ///< As lightOf().
};

Result<Looked> lookAt(const Faces& faces, const TextureInput& input, const MeshSurface& surface, const Progress& progress) {
  Looked looked{std::vector<std::vector<TextureChoice>>(faces.mesh.triangles.size()), {}, {}};
  std::vector<LightTie> ties;
  for (std::size_t v = 0; v < input.frames.size(); ++v) {
    if (progress.stopRequested()) return cancelled();
    progress.report(static_cast<double>(v) / static_cast<double>(input.frames.size()), "what shows the surface best");
    const auto view = input.depthOf(input.frames[v]);
    if (!view.ok()) return view.error();
    const SolvedFrame* frame = input.solution.frameAt(input.frames[v]);
    if (!frame) return invalidInput(fmt::format("Frame {} has no camera any more: make the dense points again.", input.frames[v]));
    MaskLook mask{{}, input.solution.lensAt(*frame)};
    if (input.mask) {
      auto plane = input.mask(input.frames[v]);
      if (!plane.ok()) return plane.error();
      mask.plane = std::move(*plane);
    }
    addTies((*view)->lighter, v, input.frames, ties);
    looked.cameras.push_back((*view)->map.camera);
    parallelFor(
        static_cast<int>(faces.mesh.triangles.size()),
        [&](int i) {
          const auto t = static_cast<std::size_t>(i);
          const double worth = worthIn(faces, t, (*view)->map, mask, surface, input.scene_from_solve);
          if (worth > 0) keepBest(looked.choices[t], {static_cast<int>(v), worth});
        },
        kChunk);
  }
  looked.light = lightOf(input.frames.size(), ties);
  return looked;
}

/// A chart in its view: where its triangles are seen, px of the undistorted picture at the footage's size.
struct Piece {
  Vec2 low = Vec2::Constant(1e30), high = Vec2::Constant(-1e30);
  std::vector<std::array<Vec2, 3>> seen;
};

Piece pieceOf(const TextureChart& chart, const Faces& faces, const Pinhole& camera, double times) {
  Piece piece;
  for (const std::uint32_t t : chart.triangles) {
    std::array<Vec2, 3> seen;
    const auto corners = faces.corners(t);
    for (std::size_t k = 0; k < 3; ++k) {
      const auto at = camera.seen(corners[k]);
      seen[k] = at ? Vec2(times * at->head<2>()) : Vec2::Zero();
      piece.low = piece.low.cwiseMin(seen[k]), piece.high = piece.high.cwiseMax(seen[k]);
    }
    piece.seen.push_back(seen);
  }
  return piece;
}

/// Between pixels; outside as at the edge.
Eigen::Vector3f colorBetween(const Picture& picture, const Vec2& at) {
  const double x = std::clamp(at.x() - 0.5, 0.0, picture.width - 1.001), y = std::clamp(at.y() - 0.5, 0.0, picture.height - 1.001);
  const int x0 = static_cast<int>(x), y0 = static_cast<int>(y);
  const auto u = static_cast<float>(x - x0), v = static_cast<float>(y - y0);
  const auto color = [&](int i, int j) {
    const Rgb& c = picture.at(std::min(x0 + i, picture.width - 1), std::min(y0 + j, picture.height - 1));
    return Eigen::Vector3f(c.r, c.g, c.b);
  };
  return (1 - v) * ((1 - u) * color(0, 0) + u * color(1, 0)) + v * ((1 - u) * color(0, 1) + u * color(1, 1));
}

Rgb bytesOf(const Eigen::Vector3f& color) { return {byteOf(color.x()), byteOf(color.y()), byteOf(color.z())}; }

/// The texture while it is painted.
class Painting {
 public:
  Painting(const Faces& faces, const TextureInput& input, const Looked& looked, std::vector<TextureChart> charts, double times)
      : faces_(faces), input_(input), looked_(looked), charts_(std::move(charts)) {
    for (const TextureChart& chart : charts_) pieces_.push_back(pieceOf(chart, faces_, looked_.cameras[static_cast<std::size_t>(chart.view)], times));
  }

  std::vector<Eigen::Vector2d> sizes() const {
    std::vector<Eigen::Vector2d> sizes;
    for (const Piece& piece : pieces_) sizes.emplace_back(piece.high - piece.low);
    return sizes;
  }

  /// Errors: what reading says; Cancelled.
  Result<MeshTexture> paint(const TexturePage& page, const std::vector<std::uint32_t>& unseen, const Progress& progress) {
    made_.picture = Picture(page.side_px, page.height_px);
    made_.corners.resize(faces_.mesh.triangles.size());
    place(page);
    for (std::size_t k = 0; k < unseen.size(); ++k) paintUnseen(unseen[k], page.at[charts_.size() + k]);
    std::unique_ptr<FrameSource> footage;
    Undistortion kept;
    // Where pieces are much smaller than the footage, it is made smaller first.
    const int halvings = std::clamp(static_cast<int>(std::floor(-std::log2(page.scale))), 0, 4);
    for (std::size_t v = 0; v < input_.frames.size(); ++v) {
      if (progress.stopRequested()) return cancelled();
      progress.report(static_cast<double>(v) / static_cast<double>(input_.frames.size()), "painting the texture");
      const std::vector<std::size_t> own = chartsIn(static_cast<int>(v));
      if (own.empty()) continue;
      if (!footage) {
        auto opened = input_.open_footage();
        if (!opened.ok()) return opened.error();
        footage = std::move(*opened);
      }
      const auto view = makeDenseView(input_.solution, *input_.solution.frameAt(input_.frames[v]), *footage, {}, halvings, kept);
      if (!view.ok()) return view.error();
      const auto gain = static_cast<float>(std::exp(-looked_.light[v]));
      parallelFor(static_cast<int>(own.size()), [&](int i) {
        const std::size_t c = own[static_cast<std::size_t>(i)];
        paintChart(pieces_[c], page, page.at[c], view->color, std::exp2(-halvings), gain);
      });
    }
    return std::move(made_);
  }

 private:
  std::vector<std::size_t> chartsIn(int view) const {
    std::vector<std::size_t> own;
    for (std::size_t c = 0; c < charts_.size(); ++c) {
      if (charts_[c].view == view) own.push_back(c);
    }
    return own;
  }

  void place(const TexturePage& page) {
    for (std::size_t c = 0; c < charts_.size(); ++c) {
      const Vec2 corner = page.at[c].cast<double>() + Vec2::Constant(TexturePage::kRoom_px);
      for (std::size_t k = 0; k < charts_[c].triangles.size(); ++k) {
        auto& corners = made_.corners[charts_[c].triangles[k]];
        for (std::size_t i = 0; i < 3; ++i) corners[i] = (corner + page.scale * (pieces_[c].seen[k][i] - pieces_[c].low)).cast<float>();
      }
    }
  }

  /// All of its rectangle, what lies beside its triangles too: that is what a viewer blends in at their edges.
  void paintChart(const Piece& piece, const TexturePage& page, const Eigen::Vector2i& at, const Picture& color, double shrunk, float gain) {
    const Eigen::Vector2i size = page.sizeOf(piece.high - piece.low);
    for (int y = 0; y < size.y(); ++y) {
      for (int x = 0; x < size.x(); ++x) {
        const Vec2 from = piece.low + (Vec2(x + 0.5, y + 0.5) - Vec2::Constant(TexturePage::kRoom_px)) / page.scale;
        made_.picture.at(at.x() + x, at.y() + y) = bytesOf(gain * colorBetween(color, shrunk * from));
      }
    }
  }

  /// The colours of its points, over a square of four pixels.
  void paintUnseen(std::uint32_t t, const Eigen::Vector2i& at) {
    const SetMesh& mesh = faces_.mesh;
    std::array<Eigen::Vector3f, 3> colors;
    for (std::size_t k = 0; k < 3; ++k) {
      const auto c = mesh.colors.empty() ? std::array<std::uint8_t, 3>{180, 180, 180} : mesh.colors[mesh.triangles[t][k]];
      colors[k] = Eigen::Vector3f(c[0], c[1], c[2]);
    }
    for (int y = 0; y < 4; ++y) {
      for (int x = 0; x < 4; ++x) {
        const float u = std::clamp((static_cast<float>(x) - 0.5F) / 2, 0.0F, 1.0F), v = std::clamp((static_cast<float>(y) - 0.5F) / 2, 0.0F, 1.0F - u);
        made_.picture.at(at.x() + x, at.y() + y) = bytesOf((1 - u - v) * colors[0] + u * colors[1] + v * colors[2]);
      }
    }
    const Eigen::Vector2f corner = at.cast<float>();
    made_.corners[t] = {corner + Eigen::Vector2f(1, 1), corner + Eigen::Vector2f(3, 1), corner + Eigen::Vector2f(1, 3)};
  }

  const Faces& faces_;
  const TextureInput& input_;
  const Looked& looked_;
  std::vector<TextureChart> charts_;
  std::vector<Piece> pieces_;
  MeshTexture made_;
};

/// How many times the footage's undistorted picture is larger than a depth map.
double timesOf(const Solution& solution, int frame, const Pinhole& map) {
  return std::exp2(std::round(std::log2(static_cast<double>(densePlate(solution.lensAt(*solution.frameAt(frame))).width) / map.width)));
}

}  // namespace

Status checkTextureSide(int side_px) {
  if (side_px == 0 || (side_px >= 256 && side_px <= 16384)) return Done{};
  return invalidInput(fmt::format("A texture is 256 to 16384 px wide, or 0 for none, not {}.", side_px));
}

Result<SetMesh> textured(SetMesh mesh, const TextureInput& input, const TextureOptions& options, const Progress& progress) {
  if (const Status fine = checkTextureSide(options.side_px); !fine.ok()) return fine.error();
  if (options.side_px == 0 || mesh.triangles.empty() || input.frames.empty()) return mesh;
  const auto surface = MeshSurface::make(std::make_shared<const SetMesh>(mesh), progress.part(0, 0.1));
  if (!surface.ok()) return surface.error();
  Faces faces{mesh, {}};
  const Similarity solve_from_scene = input.scene_from_solve.inverse();
  for (const auto& p : mesh.points) faces.places.push_back(solve_from_scene * p.cast<double>());
  const auto looked = lookAt(faces, input, **surface, progress.part(0.1, 0.5));
  if (!looked.ok()) return looked.error();
  const std::vector<int> views = chosenViews(mesh, looked->choices);
  std::vector<std::uint32_t> unseen;
  for (std::uint32_t t = 0; t < views.size(); ++t) {
    if (views[t] < 0) unseen.push_back(t);
  }
  progress.report(0.5, "laying out the texture");
  Painting painting(faces, input, *looked, chartsOf(mesh, views), timesOf(input.solution, input.frames.front(), looked->cameras.front()));
  const auto page = packed(painting.sizes(), unseen.size(), options.side_px);
  if (!page.ok()) return page.error();
  auto texture = painting.paint(*page, unseen, progress.part(0.55, 1));
  if (!texture.ok()) return texture.error();
  mesh.texture = std::make_shared<const MeshTexture>(std::move(*texture));
  return mesh;
}

}  // namespace dusky
