#pragma once
#include <functional>
#include <string>
#include <vector>

#include "core/image/frame_source.h"
#include "core/mask/frame_masks.h"
#include "core/track/track_set.h"

namespace dusky {

/// What a track by hand holds on to.
enum class HandKind : std::uint8_t {
  Patch,     ///< Any piece of picture with texture.
  Corner,    ///< The same, placed on the tip of the corner.
  Dot,       ///< The middle of something symmetric, found anew in every frame.
  Crossing,  ///< Where lines or edges cross, found anew in every frame.
};

struct HandPoint {
  int frame = 0;
  Vec2 position = Vec2::Zero();  ///< Full-size px.
  bool keyed = false;            ///< Put there by the artist: tracking begins and ends at it and never moves it.
  double likeness = 1;           ///< With the piece of picture at the key it was followed from, -1 to 1.
  bool operator==(const HandPoint&) const = default;
};

inline constexpr int kFirstHandId = 1'000'000;  ///< Automatic tracks have lower ids.

/// A track that an artist nurses. A value of the document: what was followed is kept in it.
struct HandTrack {
  int id = kFirstHandId;
  std::string name;
  HandKind kind = HandKind::Patch;
  int pattern_px = 11;  ///< Half side of the piece that is followed, 4 to 30.
  int search_px = 30;   ///< How far from where the motion leads it is looked for, 4 to 200.
  Rgb color;
  StopReason start = StopReason::EndOfFootage, stop = StopReason::EndOfFootage;
  std::vector<HandPoint> points;  ///< By frame, ascending.

  const HandPoint* at(int frame) const;
  /// Puts a key; one in the same frame is replaced. What was followed from a moved key stays until it is followed again.
  void putKey(int frame, const Vec2& position);
  /// Takes the points of these frames out, keys too.
  void remove(int first, int last);
  /// As the solve sees it.
  Track track() const;
  bool operator==(const HandTrack&) const = default;
};

struct HandOptions {
  int frame = 0;  ///< Where to begin: a frame with a point.
  bool forward = true, backward = false;
  int frames = 0;               ///< How many on each way; 0: to the end of the range.
  double min_likeness = 0.75;   ///< Confidence under which it stops, 0 to 1.
  FrameMasks* masks = nullptr;  ///< Stops where they leave out what it follows; nullptr: nothing is left out.
  double max_sigma_px = 0.5;    ///< Uncertainty over which it stops: along an edge, in soft texture; px.
};

/// Follows a track by hand from the point in options.frame through `frames` (ascending), up to the next key on each way. Between two keys
/// it is followed from both and blended where both agree within 2 px; where they part nothing is set and `note` says so.
/// `note` gets a sentence on how far it went and why it stopped. Cancel gives what was followed so far.
/// Errors: InvalidInput when there is no point in the frame or no texture about it; what the source says about a frame.
Result<HandTrack> followByHand(FrameSource& source, const std::vector<int>& frames, HandTrack track, const HandOptions& options, const Progress& progress,
                               std::string* note = nullptr);

/// The place of a new key near where the artist pointed: the corner's tip, the dot's middle, the crossing. The place itself where there
/// is none within half the pattern.
Vec2 snapped(const FloatPlane& luma, const Vec2& pointed, HandKind kind, int pattern_px);

std::string_view describe(HandKind kind);
}  // namespace dusky
