#include "core/deliver/splat_frames.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/numbers.h"

namespace dusky {
namespace {

constexpr double kBlurredShare = 0.5;  // of its neighbours' median sharpness
constexpr int kAround = 4;             // frames each way that count as neighbours

/// Of every second pixel: enough to compare frames by.
std::pair<double, double> sharpnessOf(const FloatPlane& luma) {
  double squares = 0, sum = 0;
  std::int64_t count = 0;
  for (int y = 1; y + 1 < luma.height; y += 2) {
    for (int x = 1; x + 1 < luma.width; x += 2, ++count) {
      const double dx = 0.5 * (luma.at(x + 1, y) - luma.at(x - 1, y)), dy = 0.5 * (luma.at(x, y + 1) - luma.at(x, y - 1));
      squares += dx * dx + dy * dy, sum += luma.at(x, y);
    }
  }
  return count > 0 ? std::pair(squares / static_cast<double>(count), sum / static_cast<double>(count)) : std::pair(0.0, 0.0);
}

double sharpnessAround(const std::vector<SplatFrame>& frames, std::size_t k) {
  std::vector<double> around;
  for (std::size_t i = k < kAround ? 0 : k - kAround; i < std::min(frames.size(), k + kAround + 1); ++i) around.push_back(frames[i].sharpness);
  return median(std::move(around));
}

/// How differently two cameras see the set: their distance beside that of the set, and the angle between them.
double apart(const Pose& a, const Pose& b, double distance) {
  return (a.centre - b.centre).norm() / distance + a.world_from_camera.angularDistance(b.world_from_camera);
}

double distanceOf(const DeliveryView& view) {
  std::vector<double> distances;
  for (const auto& point : view.points) {
    for (const auto& camera : {view.cameras.front(), view.cameras[view.cameras.size() / 2]}) distances.push_back((point.at - camera.pose.centre).norm());
  }
  return distances.empty() ? 1 : std::max(1e-9, median(std::move(distances)));
}

/// The one that is farthest from those chosen, counted down where it is less sharp than its neighbours. Source: Gonzalez, Theoretical Computer Science 38,
/// 1985.
void chooseFarthest(const std::vector<const DeliveryView::Camera*>& cameras, const DeliveryView& view, std::size_t most, std::vector<SplatFrame>& frames) {
  const double distance = distanceOf(view);
  std::vector<double> gap(frames.size(), 1e9), keen(frames.size());
  for (std::size_t k = 0; k < frames.size(); ++k) keen[k] = std::min(1.0, frames[k].sharpness / std::max(1e-9, sharpnessAround(frames, k)));
  for (std::size_t n = 0; n < most; ++n) {
    std::size_t best = frames.size();
    for (std::size_t k = 0; k < frames.size(); ++k) {
      if (!frames[k].chosen && (best == frames.size() || gap[k] * keen[k] > gap[best] * keen[best])) best = k;
    }
    if (best == frames.size()) return;
    frames[best].chosen = true;
    for (std::size_t k = 0; k < frames.size(); ++k) gap[k] = std::min(gap[k], apart(cameras[k]->pose, cameras[best]->pose, distance));
  }
}

/// Largest angle between the rays of chosen views that see a track; unknown where fewer than two do.
double spreadOf(const SolvedTrack& track, const Vec3& at, const std::map<int, const DeliveryView::Camera*>& chosen) {
  Vec3 first = Vec3::Zero(), far = Vec3::Zero();
  double widest = 0;
  const auto eachRay = [&](const auto& visit) {
    for (const TrackError& error : track.errors) {
      if (const auto camera = chosen.find(error.frame); camera != chosen.end()) visit((at - camera->second->pose.centre).normalized());
    }
  };
  // From any ray to the farthest, and from that to the farthest: near enough to the widest of all.
  eachRay([&](const Vec3& ray) {
    if (first.isZero()) first = ray, far = ray;
    if (ray.dot(first) < far.dot(first)) far = ray;
  });
  if (first.isZero()) return kUnknown;
  eachRay([&](const Vec3& ray) { widest = std::max(widest, std::acos(std::clamp(ray.dot(far), -1.0, 1.0))); });
  return widest;
}

void concernViews(const DeliveryInput& input, const DeliveryView& view, const std::map<int, const DeliveryView::Camera*>& chosen, SplatReadiness& out) {
  constexpr double kThin = 5 * M_PI / 180, kMostThin = 0.3;
  int thin = 0, count = 0;
  for (const auto& point : view.points) {
    const double spread = spreadOf(*input.solution.find(point.track), point.at, chosen);
    if (std::isnan(spread)) continue;
    ++count, thin += spread < kThin;
  }
  out.thin_share = count > 0 ? static_cast<double>(thin) / count : 1;
  if (input.solution.motion == MotionKind::Nodal)
    out.concerns.push_back({"parallax", "The camera only turns: nothing tells how deep the set is. A training needs a camera that moves.", 0});
  else if (out.thin_share > kMostThin)
    out.concerns.push_back(
        {"views", fmt::format("{:.0f} % of the points are seen from directions within 5° of each other: their depth will be soft.", 100 * out.thin_share),
         out.thin_share});
}

void concernPictures(const std::vector<SplatFrame>& frames, SplatReadiness& out) {
  constexpr double kJump = 0.08;
  const SplatFrame* before = nullptr;
  int jump_at = 0;
  for (const SplatFrame& frame : frames) {
    if (!frame.chosen) continue;
    out.blurred += frame.blurred;
    if (before && before->brightness > 1) {
      const double jump = std::abs(frame.brightness / before->brightness - 1);
      if (jump > out.exposure_jump) out.exposure_jump = jump, jump_at = frame.frame;
    }
    before = &frame;
  }
  if (out.blurred > 0)
    out.concerns.push_back({"blur", fmt::format("{} of the pictures are blurred beside their neighbours.", out.blurred), static_cast<double>(out.blurred)});
  if (out.exposure_jump > kJump)
    out.concerns.push_back(
        {"exposure",
         fmt::format("Brightness changes by {:.0f} % before frame {}: level the exposure, or let the training do it.", 100 * out.exposure_jump, jump_at),
         out.exposure_jump});
}

/// Every so many of the chosen, the middle one of each lot; of fewer than a lot the one in the middle.
void keepForTesting(std::vector<SplatFrame>& frames, int every) {
  if (every < 2) return;
  std::vector<SplatFrame*> chosen;
  for (SplatFrame& frame : frames) {
    if (frame.chosen) chosen.push_back(&frame);
  }
  const auto lot = std::min(static_cast<std::size_t>(every), chosen.size());
  for (std::size_t k = 0; k < chosen.size() && lot > 1; ++k) chosen[k]->test = k % static_cast<std::size_t>(every) == lot / 2;
}

}  // namespace

Result<std::vector<SplatFrame>> chooseSplatFrames(const DeliveryInput& input, const DeliveryView& view, const SplatOptions& options, const Progress& progress) {
  const auto source = input.open_footage();
  if (!source.ok()) return source.error();
  std::vector<SplatFrame> frames;
  std::vector<const DeliveryView::Camera*> cameras;
  for (const DeliveryView::Camera& camera : view.cameras) {
    if (!input.footage.has(camera.footage)) continue;
    if (progress.stopRequested()) return cancelled();
    progress.report(static_cast<double>(cameras.size()) / static_cast<double>(view.cameras.size()), fmt::format("looking at frame {}", camera.footage));
    const auto frame = (*source)->read(camera.footage, FrameUse::Tracking);
    if (!frame.ok()) return frame.error();
    const auto [sharpness, brightness] = sharpnessOf(frame->luma);
    frames.push_back({.frame = camera.footage, .sharpness = sharpness, .brightness = brightness});
    cameras.push_back(&camera);
  }
  for (std::size_t k = 0; k < frames.size(); ++k) frames[k].blurred = frames[k].sharpness < kBlurredShare * sharpnessAround(frames, k);
  const auto most = static_cast<std::size_t>(options.most_pictures);
  if (frames.size() <= most) {
    for (std::size_t k = 0; k < frames.size(); ++k) frames[k].chosen = !(frames[k].blurred && k > 0 && !frames[k - 1].blurred);
  } else {
    chooseFarthest(cameras, view, most, frames);
  }
  keepForTesting(frames, options.test_every);
  return frames;
}

SplatReadiness readinessOf(const DeliveryInput& input, const DeliveryView& view, const std::vector<SplatFrame>& frames) {
  SplatReadiness out;
  std::map<int, const DeliveryView::Camera*> chosen;
  for (const SplatFrame& frame : frames) {
    const auto camera = std::find_if(view.cameras.begin(), view.cameras.end(), [&](const auto& c) { return c.footage == frame.frame; });
    if (frame.chosen && camera != view.cameras.end()) chosen[frame.frame] = &*camera;
  }
  concernPictures(frames, out);
  concernViews(input, view, chosen, out);
  if (!input.solution.movers.empty() && !input.mask)
    out.concerns.push_back({"movers", fmt::format("{} of what moves on its own is not masked: mask it, or it smears.", input.solution.movers.size()),
                            static_cast<double>(input.solution.movers.size())});
  out.stability_px = input.solution.evidence.likelySlip_px();
  constexpr double kMostSlip = 1;
  if (out.stability_px > kMostSlip)
    out.concerns.push_back({"camera", fmt::format("The camera may be off by {:.1f} px: fine detail will blur.", out.stability_px), out.stability_px});
  return out;
}

}  // namespace dusky
