#include "core/dense/rolling.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>
#include <limits>

#include "core/adjust/observation_model.h"
#include "core/base/parallel.h"

namespace dusky {
namespace {

/// As the solve has it: between the frames before and after that have a camera.
FrameMotion motionIn(const Solution& solution, const SolvedFrame& frame) {
  const SolvedFrame *before = nullptr, *after = nullptr;
  for (const SolvedFrame& other : solution.frames) {
    if (!other.placed) continue;
    if (other.frame < frame.frame) before = &other;
    if (other.frame > frame.frame && !after) after = &other;
  }
  Bundle around;
  for (const SolvedFrame* each : {before, &frame, after}) {
    if (each) around.cameras.push_back(each->pose), around.time.push_back(each->frame);
  }
  return frameMotions(around)[before ? 1 : 0];
}

}  // namespace

RollingFrame::RollingFrame(const Solution& solution, const SolvedFrame& frame) : readout_(solution.readout), height_(solution.lens().height) {
  if (readout_ == 0) return;
  const FrameMotion motion = motionIn(solution, frame);
  rotation_ = motion.rotation, velocity_ = motion.velocity;
  if (rotation_.isZero() && velocity_.isZero()) readout_ = 0;
}

Mat3 RollingFrame::turnOf(double row_px) const { return movedWithin({}, {rotation_, velocity_}, timeOf(row_px)).world_from_camera.toRotationMatrix(); }

std::optional<Vec2> RollingFrame::still(const Lens& lens, const Vec2& pixel) const {
  const auto n = lens.undistort(pixel);
  if (!n || !rolls()) return n;
  const Vec3 ray = turnOf(pixel.y()) * n->homogeneous();
  return ray.z() > 0 ? std::optional<Vec2>(ray.hnormalized()) : std::nullopt;
}

SourceMap RollingFrame::withoutTurning(const SourceMap& map, const Plate& plate, const Lens& lens) const {
  constexpr float kNowhere = std::numeric_limits<float>::quiet_NaN();
  constexpr int kSteps = 4, kRounds = 3;  // of a row; each brings a place nearer by how far the picture turns from row to row
  std::vector<Mat3> camera_at_row;
  for (int k = 0; k <= kSteps * lens.height; ++k) camera_at_row.push_back(turnOf(static_cast<double>(k) / kSteps).transpose());
  const double focal = plate.focalOf(lens);
  SourceMap out = SourceMap::unset(map.width, map.height);
  parallelFor(map.height, [&](int y) {
    for (int x = 0; x < map.width; ++x) {
      Vec2 seen(map.at(x, y)[0], map.at(x, y)[1]);
      const Vec3 ray = plate.normalisedOf({x + 0.5, y + 0.5}, focal).homogeneous();
      for (int round = 0; round < kRounds && !std::isnan(seen.x()); ++round) {
        const int row = static_cast<int>(std::lround(kSteps * std::clamp<double>(seen.y(), 0, lens.height)));
        seen = lens.distort((camera_at_row[static_cast<std::size_t>(row)] * ray).hnormalized());
      }
      const bool shown = seen.x() >= 0 && seen.y() >= 0 && seen.x() <= lens.width && seen.y() <= lens.height;
      out.at(x, y) = shown ? std::array{static_cast<float>(seen.x()), static_cast<float>(seen.y())} : std::array{kNowhere, kNowhere};
    }
  });
  return out;
}

void RollingFrame::timeRows(const SourceMap& map, Pinhole& camera) const {
  constexpr int kGrid = 24;
  Mat3 squares = Mat3::Zero();
  Vec3 sums = Vec3::Zero();
  for (int j = 0; j < kGrid; ++j) {
    for (int i = 0; i < kGrid; ++i) {
      const int x = (2 * i + 1) * map.width / (2 * kGrid), y = (2 * j + 1) * map.height / (2 * kGrid);
      const double row = static_cast<double>(map.at(x, y)[1]);
      if (std::isnan(row)) continue;
      const Vec3 at(1, x + 0.5, y + 0.5);
      squares += at * at.transpose(), sums += timeOf(row) * at;
    }
  }
  const Vec3 plane = squares.ldlt().solve(sums);
  if (!plane.allFinite()) return;
  camera.velocity = velocity_, camera.time = plane[0], camera.time_x = plane[1], camera.time_y = plane[2];
}

}  // namespace dusky
