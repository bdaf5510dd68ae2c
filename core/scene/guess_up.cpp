#include "core/scene/guess_up.h"

#include <Eigen/Dense>
#include <algorithm>
#include <numbers>

#include "core/base/numbers.h"
#include "core/geometry/principal_axes.h"

namespace dusky {
namespace {

constexpr double kDegree = std::numbers::pi / 180;
constexpr double kRoll = 2.5 * kDegree, kPitch = 14 * kDegree, kPath = 10 * kDegree, kWall = 1.5 * kDegree;
constexpr double kGround = 3.0 * kDegree;  ///< A floor, a street: how level they are.
constexpr double kOnPlane = 0.008;         ///< Of the usual depth: how far points of a plane stand off it.
constexpr int kFew = 12;                   ///< Points that make no plane.

/// direction . up = sine, known to a deviation.
struct Hint {
  Vec3 direction;
  double sine, sigma;
};

struct FoundPlane {
  PlaneFit plane;
  double flatness;  ///< RMS of its points off it, beside how far they reach across its narrower side.
  std::size_t points;
};

std::vector<Vec3> nearPoints(const Solution& solution, const Vec3& middle, double depth) {
  std::vector<Vec3> points;
  for (const SolvedTrack& track : solution.tracks) {
    if (track.state == TrackState::Kept && !track.at_infinity && (track.point - middle).norm() < 3 * depth) points.push_back(track.point);
  }
  return points;
}

std::optional<FoundPlane> planeNear(const std::vector<Vec3>& points, const Vec3& direction, double depth) {
  constexpr double kMostTilt = 0.45;
  auto plane = findPlane(points, direction, kMostTilt, kOnPlane * depth, 1);
  if (!plane) return std::nullopt;
  std::vector<Vec3> on;
  for (const Vec3& p : points) {
    if (std::abs(plane->distance(p)) < kOnPlane * depth) on.push_back(p);
  }
  if (on.size() < kFew) return std::nullopt;
  const Vec3 widths = principalAxes(on).extent;
  return FoundPlane{*plane, widths[1] > 0 ? widths[0] / widths[1] : 1, on.size()};
}

class Guess {
 public:
  explicit Guess(const Solution& solution) : solution_(solution) {
    for (const SolvedFrame& frame : solution.frames) {
      if (frame.placed) placed_.push_back(&frame);
    }
  }

  UpGuess make() {
    UpGuess out;
    if (placed_.empty()) return out;
    addCamera();
    middle_ = placed_[placed_.size() / 2]->pose.centre;
    std::vector<double> distances;
    for (const SolvedTrack& track : solution_.tracks) {
      if (track.state == TrackState::Kept && !track.at_infinity) distances.push_back((track.point - middle_).norm());
    }
    addPath();
    settle();
    // Planes are looked for about what is up so far: a camera that looks down all the time begins far off.
    constexpr int kPasses = 3;
    const std::size_t held = hints_.size();
    const double depth = distances.empty() ? 0 : median(std::move(distances));
    for (int pass = 0; pass < kPasses && depth > 0; ++pass) {
      hints_.resize(held);
      addPlanes(depth);
      settle();
    }
    out.up = up_, out.sigma_rad = sigma_;
    if (ground_) {
      out.ground = ground_->plane;
      if (out.ground->normal.dot(up_) < 0) out.ground = PlaneFit{-out.ground->normal, -out.ground->offset};
      constexpr double kFlat = 0.02, kAgrees = 1.5;
      const double off = std::acos(std::min(1.0, out.ground->normal.dot(up_)));
      if (ground_->flatness < kFlat && off < kAgrees * sigma_) out.up = out.ground->normal;
    }
    return out;
  }

 private:
  /// Sideways a camera is held level, up and down it may look anywhere: many of its frames say that once more only where it looks another way.
  void addCamera() {
    constexpr std::size_t kMost = 60;
    constexpr double kIndependent = 3;
    Vec3 sum = Vec3::Zero();
    for (const SolvedFrame* frame : placed_) sum -= frame->pose.direction(Vec3::UnitY());
    up_ = sum.norm() > 1e-6 ? Vec3(sum.normalized()) : Vec3(-placed_.front()->pose.direction(Vec3::UnitY()));
    const std::size_t step = std::max<std::size_t>(1, placed_.size() / kMost), count = (placed_.size() + step - 1) / step;
    for (std::size_t i = 0; i < placed_.size(); i += step)
      hints_.push_back({placed_[i]->pose.direction(Vec3::UnitX()), 0, kRoll * std::sqrt(std::max(1.0, static_cast<double>(count) / kIndependent))});
    mean_up_ = up_;
  }

  void addPlanes(double depth) {
    constexpr double kWallShare = 0.08, kMostWalls = 4;
    const std::vector<Vec3> points = nearPoints(solution_, middle_, depth);
    std::vector<Vec3> below;
    for (const Vec3& p : points) {
      if ((p - middle_).dot(up_) < 0) below.push_back(p);
    }
    ground_ = planeNear(below, up_, depth);
    if (ground_ && !(ground_->plane.distance(middle_) * (ground_->plane.normal.dot(up_) < 0 ? -1 : 1) > 0)) ground_.reset();
    if (ground_) {
      const double sigma = std::hypot(kGround, 1.5 * ground_->flatness);
      const Vec3 a = ground_->plane.normal.unitOrthogonal();
      for (const Vec3& across : {a, Vec3(ground_->plane.normal.cross(a))}) hints_.push_back({across, 0, sigma});
    }
    const Vec3 ahead = up_.unitOrthogonal();
    std::vector<Vec3> found;
    for (int k = 0; k < kMostWalls; ++k) {
      const Vec3 direction = Eigen::AngleAxisd(k * std::numbers::pi / kMostWalls, up_) * ahead;
      const auto wall = planeNear(points, direction, depth);
      if (!wall || static_cast<double>(wall->points) < kWallShare * static_cast<double>(points.size())) continue;
      const bool again = std::any_of(found.begin(), found.end(), [&](const Vec3& n) { return std::abs(n.dot(wall->plane.normal)) > 0.97; });
      if (again) continue;
      found.push_back(wall->plane.normal);
      hints_.push_back({wall->plane.normal, 0, std::hypot(kWall, 1.5 * wall->flatness)});
    }
  }

  void addPath() {
    Vec3 low = placed_.front()->pose.centre, far = low;
    for (const SolvedFrame* frame : placed_) {
      if ((frame->pose.centre - low).norm() > (far - low).norm()) far = frame->pose.centre;
    }
    const Vec3 chord = far - low;
    if (chord.norm() > 1e-6) hints_.push_back({chord.normalized(), 0, kPath});
  }

  void settle() {
    constexpr int kRounds = 20;
    constexpr double kOutlier = 2.5;
    Eigen::Matrix2d information;
    for (int round = 0; round < kRounds; ++round) {
      const Vec3 a = up_.unitOrthogonal(), b = up_.cross(a);
      information.setZero();
      Eigen::Vector2d gradient = Eigen::Vector2d::Zero();
      const auto add = [&](const Hint& hint, bool robust) {
        const Eigen::Vector2d slope(hint.direction.dot(a), hint.direction.dot(b));
        const double off = (hint.direction.dot(up_) - hint.sine) / hint.sigma;
        const double weight = (robust ? 1 / (1 + off * off / (kOutlier * kOutlier)) : 1) / (hint.sigma * hint.sigma);
        information += weight * slope * slope.transpose();
        gradient -= weight * (hint.direction.dot(up_) - hint.sine) * slope;
      };
      for (const Hint& hint : hints_) add(hint, true);
      const Vec3 c = mean_up_.unitOrthogonal();
      for (const Vec3& across : {c, Vec3(mean_up_.cross(c))}) add({across, 0, kPitch}, false);
      const Eigen::Vector2d step = information.ldlt().solve(gradient);
      up_ = (up_ + step[0] * a + step[1] * b).normalized();
      if (step.norm() < 1e-9) break;
    }
    sigma_ = std::sqrt(std::max(0.0, information.inverse().trace()));
  }

  const Solution& solution_;
  std::vector<const SolvedFrame*> placed_;
  std::vector<Hint> hints_;
  std::optional<FoundPlane> ground_;
  Vec3 up_ = Vec3::UnitY(), mean_up_ = Vec3::UnitY(), middle_ = Vec3::Zero();
  double sigma_ = kUnknown;
};

}  // namespace

UpGuess guessUp(const Solution& solution) { return Guess(solution).make(); }

}  // namespace dusky
