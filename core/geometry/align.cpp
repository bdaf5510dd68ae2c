#include "core/geometry/align.h"

#include <Eigen/Dense>
#include <cmath>

namespace dusky {
namespace {

template <class Items, class Get>
Vec3 meanOf(const Items& items, const Get& get) {
  Vec3 sum = Vec3::Zero();
  for (const auto& item : items) sum += get(item);
  return sum / static_cast<double>(items.size());
}
}  // namespace

Mat3 nearestRotation(const Mat3& correlation) {
  const Eigen::JacobiSVD<Mat3> svd(correlation, Eigen::ComputeFullU | Eigen::ComputeFullV);
  const double sign = (svd.matrixU() * svd.matrixV().transpose()).determinant() < 0 ? -1 : 1;
  return svd.matrixU() * Vec3(1, 1, sign).asDiagonal() * svd.matrixV().transpose();
}

Result<Similarity> alignPoints(const std::vector<Vec3>& source, const std::vector<Vec3>& target, bool with_scale) {
  if (source.size() != target.size() || source.size() < 3) return invalidInput("Aligning needs two equally long lists of at least 3 points.");
  const auto same = [](const Vec3& p) { return p; };
  const Vec3 from = meanOf(source, same), to = meanOf(target, same);
  Mat3 correlation = Mat3::Zero();
  double spread = 0;
  for (std::size_t i = 0; i < source.size(); ++i) {
    correlation += (target[i] - to) * (source[i] - from).transpose();
    spread += (source[i] - from).squaredNorm();
  }
  if (spread < 1e-300) return invalidInput("Aligning needs points that do not all coincide.");
  Similarity fit;
  fit.rotation = Eigen::Quaterniond(nearestRotation(correlation));
  if (with_scale) fit.scale = (fit.rotation.toRotationMatrix().transpose() * correlation).trace() / spread;
  fit.shift = to - fit.scale * (fit.rotation * from);
  return fit;
}

Result<Similarity> alignPaths(const std::vector<Pose>& source, const std::vector<Pose>& target) {
  if (source.size() != target.size() || source.empty()) return invalidInput("Aligning needs two equally long camera paths.");
  const auto centre = [](const Pose& p) { return p.centre; };
  const Vec3 from = meanOf(source, centre), to = meanOf(target, centre);
  Mat3 turns = Mat3::Zero(), centres = Mat3::Zero();
  double spread_from = 0, spread_to = 0;
  for (std::size_t i = 0; i < source.size(); ++i) {
    turns += (target[i].world_from_camera * source[i].world_from_camera.conjugate()).toRotationMatrix();
    centres += (target[i].centre - to) * (source[i].centre - from).transpose();
    spread_from += (source[i].centre - from).squaredNorm();
    spread_to += (target[i].centre - to).squaredNorm();
  }
  // Orientations are many and exact compared with centres; they set the rotation, as three axes of unit weight a frame.
  Similarity fit;
  fit.rotation = Eigen::Quaterniond(nearestRotation(turns));
  // Cameras that only rotate differ by rounding; that is no path to take a scale from.
  const auto rounding = [](const Vec3& mean) { return 1e-20 * (1 + mean.squaredNorm()); };
  const bool moves = spread_from > rounding(from) && spread_to > rounding(to);
  if (moves) fit.scale = (fit.rotation.toRotationMatrix().transpose() * centres).trace() / spread_from;
  if (moves && !(fit.scale > 0)) fit.scale = std::sqrt(spread_to / spread_from);
  fit.shift = to - fit.scale * (fit.rotation * from);
  return fit;
}
}  // namespace dusky
