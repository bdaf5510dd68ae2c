// What is believed besides the sightings: slopes against finite differences, planes of the set against the truth.
#include "core/adjust/factors.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/base/random.h"
#include "core/geometry/align.h"

namespace dusky::testing {

Vec3 anywhere(Random& random) { return {random.normal(), random.normal(), random.normal()}; }

/// A camera walking along two walls that stand square, seen with noise. Points alternate between the walls; every sixth stands free.
struct Corner {
  static constexpr int kFrames = 24, kPoints = 120;
  Bundle truth, seen;

  explicit Corner(std::uint64_t seed, double noise_px = 0.4, double angle_deg = 90) {
    Random random(seed);
    truth.lenses[0] = Lens::simple(1280, 720, 900);
    // Little parallax: the walls are far beside the walk.
    for (int c = 0; c < kFrames; ++c)
      truth.cameras.push_back({rotationFromVector(Vec3(0.004 * std::sin(0.8 * c), 0.006 * c, 0)), Vec3(0.03 * c, 0.01 * std::sin(c), 0)});
    const double turn = angle_deg * M_PI / 180;
    for (int p = 0; p < kPoints; ++p) {
      const double along = random.between(0.3, 3), up = random.between(-1.2, 1.2);
      if (wallOf(p) == 0) truth.points.push_back(Vec3(-0.4 + 0.001, up, 8) + along * Vec3(-0.8, 0, -0.6));
      if (wallOf(p) == 1) truth.points.push_back(Vec3(-0.4, up, 8) + along * (Eigen::AngleAxisd(turn, Vec3::UnitY()) * Vec3(-0.8, 0, -0.6)));
      if (wallOf(p) < 0) truth.points.push_back(Vec3(random.between(-2, 2), up, random.between(4, 7)));
    }
    seen = truth;
    for (int p = 0; p < kPoints; ++p) {
      for (int c = 0; c < kFrames; ++c)
        seen.observations.push_back(
            {c, p, truth.lenses[0].distort(truth.cameras[c].toCamera(truth.points[p]).hnormalized()) + noise_px * Vec2(random.normal(), random.normal())});
    }
    for (std::size_t c = 1; c < seen.cameras.size(); ++c) seen.cameras[c].centre += 0.005 * anywhere(random);
    for (Vec3& p : seen.points) p += 0.1 * anywhere(random);
  }
  static int wallOf(int point) { return point % 6 == 5 ? -1 : point % 2; }

  /// The walls as they are guessed: planes through points as they stand.
  void addWalls(Bundle& bundle, double weight) const {
    bundle.set.shapes = {SetPlane{.normal = Vec3(0.5, 0.1, -0.8).normalized(), .offset = -6}, SetPlane{.normal = Vec3(0.75, 0, 0.6).normalized(), .offset = 4}};
    for (int p = 0; p < kPoints; ++p) {
      if (wallOf(p) >= 0) bundle.set.on.push_back({p, wallOf(p), weight});
    }
  }
  double wallError(const Bundle& bundle) const {
    double worst = 0;
    for (const OnShape& m : bundle.set.on)
      worst = std::max(worst, std::abs(wall(bundle, m.shape).normal.dot(bundle.points[m.index]) - wall(bundle, m.shape).offset));
    return worst;
  }
  static const SetPlane& wall(const Bundle& bundle, int k) { return std::get<SetPlane>(bundle.set.shapes[k]); }
  static SetPlane& wall(Bundle& bundle, int k) { return std::get<SetPlane>(bundle.set.shapes[k]); }
  static double angle_deg(const Bundle& bundle) { return std::acos(std::abs(wall(bundle, 0).normal.dot(wall(bundle, 1).normal))) * 180 / M_PI; }
};

constexpr double kExact = 1e9;  // px^2 per unit^2
const BundleOptions kPlain{.loss = Loss::Squared, .max_steps = 100, .settled = 1e-9};

/// Every kind of belief, with points on the lines that they are said to lie on: away from a line its two ways across turn along with it.
void addSet(Random& random, Bundle& bundle) {
  const Vec3 tilted = anywhere(random).normalized();
  const SetLine line{anywhere(random).normalized(), anywhere(random)};
  bundle.points[1] = line.through + 0.7 * line.along, bundle.cameras[3].centre = line.through - 1.3 * line.along;
  const SetWorld world{{1.7, rotationFromVector(anywhere(random)), anywhere(random)}};
  bundle.set.shapes = {SetPlane{anywhere(random).normalized(), 0.4},
                       SetPlane{tilted, -1.2},
                       SetPlane{Vec3::UnitY(), 0, false},
                       SetPlane{(tilted + 1e-7 * anywhere(random)).normalized(), 2},  // as good as parallel
                       line,
                       SetPlace{anywhere(random)},
                       SetPlace{anywhere(random)},
                       world,
                       SetLength{1.1}};
  SetBeliefs& set = bundle.set;
  set.world = 7;
  set.on = {{0, 0, 2}, {3, 1, 11}, {4, 2, 3}, {1, 4, 5}, {2, 5, 6}, {3, 4, 2, true}};
  set.angles = {{0, 1, 0.2, 4}, {1, 3, 1, 9}, {2, 1, 0, 2}};
  set.axes = {{0, Vec3::UnitX(), 0.3, 5}, {4, world.world_from_solve.rotation * line.along, 1, 3}};
  set.offsets = {{1, 0.3, 4}};
  set.planes_apart = {{1, 3, 2, 4}};
  set.places_apart = {{5, 6, 1.5, 8}, {0, 6, 1.2, 3, -1, true}};
  set.in_world = {{2, anywhere(random), Vec3(2, 3, 4)}, {1, anywhere(random), Vec3(1, 5, 2), true}};
  const Eigen::Quaterniond seen = world.world_from_solve.rotation * bundle.cameras[2].world_from_camera;
  set.turns = {{2, seen * rotationFromVector(1e-5 * anywhere(random)), 6}};
  set.even = {{0, 1, 3, 0.4, 7}};
  set.at_length = {{5, 6, 8, 3}, {2, 5, 8, 2, -1, true}};
  set.mirrored = {{5, 6, 1, 5}, {4, 5, 0, 2, -1, true}};
  set.from_plane = {{2, 1, 0.6, 4}};
}

TEST(Factors, SlopesAreThoseOfFiniteDifferences) {
  Random random(3);
  Bundle bundle;
  bundle.lenses = {Lens::simple(1280, 720, 900), Lens::simple(1280, 720, 950)};
  for (int c = 0; c < 4; ++c) {
    bundle.cameras.push_back({rotationFromVector(0.2 * anywhere(random)), anywhere(random)});
    bundle.focal_px.push_back(900 + 10 * c);
    bundle.lens_of.push_back(c % 2);
  }
  for (int p = 0; p < 5; ++p) bundle.points.push_back(anywhere(random)), bundle.observations.push_back({0, p, Vec2(600, 300)});
  bundle.ties = {{.a = 0, .b = 2, .centre = 3, .focal = 5, .focal_leap = 1e3}};
  bundle.planes = {{.camera = 1, .normal = anywhere(random).normalized(), .offset = 0.3, .weight = 7}};
  addSet(random, bundle);
  BundleOptions options{.free_lens = {true, true, false, true}};
  options.prior.mean[1] = 600, options.prior.weight[1] = 2, options.prior.weight[3] = 5;
  options.zoom_belief = {1000, 6};
  const auto rows = [&](const Bundle& b) {
    std::vector<FactorRow> all;
    forEachFactor(b, options, ObservationModel(b, options), [&all](const FactorRow& row) { all.push_back(row); });
    return all;
  };
  const auto before = rows(bundle);
  EXPECT_EQ(before.size(), 4u + 3u + 1u + 4u + 1u + static_cast<std::size_t>(residualsOf(bundle.set)));
  EXPECT_EQ(residualsOf(bundle.set), 3 + 2 + 3 + 2 + 4 + 3 + 3 + 6 + 3 + 3 + 1 + 3 + 1 + 1 + 1 + 3);
  constexpr double kStep = 1e-6;
  for (std::size_t r = 0; r < before.size(); ++r) {
    for (int k = 0; k < before[r].count; ++k) {
      const FactorRow::Slope& slope = before[r].slopes[static_cast<std::size_t>(k)];
      const auto residual = [&](double by) {
        Bundle moved = bundle;
        switch (slope.of) {
          case UnknownOf::Camera:
            if (slope.at < 3)
              moved.cameras[slope.index].world_from_camera *= rotationFromVector(by * Vec3(Vec3::Unit(slope.at)));
            else if (slope.at == 6)
              moved.focal_px[slope.index] *= std::exp(by);
            else
              moved.cameras[slope.index].centre[slope.at - 3] += by;
            break;
          case UnknownOf::Lens: {
            LensParameters values = moved.lenses[slope.index].parameters();
            values[ObservationModel(bundle, options).lensIndex(slope.index)[slope.at]] += by;
            moved.lenses[slope.index].setParameters(values);
            break;
          }
          case UnknownOf::Shape: {
            SetShape& shape = moved.set.shapes[slope.index];
            shape = movedBy(shape, by * Eigen::VectorXd::Unit(unknownsOf(shape), slope.at));
            break;
          }
          case UnknownOf::Point: moved.points[slope.index][slope.at] += by; break;
        }
        return rows(moved)[r].residual;
      };
      EXPECT_NEAR((residual(kStep) - residual(-kStep)) / (2 * kStep), slope.slope, 1e-4 * (1 + std::abs(slope.slope))) << "row " << r << ", slope " << k;
    }
  }
}

/// Mean squared distance of the walls' points from the truth, after the best similarity over all points.
double wallsOff(const Corner& corner, const Bundle& bundle) {
  const Similarity fit = *alignPoints(bundle.points, corner.truth.points);
  double sum = 0;
  for (int p = 0; p < Corner::kPoints; ++p) {
    if (Corner::wallOf(p) >= 0) sum += (fit * bundle.points[p] - corner.truth.points[p]).squaredNorm() / Corner::kPoints;
  }
  return sum;
}

TEST(Factors, WallsThatAreFlatBecomeFlatAndTheCameraBetter) {
  double without = 0, with = 0;
  for (std::uint64_t seed = 1; seed <= 6; ++seed) {
    const Corner corner(seed);
    Bundle plain = corner.seen, flat = corner.seen;
    const BundleSummary alone = adjust(plain, kPlain, {});
    flat = plain;
    corner.addWalls(flat, kExact);
    for (int p = 0; p < 2; ++p) {  // as near as the points say
      SetPlane& wall = Corner::wall(flat, p);
      const Vec3 true_normal = p == 0 ? Vec3(0.6, 0, -0.8) : Vec3(0.8, 0, 0.6);
      wall.normal = (true_normal + Vec3(0.05, 0.03, -0.04)).normalized();
      wall.offset = wall.normal.dot(flat.points[p]);
    }
    const BundleSummary held = adjust(flat, kPlain, {});
    EXPECT_LT(corner.wallError(flat), 1e-5);
    EXPECT_LT(held.cost_after, 1.1 * alone.cost_after) << "what is true costs little";
    EXPECT_GE(held.cost_after, alone.cost_after * (1 - 1e-6)) << "and nothing comes for free";
    without += wallsOff(corner, plain), with += wallsOff(corner, flat);
  }
  EXPECT_LT(with, 0.5 * without) << "what is known makes the set truer";
}

TEST(Factors, WallsSaidSquareStandSquareAndAWrongAngleCosts) {
  for (const double angle_deg : {90.0, 70.0}) {
    const Corner corner(11, 0.2, angle_deg);
    Bundle free = corner.seen;
    (void)adjust(free, kPlain, {});
    corner.addWalls(free, kExact);
    for (int p = 0; p < 2; ++p) Corner::wall(free, p).offset = Corner::wall(free, p).normal.dot(free.points[p]);
    const BundleSummary flat = adjust(free, kPlain, {});
    EXPECT_NEAR(Corner::angle_deg(free), angle_deg, 3);
    Bundle square = free;
    square.set.angles = {{0, 1, 0, 1e10}};
    const BundleSummary held = adjust(square, kPlain, {});
    EXPECT_NEAR(Corner::angle_deg(square), 90, 1e-4);
    EXPECT_LT(corner.wallError(square), 1e-4);
    const double cost = held.cost_after - flat.cost_after;
    if (angle_deg == 90)
      EXPECT_LT(cost, 9 * 0.2 * 0.2) << "within three standard deviations of one unknown";
    else
      EXPECT_GT(cost, 25 * 0.2 * 0.2);
  }
}

TEST(Factors, WithoutPlanesTheBundleGoesItsOldWay) {
  const Corner corner(5);
  Bundle a = corner.seen, b = corner.seen;
  b.set.shapes = {SetPlane{Vec3::UnitY(), 0, false, false}};  // nothing of it is looked for, and nothing lies on it
  const double cost = adjust(a, kPlain, {}).cost_after;
  EXPECT_NEAR(adjust(b, kPlain, {}).cost_after, cost, 1e-5 * cost);
}

}  // namespace dusky::testing
