#include "core/solve/solution.h"

#include <algorithm>
#include <cmath>

namespace dusky {

std::string_view describe(AsideReason reason) {
  switch (reason) {
    case AsideReason::None: return "";
    case AsideReason::ByArtist: return "set aside by hand";
    case AsideReason::HighError: return "error too high";
    case AsideReason::FewGoodFrames: return "too few good frames";
    case AsideReason::NoParallax: return "no parallax";
    case AsideReason::Slides: return "slides";
  }
  return "";
}

std::string_view describe(MotionKind motion) {
  switch (motion) {
    case MotionKind::Free: return "free";
    case MotionKind::Nodal: return "nodal";
    case MotionKind::Rail: return "rail";
    case MotionKind::Flat: return "flat";
    case MotionKind::Arc: return "arc";
  }
  return "";
}

std::string_view describe(StatementKind kind) {
  switch (kind) {
    case StatementKind::Orientation: return "orientation";
    case StatementKind::Angle: return "angle";
    case StatementKind::Same: return "same";
    case StatementKind::Apart: return "apart";
    case StatementKind::Distance: return "length";
    case StatementKind::Survey: return "survey";
    case StatementKind::Camera: return "camera";
    case StatementKind::Offset: return "offset";
    case StatementKind::PlaneDistance: return "plane length";
    case StatementKind::Equal: return "equal";
    case StatementKind::Mirror: return "mirrored";
  }
  return "";
}

const IfExact* SolvedKnowledge::ifExact(std::string_view key) const {
  const auto found = std::find_if(if_exact.begin(), if_exact.end(), [key](const IfExact& one) { return one.key == key; });
  return found != if_exact.end() ? &*found : nullptr;
}

SetShape SolvedSet::asShape() const { return kind == SetKind::Plane ? SetShape(SetPlane{axis, offset}) : SetShape(SetLine{axis, through}); }

Lens Solution::lensAt(const SolvedFrame& frame) const {
  Lens lens = cameras[static_cast<std::size_t>(frame.camera)].lens;
  if (!std::isnan(frame.focal_px)) lens.focal_px = frame.focal_px;
  return lens;
}

Lens Solution::lensIn(int frame) const {
  const SolvedFrame* solved = frameAt(frame);
  return solved && solved->placed ? lensAt(*solved) : lens();
}

bool Solution::zooms() const {
  return std::any_of(frames.begin(), frames.end(), [](const SolvedFrame& f) { return f.placed && !std::isnan(f.focal_px); });
}

const SolvedTrack* Solution::find(int id) const {
  const auto found = std::lower_bound(tracks.begin(), tracks.end(), id, [](const SolvedTrack& t, int i) { return t.id < i; });
  return found != tracks.end() && found->id == id ? &*found : nullptr;
}

const SolvedFrame* Solution::frameAt(int frame) const {
  const auto found = std::lower_bound(frames.begin(), frames.end(), frame, [](const SolvedFrame& f, int number) { return f.frame < number; });
  return found != frames.end() && found->frame == frame ? &*found : nullptr;
}

int Solution::placedFrames() const {
  return static_cast<int>(std::count_if(frames.begin(), frames.end(), [](const SolvedFrame& f) { return f.placed; }));
}

int Solution::keptTracks() const {
  return static_cast<int>(std::count_if(tracks.begin(), tracks.end(), [](const SolvedTrack& t) { return t.state == TrackState::Kept && !t.holdout; }));
}

double Evidence::likelySlip_px() const {
  // Halves wander farther than their share where the tracks are few: calibrated by bench/trust_study.
  constexpr double kOfHalves = 0.5;
  return std::fmax(std::fmax(slip_sigma_px, focal_slip_px), kOfHalves * stability_px);
}
}  // namespace dusky
