// The arithmetic under tracking, against the same computed plainly: samples in whole vectors, likeness in one pass, references near the end of a picture.
#include "core/track/sampling.h"

#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <cmath>

#include "core/base/random.h"
#include "core/image/pyramid.h"
#include "core/track/descriptor.h"
#include "core/track/follow_features.h"
#include "core/track/patch.h"
#include "core/track/reference.h"
#include "tests/support/plane_shot.h"

namespace dusky::testing {

FloatPlane noisy(int width, int height, std::uint64_t seed) {
  Random random(seed);
  FloatPlane plane(width, height);
  for (float& v : plane.data) v = static_cast<float>(40 + random.index(160));
  return plane;
}

/// Catmull and Rom's kernel, tap by tap.
double plainCubic(const FloatPlane& plane, double u, double v) {
  const auto kernel = [](double t) {
    t = std::abs(t);
    return t < 1 ? (1.5 * t - 2.5) * t * t + 1 : t < 2 ? ((-0.5 * t + 2.5) * t - 4) * t + 2 : 0.0;
  };
  const int ix = static_cast<int>(std::floor(u - 0.5)), iy = static_cast<int>(std::floor(v - 0.5));
  double sum = 0;
  for (int j = iy - 1; j <= iy + 2; ++j) {
    for (int i = ix - 1; i <= ix + 2; ++i) sum += kernel(u - i - 0.5) * kernel(v - j - 0.5) * plane.at(i, j);
  }
  return sum;
}

TEST(SampleSquare, IsTheCubicKernelEverywhereUpToTheLastPixel) {
  const FloatPlane plane = noisy(67, 53, 3);
  for (const int side : {9, 15, 23, 25}) {
    const auto reach = static_cast<double>(side - 1);
    // The middle, both ends of the first and last rows, and the very end, where whole vectors would read past the picture.
    for (const auto& [u, v] : {std::pair{20.31, 14.77}, {2.0, 2.0}, {67 - 2.5 - reach, 2.25}, {2.6, 53 - 2.5 - reach}, {67 - 2.5 - reach, 53 - 2.5 - reach}}) {
      std::vector<float> out(static_cast<std::size_t>(side) * strideOf(side), -1.0f);
      sampleSquare(plane, static_cast<float>(u), static_cast<float>(v), side, out.data());
      double worst = 0;
      for (int j = 0; j < side; ++j) {
        for (int i = 0; i < side; ++i)
          worst = std::max(worst, std::abs(out[static_cast<std::size_t>(j) * strideOf(side) + i] - plainCubic(plane, u + i, v + j)));
      }
      EXPECT_LT(worst, 0.02) << side << " at " << u << " " << v;
    }
  }
}

TEST(SampleSquare, AgreesWithSingleSamples) {
  const FloatPlane plane = noisy(60, 60, 4);
  std::vector<float> out(static_cast<std::size_t>(11) * strideOf(11));
  sampleSquare(plane, 17.4f, 21.9f, 11, out.data());
  for (int k = 0; k < 11; ++k)
    EXPECT_NEAR(out[static_cast<std::size_t>(k) * strideOf(11) + k], sampleCubic(plane, 17.4f + static_cast<float>(k), 21.9f + static_cast<float>(k)), 1e-2);
}

/// Weighted zero-mean correlation of two windows in double precision.
double plainLikeness(const FloatPlane& a, Vec2 at, const FloatPlane& b, Vec2 there, int radius) {
  const auto& weights = windowOf(radius);
  double w_sum = 0, a_sum = 0, b_sum = 0, aa = 0, bb = 0, ab = 0;
  for (int y = -radius; y <= radius; ++y) {
    for (int x = -radius; x <= radius; ++x) {
      const double w = weights[static_cast<std::size_t>(y + radius) * strideOf(2 * radius + 1) + x + radius];
      const double va = plainCubic(a, at.x() + x, at.y() + y), vb = plainCubic(b, there.x() + x, there.y() + y);
      w_sum += w, a_sum += w * va, b_sum += w * vb, aa += w * va * va, bb += w * vb * vb, ab += w * va * vb;
    }
  }
  a_sum /= w_sum, b_sum /= w_sum;
  return (ab / w_sum - a_sum * b_sum) / std::sqrt((aa / w_sum - a_sum * a_sum) * (bb / w_sum - b_sum * b_sum));
}

/// The same texture from a little farther along, brighter and with more contrast, and some noise of its own.
FloatPlane shifted(const FloatPlane& from, double dx, double dy, double noise) {
  FloatPlane to(from.width, from.height, 60.0f);
  Random random(9);
  for (int y = 4; y < from.height - 4; ++y) {
    for (int x = 4; x < from.width - 4; ++x)
      to.at(x, y) = static_cast<float>(1.4 * plainCubic(from, x + 0.5 + dx, y + 0.5 + dy) + 12 + noise * (random.index(1000) / 500.0 - 1));
  }
  return to;
}

TEST(Alignment, OnePassGivesThePlainLikenessInTheLightAndInTheDark) {
  FloatPlane from = soften(deadLeaves(160, 120, 6));
  for (const float lift : {0.0f, 3000.0f}) {  // far from zero rounding would show
    for (float& v : from.data) v += lift;
    const FloatPlane to = shifted(from, 1.3, -0.7, 12);
    Reference reference(from, {80.2f, 60.4f}, 11);
    ASSERT_TRUE(reference.usable());
    const ReferenceMatch match = reference.align(to, {78.5f, 61.5f}, Eigen::Matrix2f::Identity());
    ASSERT_TRUE(match.settled);
    EXPECT_NEAR(match.centre.x(), 78.9, 0.15);
    EXPECT_NEAR(match.centre.y(), 61.1, 0.15);
    EXPECT_NEAR(match.likeness, plainLikeness(from, {80.2f, 60.4f}, to, match.centre.cast<double>(), 11), 0.01);
    const Patch patch(from, {80.2f, 60.4f}, 7);
    const PatchMatch quick = patch.align(to, {78.5f, 61.5f}, 12);
    EXPECT_NEAR(quick.likeness, plainLikeness(from, {80.2f, 60.4f}, to, quick.centre.cast<double>(), 7), 0.01);
  }
}

TEST(Alignment, FindsTurnAndGrowthTogetherWithThePlace) {
  PlanePlan plan;
  plan.width = 200, plan.height = 160, plan.frames = 2;
  plan.zoom = 1.06, plan.roll_rad = 0.05, plan.pan_px = Vec2(3, -2), plan.shake_px = 0;
  PlaneShot shot(plan);
  const FloatPlane first = soften(shot.read(1)->luma), second = soften(shot.read(2)->luma);
  Eigen::Matrix2f truth = Eigen::Rotation2Df(0.05f).toRotationMatrix() * 1.06f;
  if ((shot.carry(0, 1, 2, {110, 80}) - shot.carry(0, 1, 2, {100, 80})).y() < 0) truth = Eigen::Rotation2Df(-0.05f).toRotationMatrix() * 1.06f;
  for (const Vec2& place : {Vec2(100, 80), Vec2(70, 90), Vec2(130, 70)}) {
    Reference reference(first, place.cast<float>(), 13);
    if (!reference.usable()) continue;
    const Vec2 there = shot.carry(0, 1, 2, place);
    const ReferenceMatch match = reference.align(second, there.cast<float>() + Eigen::Vector2f(0.8f, -0.5f), Eigen::Matrix2f::Identity());
    EXPECT_LT((match.centre.cast<double>() - there).norm(), 0.05) << place.transpose();
    EXPECT_LT((match.shape - truth).cwiseAbs().maxCoeff(), 0.02) << match.shape;
  }
}

TEST(Alignment, WorksUpToTheEndOfThePicture) {
  const FloatPlane plane = soften(deadLeaves(100, 90, 8));
  const Eigen::Vector2f corner(100 - 14.0f, 90 - 14.0f);
  Reference reference(plane, corner, 11);
  if (reference.usable()) {
    const ReferenceMatch match = reference.align(plane, corner + Eigen::Vector2f(-0.6f, -0.4f), Eigen::Matrix2f::Identity());
    EXPECT_LT((match.centre - corner).norm(), 0.02);
    EXPECT_GT(match.likeness, 0.999);
  }
  EXPECT_FALSE(Reference(plane, {95, 80}, 11).usable()) << "too near to the edge";
  EXPECT_LT(reference.align(plane, {97, 88}, Eigen::Matrix2f::Identity()).likeness, 0) << "it left the picture";
}

TEST(Alignment, AnUnusableReferenceFindsNothing) {
  Reference nothing(FloatPlane(80, 80, 50.0f), {40, 40}, 11);
  EXPECT_FALSE(nothing.usable());
  EXPECT_EQ(nothing.align(noisy(80, 80, 2), {40, 40}, Eigen::Matrix2f::Identity()).likeness, -1);
}

TEST(Descriptor, ItsMainDirectionTurnsWithThePicture) {
  // A ramp of grey has one direction; all round the circle it must be found to a hundredth of a turn.
  for (int k = 0; k < 24; ++k) {
    const double angle = k * 3.14159265358979 / 12 + 0.05;
    FloatPlane plane(80, 80);
    for (int y = 0; y < 80; ++y) {
      for (int x = 0; x < 80; ++x) plane.at(x, y) = static_cast<float>(120 + 2 * ((x - 40) * std::cos(angle) + (y - 40) * std::sin(angle)));
    }
    const auto found = describeAt(plane, {40, 40}, 14);
    ASSERT_TRUE(found) << k;
    EXPECT_LT(std::abs(std::remainder(found->direction_rad - angle, 2 * 3.14159265358979)), 0.09) << k;
  }
}

TEST(Barren, CellsWithoutTextureAreKnownFrameByFrame) {
  /// Texture on the left half only.
  class Half final : public FrameSource {
   public:
    Half() : texture_(soften(deadLeaves(240, 240, 5))) { info_ = {"half", "made", 480, 240, 24.0, 1, 6}; }
    const FootageInfo& info() const override { return info_; }
    Result<Frame> read(int number, FrameUse) override {
      Frame frame{number, Picture(480, 240), FloatPlane(480, 240, 90.0f)};
      for (int y = 0; y < 240; ++y) std::copy_n(texture_.row(y), 240, frame.luma.row(y));
      return frame;
    }

   private:
    FloatPlane texture_;
    FootageInfo info_;
  };
  Half half;
  const auto tracks = followFeatures(half, {.features = 200}, {});
  ASSERT_TRUE(tracks.ok());
  constexpr int kCells = TrackSet::kCellColumns * TrackSet::kCellRows;
  ASSERT_EQ((*tracks)->textureless.size(), static_cast<std::size_t>(6 * kCells));
  int left = 0, right = 0;
  for (int f = 0; f < 6; ++f) {
    for (int cell = 0; cell < kCells; ++cell) (cell % 8 < 4 ? left : right) += (*tracks)->textureless[static_cast<std::size_t>(f * kCells + cell)];
  }
  EXPECT_EQ(right, 6 * kCells / 2);
  EXPECT_LT(left, kCells) << "a cell at the border may be thin";
}

}  // namespace dusky::testing
