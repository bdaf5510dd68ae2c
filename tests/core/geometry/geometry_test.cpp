#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <cmath>

#include "core/base/random.h"
#include "core/geometry/align.h"
#include "core/geometry/ellipsoid.h"
#include "core/geometry/essential.h"
#include "core/geometry/fundamental.h"
#include "core/geometry/homography.h"
#include "core/geometry/plane.h"
#include "core/geometry/resection.h"
#include "core/geometry/triangulation.h"
#include "core/geometry/two_view.h"

namespace dusky::testing {

Vec3 randomVec(Random& random, double low, double high) { return {random.between(low, high), random.between(low, high), random.between(low, high)}; }

Eigen::Quaterniond randomTurn(Random& random, double most_rad = 3) {
  return rotationFromVector(random.between(0, most_rad) * randomVec(random, -1, 1).normalized());
}

/// Two cameras a step apart that look at the same cloud, with what they see.
struct Pair {
  Pose a, b;
  std::vector<Vec3> points;
  std::vector<Vec3> rays_a, rays_b;
};

Pair makePair(int count, double baseline, double noise, std::uint64_t seed) {
  Random random(seed);
  Pair pair;
  pair.b.centre = baseline * Vec3(1, 0.2, -0.3).normalized();
  pair.b.world_from_camera = rotationFromVector(Vec3(0.03, -0.08, 0.02));
  for (int i = 0; i < count; ++i) {
    const Vec3 p(random.between(-2, 2), random.between(-1.5, 1.5), random.between(3, 9));
    const auto noisy = [&](const Vec2& v) -> Vec3 { return Vec2(v + noise * Vec2(random.normal(), random.normal())).homogeneous().normalized(); };
    pair.points.push_back(p);
    pair.rays_a.push_back(noisy(pair.a.toCamera(p).hnormalized()));
    pair.rays_b.push_back(noisy(pair.b.toCamera(p).hnormalized()));
  }
  return pair;
}

double directionError(const TwoView& found, const Pair& pair) {
  const Vec3 truth = -(pair.b.world_from_camera.conjugate() * pair.b.centre).normalized();  // t of x_b = R x_a + t
  return std::acos(std::min(1.0, found.relative.direction.dot(truth)));
}

double turnError(const TwoView& found, const Pair& pair) {
  return Eigen::Quaterniond(found.relative.rotation).angularDistance(pair.b.world_from_camera.conjugate());
}

TEST(Rotation, FromVectorIsTheExponentialMapEvenForTinyAngles) {
  for (double angle : {1e-15, 1e-9, 1e-3, 1.0, 3.1}) {
    const Vec3 v = angle * Vec3(1, 2, -1).normalized();
    const Eigen::Quaterniond q = rotationFromVector(v);
    EXPECT_NEAR(q.norm(), 1, 1e-14);
    EXPECT_NEAR(Eigen::AngleAxisd(q).angle(), angle, 1e-8);
  }
}

TEST(Similarity, ComposesAndCarriesPoses) {
  Random random(5);
  const Similarity s{2.5, randomTurn(random), randomVec(random, -3, 3)}, t{0.3, randomTurn(random), randomVec(random, -3, 3)};
  const Vec3 p = randomVec(random, -2, 2);
  EXPECT_TRUE(((s * t) * p).isApprox(s * (t * p)));
  const Pose pose{randomTurn(random), randomVec(random, -2, 2)};
  // A camera and a point carried together still see each other the same way, but for scale.
  EXPECT_TRUE((s * pose).toCamera(s * p).isApprox(2.5 * pose.toCamera(p)));
}

TEST(AlignPoints, GivesBackTheSimilarityThatMadeThem) {
  Random random(8);
  const Similarity truth{3.7, randomTurn(random), randomVec(random, -9, 9)};
  std::vector<Vec3> from, to;
  for (int i = 0; i < 12; ++i) {
    from.push_back(randomVec(random, -2, 2));
    to.push_back(truth * from.back());
  }
  const auto found = alignPoints(from, to);
  ASSERT_TRUE(found.ok());
  EXPECT_NEAR(found->scale, 3.7, 1e-10);
  EXPECT_LT(found->rotation.angularDistance(truth.rotation), 1e-9);
  EXPECT_LT((found->shift - truth.shift).norm(), 1e-9);
}

TEST(AlignPoints, RefusesWhatFixesNothing) {
  EXPECT_FALSE(alignPoints({Vec3::Zero()}, {Vec3::Zero()}).ok());
  EXPECT_FALSE(alignPoints({3, Vec3::Ones()}, {3, Vec3::Ones()}).ok());
  EXPECT_FALSE(alignPoints({3, Vec3::Ones()}, {4, Vec3::Ones()}).ok());
}

TEST(AlignPaths, AStraightPathIsNoSpecialCase) {
  Random random(9);
  const Similarity truth{0.2, randomTurn(random), randomVec(random, -4, 4)};
  std::vector<Pose> from, to;
  for (int i = 0; i < 10; ++i) {
    from.push_back({rotationFromVector(Vec3(0, 0.02 * i, 0)), Vec3(0.3 * i, 0, 0)});
    to.push_back(truth * from.back());
  }
  const auto found = alignPaths(from, to);
  ASSERT_TRUE(found.ok());
  for (int i = 0; i < 10; ++i) {
    EXPECT_LT(((*found * from[i]).centre - to[i].centre).norm(), 1e-9);
    EXPECT_LT((*found * from[i]).world_from_camera.angularDistance(to[i].world_from_camera), 1e-7);
  }
}

TEST(EssentialFromFive, TheTrueMatrixIsAmongTheAnswers) {
  for (std::uint64_t seed = 1; seed <= 20; ++seed) {
    const Pair pair = makePair(5, 1.0, 0, seed);
    std::array<Vec3, 5> a, b;
    for (int i = 0; i < 5; ++i) a[i] = pair.rays_a[i], b[i] = pair.rays_b[i];
    const Mat3 r = pair.b.world_from_camera.conjugate().toRotationMatrix();
    const Mat3 truth = (crossMatrix(-(r * pair.b.centre)) * r).normalized();
    double nearest = 1;
    for (const Mat3& e : essentialFromFive(a, b)) {
      const Mat3 unit = e.normalized();
      nearest = std::min({nearest, (unit - truth).norm(), (unit + truth).norm()});
      for (int i = 0; i < 5; ++i) EXPECT_NEAR(b[i].dot(unit * a[i]), 0, 1e-8);
    }
    EXPECT_LT(nearest, 1e-6) << "seed " << seed;
  }
}

TEST(DecomposeEssential, OneOfTheFourIsTheTruth) {
  const Pair pair = makePair(1, 1, 0, 3);
  const Mat3 r = pair.b.world_from_camera.conjugate().toRotationMatrix();
  const Vec3 t = -(r * pair.b.centre).normalized();
  double nearest = 9;
  for (const RelativePose& found : decomposeEssential(crossMatrix(t) * r)) {
    EXPECT_NEAR(found.rotation.determinant(), 1, 1e-9);
    nearest = std::min(nearest, (found.rotation - r).norm() + (found.direction - t).norm());
  }
  EXPECT_LT(nearest, 1e-8);
}

TEST(RelatePair, FindsTheTruePoseAmongWrongPairs) {
  Pair pair = makePair(200, 0.8, 0.0005, 11);
  Random random(1);
  for (int i = 0; i < 80; ++i) pair.rays_b[i] = Vec3(random.between(-0.5, 0.5), random.between(-0.4, 0.4), 1).normalized();
  const TwoView found = relatePair(pair.rays_a, pair.rays_b, 0.002, 7);
  // 120 good pairs; a few wrong ones lie near their epipolar line by chance, and a few good ones beyond 4 sigma.
  EXPECT_GE(found.inliers.size(), 112u);
  EXPECT_LE(found.inliers.size(), 126u);
  EXPECT_LT(turnError(found, pair), 0.003);  // noise 0.0005 over 120 pairs; spread over seeds is 0.0008
  EXPECT_LT(directionError(found, pair), 0.02);
  EXPECT_GT(found.median_parallax_rad, 0.05);
}

TEST(RelatePair, IsTheSameForTheSameSeed) {
  const Pair pair = makePair(80, 0.5, 0.001, 4);
  const TwoView one = relatePair(pair.rays_a, pair.rays_b, 0.003, 5), two = relatePair(pair.rays_a, pair.rays_b, 0.003, 5);
  EXPECT_EQ(one.inliers, two.inliers);
  EXPECT_EQ(one.relative.rotation, two.relative.rotation);
}

TEST(Homography, FromFourPairsAndRotationFromTwo) {
  Mat3 truth;
  truth << 1.1, 0.05, 0.2, -0.03, 0.95, -0.1, 0.02, 0.01, 1;
  std::vector<Vec2> a = {{0, 0}, {1, 0.1}, {0.9, 1}, {-0.2, 0.8}, {0.4, 0.5}}, b;
  for (const Vec2& p : a) b.push_back((truth * p.homogeneous()).hnormalized());
  const Mat3 found = homographyFromPairs(a, b);
  EXPECT_TRUE((found / found(2, 2)).isApprox(truth, 1e-9));

  const Mat3 turn = rotationFromVector(Vec3(0.1, -0.2, 0.3)).toRotationMatrix();
  std::vector<Vec2> c;
  for (const Vec2& p : a) c.push_back((turn * p.homogeneous()).hnormalized());
  EXPECT_TRUE(rotationFromPairs(a, c).isApprox(turn, 1e-9));
}

TEST(PoseFromThree, TheTruePoseIsAmongTheAnswers) {
  for (std::uint64_t seed = 1; seed <= 30; ++seed) {
    Random random(seed);
    const Pose truth{randomTurn(random, 0.6), randomVec(random, -1, 1)};
    std::array<Vec3, 3> points;
    std::array<Vec3, 3> rays;
    for (int i = 0; i < 3; ++i) {
      const Vec3 in_camera(random.between(-1.5, 1.5), random.between(-1.5, 1.5), random.between(3, 7));
      points[i] = truth.centre + truth.direction(in_camera);
      rays[i] = in_camera.normalized();
    }
    double nearest = 9;
    for (const Pose& pose : poseFromThree(points, rays)) {
      nearest = std::min(nearest, (pose.centre - truth.centre).norm() + pose.world_from_camera.angularDistance(truth.world_from_camera));
    }
    EXPECT_LT(nearest, 1e-5) << "seed " << seed;
  }
}

TEST(Resect, GivesBackTheCameraDespiteWrongPairs) {
  Pair pair = makePair(100, 1.2, 0.0005, 21);
  Random random(2);
  for (int i = 0; i < 40; ++i) pair.rays_b[i] = Vec3(random.between(-0.6, 0.6), random.between(-0.6, 0.6), 1).normalized();
  const auto found = resect(pair.points, pair.rays_b, 0.003, 9);
  ASSERT_TRUE(found.has_value());
  EXPECT_GE(found->inliers.size(), 58u);
  EXPECT_LE(found->inliers.size(), 62u);
  EXPECT_LT((found->pose.centre - pair.b.centre).norm(), 0.01);
  EXPECT_LT(found->pose.world_from_camera.angularDistance(pair.b.world_from_camera), 0.002);
}

TEST(Resect, SaysNothingWhenNothingAgrees) {
  Random random(3);
  std::vector<Vec3> points;
  std::vector<Vec3> rays;
  for (int i = 0; i < 3; ++i) points.push_back(randomVec(random, -1, 1)), rays.push_back(Vec3::UnitZ());
  EXPECT_FALSE(resect(points, rays, 0.001, 1).has_value());
}

TEST(Triangulate, ExactRaysMeetInThePoint) {
  const Vec3 truth(0.4, -0.3, 6);
  std::vector<Sighting> sightings;
  for (int i = 0; i < 5; ++i) {
    const Pose camera{rotationFromVector(Vec3(0, 0.02 * i, 0)), Vec3(0.4 * i, 0.1 * i, 0)};
    sightings.push_back({camera, camera.toCamera(truth).normalized()});
  }
  const auto found = triangulate(sightings);
  ASSERT_TRUE(found.has_value());
  EXPECT_LT((found->point - truth).norm(), 1e-9);
  EXPECT_NEAR(found->parallax_rad, std::acos((truth - sightings.front().camera.centre).normalized().dot((truth - sightings.back().camera.centre).normalized())),
              1e-9);
}

TEST(Rays, MayPointBesideAndBehindTheAxis) {
  // A camera of more than half a turn sees points behind its own plane.
  Random random(31);
  std::vector<Vec3> points, rays;
  const Pose truth{randomTurn(random), randomVec(random, -1, 1)};
  for (int i = 0; i < 40; ++i) {
    points.push_back(5 * randomVec(random, -1, 1));
    rays.push_back(truth.toCamera(points.back()).normalized());
  }
  EXPECT_GT(std::count_if(rays.begin(), rays.end(), [](const Vec3& r) { return r.z() < 0; }), 10);
  const auto camera = resect(points, rays, 0.001, 4);
  ASSERT_TRUE(camera.has_value());
  EXPECT_EQ(camera->inliers.size(), 40u);
  EXPECT_LT((camera->pose.centre - truth.centre).norm(), 1e-8);

  const Vec3 behind(0.3, 0.2, -4);
  const Pose a, b{Eigen::Quaterniond::Identity(), Vec3(1, 0, 0)};
  const auto found = triangulate({{a, a.toCamera(behind).normalized()}, {b, b.toCamera(behind).normalized()}});
  ASSERT_TRUE(found.has_value());
  EXPECT_LT((found->point - behind).norm(), 1e-8);
}

TEST(Triangulate, NoiseMovesThePointNoMoreThanItMust) {
  Random random(12);
  double squares = 0;
  constexpr int kTrials = 300;
  for (int trial = 0; trial < kTrials; ++trial) {
    const Vec3 truth(0, 0, 5);
    std::vector<Sighting> sightings;
    for (double x : {-1.0, -0.5, 0.5, 1.0}) {
      const Pose camera{Eigen::Quaterniond::Identity(), Vec3(x, 0, 0)};
      sightings.push_back({camera, (camera.toCamera(truth).hnormalized() + 0.001 * Vec2(random.normal(), random.normal())).homogeneous().normalized()});
    }
    squares += std::pow(triangulate(sightings)->point.z() - 5, 2);
  }
  // Depth sigma by propagation: sigma z^2 / sqrt(sum x^2) = 0.001 * 25 / sqrt(2.5) = 0.0158.
  EXPECT_NEAR(std::sqrt(squares / kTrials), 0.0158, 0.0158 * 0.15);
}

TEST(Triangulate, RefusesOneRayParallelRaysAndPointsBehind) {
  const Pose a, b{Eigen::Quaterniond::Identity(), Vec3(1, 0, 0)};
  EXPECT_FALSE(triangulate({{a, Vec3::UnitZ()}}).has_value());
  EXPECT_FALSE(triangulate({{a, Vec3::UnitZ()}, {a, Vec3::UnitZ()}}).has_value());
  EXPECT_FALSE(triangulate({{a, Vec3(-0.2, 0, 1).normalized()}, {b, Vec3(0.2, 0, 1).normalized()}}).has_value()) << "these rays meet behind both cameras";
}

TEST(FitPlane, LeastSquaresAndNothingOnALine) {
  std::vector<Vec3> points;
  Random random(4);
  const Vec3 normal = Vec3(0.1, 1, -0.2).normalized();
  for (int i = 0; i < 30; ++i) {
    Vec3 p = randomVec(random, -3, 3);
    p -= (normal.dot(p) - 1.5) * normal;
    points.push_back(p);
  }
  const auto plane = fitPlane(points);
  ASSERT_TRUE(plane.has_value());
  EXPECT_NEAR(std::abs(plane->normal.dot(normal)), 1, 1e-12);
  EXPECT_NEAR(std::abs(plane->offset), 1.5, 1e-9);
  EXPECT_FALSE(fitPlane({Vec3(0, 0, 0), Vec3(1, 1, 1), Vec3(2, 2, 2)}).has_value());
}

TEST(FindPlane, TakesTheGroundAmongOtherThings) {
  Random random(17);
  std::vector<Vec3> points;
  for (int i = 0; i < 60; ++i) points.push_back({random.between(-3, 3), 0.005 * random.normal(), random.between(-3, 3)});
  for (int i = 0; i < 80; ++i) points.push_back({random.between(-3, 3), random.between(0.1, 2), random.between(-3, 3)});
  const auto plane = findPlane(points, Vec3(0.1, 1, 0).normalized(), 0.4, 0.02, 3);
  ASSERT_TRUE(plane.has_value());
  EXPECT_GT(plane->normal.y(), 0.9995);
  EXPECT_NEAR(plane->offset, 0, 0.01);
}

/// Counts its samples; a line through two points.
struct LineEstimator {
  static constexpr int kSample = 2;
  const std::vector<Vec2>& points;
  std::vector<Vec3> minimal(const std::vector<int>& s) const { return {points[s[0]].homogeneous().cross(points[s[1]].homogeneous())}; }
  double residual(const Vec3& line, int i) const { return line.dot(points[i].homogeneous()) / line.head<2>().norm(); }
  std::vector<Vec3> refine(const Vec3&, const std::vector<int>&) const { return {}; }
};

TEST(RobustFit, FindsALineAndDrawsMoreSamplesForMoreOutliers) {
  const auto fit = [](double outliers) {
    Random random(2);
    std::vector<Vec2> points;
    for (int i = 0; i < 200; ++i) {
      const double x = random.between(-5, 5);
      points.push_back(random.uniform() < outliers ? Vec2(x, random.between(-5, 5)) : Vec2(x, 0.5 * x + 1 + 0.01 * random.normal()));
    }
    return robustFit<Vec3>(LineEstimator{points}, 200, {.tolerance = 0.05, .confidence = 0.9999, .min_samples = 5, .max_samples = 2000, .seed = 3});
  };
  const auto clean = fit(0.1), dirty = fit(0.7);
  ASSERT_TRUE(clean.found());
  ASSERT_TRUE(dirty.found());
  EXPECT_NEAR(-dirty.model.x() / dirty.model.y(), 0.5, 0.02);
  EXPECT_GE(dirty.inliers.size(), 50u);
  EXPECT_LT(clean.samples, dirty.samples);
}

TEST(RobustFit, TooFewForASampleFindsNothing) {
  const std::vector<Vec2> points = {Vec2(0, 0)};
  EXPECT_FALSE(robustFit<Vec3>(LineEstimator{points}, 1, {}).found());
}

/// The pair's points as pixels of a camera of 900 px focal length.
std::vector<Vec2> inPixels(const std::vector<Vec3>& rays) {
  std::vector<Vec2> pixels;
  for (const Vec3& ray : rays) pixels.push_back(900 * ray.hnormalized() + Vec2(640, 360));
  return pixels;
}

TEST(Fundamental, SevenPairsGiveTheTrueOneAmongThem) {
  const Pair pair = makePair(40, 0.8, 0, 3);
  const std::vector<Vec2> a = inPixels(pair.rays_a), b = inPixels(pair.rays_b);
  double best = 1e9;
  for (const Mat3& f : fundamentalFromSeven({a.begin(), a.begin() + 7}, {b.begin(), b.begin() + 7})) {
    double worst = 0;
    for (std::size_t i = 0; i < a.size(); ++i) worst = std::max(worst, std::abs(sampsonError(f, a[i], b[i])));
    best = std::min(best, worst);
  }
  EXPECT_LT(best, 1e-5);  // px, over pairs that were not used
}

TEST(Fundamental, ARobustFitFindsTheOutliersAndSaysHowHardItLooked) {
  const Pair pair = makePair(200, 0.8, 0.3 / 900, 5);
  std::vector<Vec2> a = inPixels(pair.rays_a), b = inPixels(pair.rays_b);
  Random random(8);
  for (std::size_t i = 0; i < 60; ++i) b[i] += Vec2(random.between(20, 80), random.between(-80, -20));
  const EpipolarFit fit = fitEpipolar(a, b, {.tolerance = 1.5});
  ASSERT_TRUE(fit.found());
  const auto wrong = std::count_if(fit.inliers.begin(), fit.inliers.end(), [](int i) { return i < 60; });
  EXPECT_GT(fit.inliers.size() - wrong, 135u);
  EXPECT_LT(wrong, 6) << "an outlier may lie on its line by chance";
  EXPECT_GE(fit.samples, fit.needed);
  EXPECT_NEAR(fit.needed, std::log(1 - 0.9999) / std::log(1 - std::pow(0.7, 7)), 40);
  for (std::size_t i = 60; i < 70; ++i) {
    const Vec3 line = epipolarLine(fit.fundamental, a[i]);
    EXPECT_NEAR(line.head<2>().norm(), 1, 1e-12);
    EXPECT_LT(std::abs(line.head<2>().dot(b[i]) + line.z()), 2.0);
  }
  EXPECT_FALSE(fitEpipolar({a.begin(), a.begin() + 7}, {b.begin(), b.begin() + 7}, {}).found());
}

TEST(Homography, ARobustFitFindsThePlane) {
  Mat3 truth;
  truth << 1.05, 0.02, 12, -0.03, 0.98, -7, 1e-5, 2e-5, 1;
  Random random(3);
  std::vector<Vec2> a, b;
  for (int i = 0; i < 80; ++i) {
    a.emplace_back(random.between(0, 1280), random.between(0, 720));
    b.push_back((truth * a.back().homogeneous()).hnormalized());
    if (i < 24) b.back() += Vec2(random.between(15, 40), 15);
  }
  const HomographyFit fit = fitHomography(a, b, {.tolerance = 1});
  EXPECT_EQ(fit.inliers.size(), 56u);
  EXPECT_LT(((fit.homography * Vec3(300, 200, 1)).hnormalized() - (truth * Vec3(300, 200, 1)).hnormalized()).norm(), 1e-6);
}

TEST(Ellipsoid, HalfAxesAreTheDeviationsLongestFirst) {
  const Mat3 turn = rotationFromVector(Vec3(0.4, -1.1, 0.3)).toRotationMatrix();
  const Mat3 covariance = turn * Vec3(0.04, 9, 0.25).asDiagonal() * turn.transpose();
  const Mat3 axes = ellipsoidAxes(covariance);
  EXPECT_NEAR(axes.col(0).norm(), 3, 1e-9);
  EXPECT_NEAR(axes.col(1).norm(), 0.5, 1e-9);
  EXPECT_NEAR(axes.col(2).norm(), 0.2, 1e-9);
  EXPECT_NEAR(std::abs(axes.col(0).dot(turn.col(1))), 3, 1e-9);
  EXPECT_LT((axes * axes.transpose() - covariance).norm(), 1e-9);
  EXPECT_FALSE(ellipsoidAxes(Mat3::Constant(std::nan(""))).allFinite());
  EXPECT_EQ(ellipsoidAxes(Vec3(1, 1, -1e-18).asDiagonal()).col(2).norm(), 0) << "what rounding made negative";
}

}  // namespace dusky::testing
