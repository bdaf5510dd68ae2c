#include "tests/support/made_delivery.h"

#include <cmath>

#include "core/base/random.h"

namespace dusky::testing {
namespace {

/// Hands out the frames of a shot that lives elsewhere.
class Borrowed final : public FrameSource {
 public:
  explicit Borrowed(MadeShot shot) : shot_(std::move(shot)) {}
  const FootageInfo& info() const override { return shot_.info(); }
  Result<Frame> read(int number, FrameUse use) override { return shot_.read(number, use); }

 private:
  MadeShot shot_;
};

SolvedTrack trackOf(int id, const Vec3& point) {
  SolvedTrack track;
  track.id = id, track.state = TrackState::Kept, track.point = point;
  track.color = {static_cast<std::uint8_t>(20 + 7 * id % 200), static_cast<std::uint8_t>(3 * id % 256), 90};
  track.typical_error_px = 0.1, track.sigma_point = 0.01, track.parallax_rad = 0.1;
  return track;
}

}  // namespace

MadeDelivery::MadeDelivery(ShotPlan plan) : shot_(std::move(plan)), footage_(shot_.info()) {
  constexpr double kNoise_px = 0.1;
  Random random(3);
  const ShotTruth& truth = shot_.truth();
  footage_.path = "/shots/shed.1001.png";
  for (int i = 0; i < shot_.plan().frames; ++i) {
    SolvedFrame frame;
    frame.frame = footage_.first + i, frame.placed = true, frame.pose = truth.poses[static_cast<std::size_t>(i)], frame.rms_px = 0.1;
    if (shot_.plan().focal_px) frame.focal_px = truth.lenses[static_cast<std::size_t>(i)].focal_px;
    solution.frames.push_back(frame);
  }
  solution.cameras[0].lens = truth.lenses.front();
  solution.readout = shot_.plan().readout;
  tracks_.width = footage_.width, tracks_.height = footage_.height, tracks_.first_frame = footage_.first, tracks_.last_frame = footage_.last;
  for (std::size_t k = 0; k < truth.points.size(); ++k) {
    Track track;
    track.id = static_cast<int>(k) + 1;
    SolvedTrack solved = trackOf(track.id, truth.points[k]);
    for (const int number : truth.visible[k]) {
      const std::size_t i = static_cast<std::size_t>(number - footage_.first);
      const auto seen = project(truth.lenses[i], truth.poses[i], truth.points[k]);
      if (!seen) continue;
      const Vec2 off(kNoise_px * random.normal(), kNoise_px * random.normal());
      track.observations.push_back({.frame = number, .position = (*seen + off)});
      solved.errors.push_back({number, *seen, off.norm(), true});
    }
    if (track.observations.empty()) continue;
    solved.life = static_cast<int>(track.observations.size());
    tracks_.tracks.push_back(std::move(track)), solution.tracks.push_back(std::move(solved));
  }
  solution.rms_px = kNoise_px * std::sqrt(2.0);
  scene.scene_from_solve = {1.5, rotationFromVector(Vec3(0, 0.4, 0)), Vec3(0.2, 0.1, -0.3)};
  scene.metric = true;
}

DeliveryInput MadeDelivery::input() const {
  DeliveryInput input{footage_, solution, scene, {}, {}, {}};
  input.shot = "shed", input.tracks = &tracks_;
  input.open_footage = [this]() -> Result<std::unique_ptr<FrameSource>> { return std::unique_ptr<FrameSource>(std::make_unique<Borrowed>(shot_)); };
  return input;
}

ShotPlan smallPlan(ShotKind kind, int frames) {
  ShotPlan plan = planShot(kind);
  plan.width = 320, plan.height = 180, plan.frames = frames, plan.first_frame = 1001, plan.noise = 0, plan.samples = 2;
  plan.lens = Lens::simple(320, 180, 280);
  plan.lens.k1() = -0.18, plan.lens.k2() = 0.03, plan.lens.cx_px += 4, plan.lens.cy_px -= 3;
  if (plan.focal_px) plan.focal_px = [](double t) { return 260 * std::pow(1.5, t); };
  return plan;
}

double likenessDb(const FloatPicture& a, const FloatPicture& b, int margin) {
  double squares = 0;
  std::int64_t count = 0;
  for (int y = margin; y < a.height - margin; ++y) {
    for (int x = margin; x < a.width - margin; ++x, ++count) squares += std::pow(a.at(x, y)[0] - b.at(x, y)[0], 2);
  }
  return -10 * std::log10(std::max(1e-12, squares / static_cast<double>(count)));
}

}  // namespace dusky::testing
