#include "core/deliver/receipt_scene.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dusky {
namespace {

/// Frames before and after must agree less; where the camera hardly moves, nothing can be told.
ReceiptCheck offsetCheck(const ReceiptTruth& truth, const std::string& name, const ReadScene& cameras, const std::map<int, Vec3>& points,
                         const FittedPicture& picture, double drift_px) {
  constexpr int kMost = 2;
  int best = 0;
  double least = drift_px, nearest = std::numeric_limits<double>::infinity();
  for (int offset = -kMost; offset <= kMost; ++offset) {
    if (offset == 0) continue;
    const Drift drift = driftOf(truth, cameras, points, picture, offset);
    if (drift.count == 0) continue;
    nearest = std::min(nearest, drift.rms_px);
    if (drift.rms_px < least) least = drift.rms_px, best = offset;
  }
  constexpr double kTold = 0.02;
  if (best == 0 || nearest - drift_px > -kTold) {
    const bool told = nearest - drift_px > kTold;
    return checked(name, "frame offset", true,
                   told ? fmt::format("frames are where they belong: one off, drift is {:.2f} px at least.", nearest)
                        : "the camera hardly moves: a frame more or less would not be seen.");
  }
  return checked(name, "frame offset", false,
                 fmt::format("the camera fits {} frame{} {}: drift is {:.2f} px there, {:.2f} px in place.", std::abs(best), std::abs(best) == 1 ? "" : "s",
                             best > 0 ? "later" : "earlier", least, drift_px));
}

/// The camera's up against the file's, as it is in the scene.
ReceiptCheck upCheck(const ReceiptTruth& truth, const std::string& name, const ReadScene& cameras, char up) {
  const Vec3 axis = up == 'Z' ? Vec3::UnitZ() : Vec3::UnitY();
  double worst = 0;
  int count = 0;
  for (const ReadScene::Key& key : cameras.keys) {
    const SolvedFrame* frame = truth.input().solution.frameAt(static_cast<int>(std::lround(key.frame)) - truth.shift());
    if (!frame || !frame->placed) continue;
    const Vec3 camera_up = truth.input().scene.scene_from_solve.rotation * (frame->pose.world_from_camera * Vec3(0, -1, 0));
    worst = std::max(worst, std::abs(std::asin(std::clamp(camera_up.y(), -1.0, 1.0)) - std::asin(std::clamp(axis.dot(key.turn.col(1)), -1.0, 1.0))));
    ++count;
  }
  constexpr double kMost_deg = 0.05;
  const double degrees = worst * 180 / M_PI;
  if (count == 0) return checked(name, "up axis", false, "has no camera in a frame of the shot.");
  return measured(
      name, "up axis", degrees, kMost_deg, "deg",
      degrees <= kMost_deg
          ? fmt::format("{} is up.", up)
          : fmt::format("{} should be up, but the camera leans {:.1f}° otherwise than in the scene: an axis is flipped or exchanged.", up, degrees));
}

/// No mirror: turns are turns, and four points wind as they do in the solve.
ReceiptCheck handednessCheck(const ReceiptTruth& truth, const std::string& name, const ReadScene& cameras, const std::map<int, Vec3>& points) {
  for (const ReadScene::Key& key : cameras.keys) {
    if (std::abs(key.turn.determinant() - 1) > 1e-3) return checked(name, "handedness", false, fmt::format("the camera of frame {:g} is mirrored.", key.frame));
  }
  std::vector<std::pair<Vec3, Vec3>> both;
  for (const auto& [id, at] : points) {
    if (const SolvedTrack* track = truth.track(id)) both.emplace_back(at, track->point);
  }
  if (both.size() < 4) return checked(name, "handedness", true, "turns are turns; too few points to tell a mirror by.");
  const auto volume = [&](const auto& of) {
    const std::size_t n = both.size();
    double sum = 0;
    for (std::size_t k = 0; k + 3 < n; ++k) {
      const Vec3 o = of(both[k]);
      sum += (of(both[(k + n / 4) % n]) - o).cross(of(both[(k + n / 2) % n]) - o).dot(of(both[(k + 3 * n / 4) % n]) - o) * (both[k].second.x() >= 0 ? 1 : -1);
    }
    return sum;
  };
  const double here = volume([](const auto&b) { return b.first; }), there = volume([](const auto&b) { return b.second; });
  const bool fine = here * there >= 0;
  return checked(name, "handedness", fine, fine ? "right-handed." : "the points are mirrored.");
}

ReceiptCheck rateCheck(const ReceiptTruth& truth, const std::string& name, const ReadScene& cameras) {
  if (cameras.keys.empty()) return checked(name, "rate", false, "has no camera keys.");
  const double first = cameras.keys.front().frame - truth.shift();
  const bool rate = std::abs(cameras.fps - truth.fps()) <= 1e-6 * truth.fps();
  const SolvedFrame* solved = truth.input().solution.frameAt(static_cast<int>(std::lround(first)));
  const bool starts = std::abs(first - std::round(first)) < 0.01 && solved && solved->placed;
  const auto& frames = truth.input().solution.frames;
  const auto gone = std::find_if(frames.begin(), frames.end(), [&](const SolvedFrame& f) { return f.placed && !cameras.at(f.frame + truth.shift()); });
  if (gone != frames.end())
    return checked(name, "rate", false, fmt::format("has no camera in frame {}, where the solve has one.", gone->frame + truth.shift()));
  if (!rate) return checked(name, "rate", false, fmt::format("says {:g} frames a second, not {:g}.", cameras.fps, truth.fps()));
  return checked(name, "rate", starts,
                 starts ? fmt::format("{:g} frames a second, the first camera in frame {:g}.", cameras.fps, cameras.keys.front().frame)
                        : fmt::format("its first camera is in frame {:g}, where the solve has none.", cameras.keys.front().frame));
}

ReceiptCheck colourCheck(const ReceiptTruth& truth, const std::string& name, const ReadScene& points) {
  constexpr double kMost = 1.0;
  double worst = 0;
  for (const ReadScene::Point& point : points.points) {
    const SolvedTrack* track = truth.track(point.track);
    if (!track) return checked(name, "colours", false, fmt::format("has a point of track {}, which the solve has not.", point.track));
    const std::array<double, 3> is = {static_cast<double>(track->color.r), static_cast<double>(track->color.g), static_cast<double>(track->color.b)};
    for (std::size_t c = 0; c < 3; ++c) worst = std::max(worst, std::abs(point.color[c] - is[c]));
  }
  return measured(name, "colours", worst, kMost, "of 255",
                  worst <= kMost ? fmt::format("within {:.2f} of 255.", worst) : fmt::format("off by {:.0f} of 255.", worst));
}

}  // namespace

ReceiptTruth::ReceiptTruth(const DeliveryInput& input, const DeliveryChoices& choices)
    : input_(input),
      fps_(choices.world.fps > 0 ? choices.world.fps : input.footage.fps),
      tolerance_(choices.world.key_tolerance_px),
      first_(choices.world.start.value_or(input.footage.first)),
      shift_(first_ - input.footage.first) {
  const Solution& solution = input.solution;
  double shutter = 0;
  for (const SolvedTrack& track : solution.tracks) {
    if (track.state != TrackState::Kept || (track.at_infinity && solution.motion != MotionKind::Nodal)) continue;
    const Track* sightings = input.tracks ? input.tracks->find(track.id) : nullptr;
    for (const TrackError& error : track.errors) {
      const SolvedFrame* frame = solution.frameAt(error.frame);
      if (!error.used || !frame || !frame->placed || std::isnan(error.error_px)) continue;
      const Observation* seen = sightings ? sightings->at(error.frame) : nullptr;
      if (input.tracks && !seen) continue;
      const Lens lens = solution.lensAt(*frame);
      const auto n = lens.undistort(seen ? Vec2(seen->position) : error.reprojected);
      const Vec3 in_camera = frame->pose.toCamera(track.point);
      if (!n || in_camera.z() <= 0) continue;
      const double focal = choices.plates.focal_px > 0 ? choices.plates.focal_px : lens.focal_px;
      sightings_.push_back({error.frame, track.id, *n, focal, in_camera.head<2>() / in_camera.z() - *n});
      if (const auto still = project(lens, frame->pose, track.point); still && solution.readout != 0) shutter += (*still - error.reprojected).squaredNorm();
    }
  }
  if (!sightings_.empty()) shutter_px_ = std::sqrt(shutter / static_cast<double>(sightings_.size()));
}

std::map<int, Vec3> placesOf(const ReadScene& scene) {
  std::map<int, Vec3> places;
  for (const ReadScene::Point& point : scene.points) places[point.track] = point.at;
  return places;
}

std::optional<Vec2> seenBy(const ReadScene::Key& key, const Vec3& place, int width, int height) {
  const Vec3 p = key.turn.transpose() * (place - key.place);
  if (p.z() >= 0) return std::nullopt;
  return Vec2(0.5 * width * (1 + p.x() / -p.z() / key.half_view.x()), 0.5 * height * (1 - p.y() / -p.z() / key.half_view.y()));
}

ReceiptCheck checked(const std::string& file, std::string what, bool passed, std::string sentence) {
  return {.file = file, .what = std::move(what), .passed = passed, .sentence = std::move(sentence), .unit = ""};
}

ReceiptCheck measured(const std::string& file, std::string what, double value, double limit, std::string unit, std::string sentence) {
  return {.file = file,
          .what = std::move(what),
          .passed = value <= limit,
          .sentence = std::move(sentence),
          .value = value,
          .limit = limit,
          .unit = std::move(unit)};
}

ReceiptCheck checkDrift(const ReceiptTruth& truth, const std::string& name, const Drift& drift) {
  constexpr double kSlack_px = 0.03, kSlackShare = 1.02;  // beyond the solve's own error
  if (truth.sightings().empty()) return checked(name, "drift", true, "the solve has no points at a distance to measure it by.");
  if (drift.count == 0) return checked(name, "drift", false, "none of its points is seen by its camera where a track was measured.");
  const double limit = kSlackShare * drift.own_px + kSlack_px + truth.keyTolerance();
  const char* words =
      drift.rms_px <= limit
          ? "points lie {:.3f} px (RMS; {:.2f} at most) from the tracks; the solve itself {:.3f} px."
          : "points lie {:.2f} px (RMS; {:.1f} at most) from the tracks, but {:.3f} px by the solve: camera, focal length or points are not its.";
  return measured(name, "drift", drift.rms_px, limit, "px", fmt::format(fmt::runtime(words), drift.rms_px, drift.max_px, drift.own_px));
}

Drift driftOf(const ReceiptTruth& truth, const ReadScene& cameras, const std::map<int, Vec3>& points, const FittedPicture& picture, int offset) {
  std::map<int, std::optional<ReadScene::Key>> keys;
  Drift drift;
  double squares = 0, own = 0;
  for (const ReceiptTruth::Sighting& sighting : truth.sightings()) {
    const auto point = points.find(sighting.track);
    if (point == points.end()) continue;
    auto [key, fresh] = keys.try_emplace(sighting.frame);
    if (fresh) key->second = cameras.at(sighting.frame + truth.shift() - offset);
    if (!key->second) continue;
    const double focal = picture.focal_px > 0 ? picture.focal_px : sighting.focal_px;
    const Vec2 seen(0.5 * picture.width + focal * sighting.seen.x(), 0.5 * picture.height + focal * picture.pixel_aspect * sighting.seen.y());
    const auto at = seenBy(*key->second, point->second, picture.width, picture.height);
    const double off = at ? (*at - seen).norm() : picture.width;
    own += focal * focal * Vec2(sighting.off.x(), picture.pixel_aspect * sighting.off.y()).squaredNorm();
    squares += off * off, drift.max_px = std::fmax(drift.max_px, off), ++drift.count;
  }
  if (drift.count > 0) drift.rms_px = std::sqrt(squares / drift.count), drift.own_px = std::sqrt(own / drift.count);
  return drift;
}

std::vector<ReceiptCheck> checkScene(const ReceiptTruth& truth, const std::string& name, const ReadScene& cameras, const ReadScene& points, char up,
                                     Receipt& receipt) {
  const std::map<int, Vec3> places = placesOf(points);
  const FittedPicture picture{cameras.width, cameras.height, 0, truth.pixelAspect()};
  const Drift drift = driftOf(truth, cameras, places, picture, 0);
  receipt.drift_rms_px = std::fmax(receipt.drift_rms_px, drift.rms_px), receipt.drift_max_px = std::fmax(receipt.drift_max_px, drift.max_px);
  return {checkDrift(truth, name, drift),    offsetCheck(truth, name, cameras, places, picture, drift.rms_px),
          upCheck(truth, name, cameras, up), handednessCheck(truth, name, cameras, places),
          rateCheck(truth, name, cameras),   colourCheck(truth, name, points)};
}

}  // namespace dusky
