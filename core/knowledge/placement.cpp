#include "core/knowledge/placement.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace dusky {
namespace {

constexpr double kDegree = std::numbers::pi / 180;

Eigen::Quaterniond about(const Vec3& axis, double degrees) { return rotationFromVector(degrees * kDegree * axis); }

}  // namespace

Eigen::Quaterniond upAxisTurn(UpAxis up) { return up == UpAxis::Z ? about(Vec3::UnitX(), 90) : Eigen::Quaterniond::Identity(); }

bool SceneMove::usable() const { return shift.allFinite() && turn_deg.allFinite() && std::isfinite(scale) && scale > 0; }

Similarity similarityOf(const SceneMove& move) {
  const Vec3& turn = move.turn_deg;
  return {move.scale, about(Vec3::UnitY(), turn.y()) * about(Vec3::UnitX(), turn.x()) * about(Vec3::UnitZ(), turn.z()), move.shift};
}

SceneMove moveOf(const Similarity& similarity, bool metres) {
  const Mat3 r = similarity.rotation.toRotationMatrix();
  // R = Ry Rx Rz: its middle row and last column.
  const double tilt = std::asin(std::clamp(-r(1, 2), -1.0, 1.0));
  constexpr double kLock = 1e-7;  // cosine of a tilt at which heading and roll are one
  const bool locked = std::cos(tilt) < kLock;
  const double heading = locked ? std::atan2(-r(2, 0), r(0, 0)) : std::atan2(r(0, 2), r(2, 2)), roll = locked ? 0 : std::atan2(r(1, 0), r(1, 1));
  return {similarity.shift, Vec3(tilt, heading, roll) / kDegree, similarity.scale, metres};
}

}  // namespace dusky
