#pragma once
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/image/frame_source.h"
#include "core/solve/solution.h"

namespace dusky {

/// Fewer kept tracks than this in a frame, and its camera hangs on them.
inline constexpr int kThinTracks = 20;
/// With fewer, nothing else tells when they agree on a wrong one.
inline constexpr int kTooFewTracks = 10;
/// So far over chance, in standard deviations, a pattern of the errors counts.
inline constexpr double kClearPattern_sigmas = 6;

/// Whether a camera can be built on: as it is; after a look at what is named; not at all, for it does not explain the footage.
enum class TrustLevel : std::uint8_t { Trust, Check, Reject };
/// "trust", "check", "reject".
std::string_view describe(TrustLevel level);

/// One reason not to trust a solve.
struct Cause {
  std::string what;  ///< "unexplained error", "few tracks explained", "focal length", "lens", "few tracks", "unstable",
                     ///< "small parallax", "beyond infinity", "another explanation", "another motion", "scale break",
                     ///< "flat set", "focal length not told", "unsettled", "weak part"; what the errors follow: "lens pattern", "shutter pattern",
                     ///< "zoom pattern", "path pattern"; "knowledge": what is said of the set; "pictures": dense
                     ///< pictures lie elsewhere.
  std::optional<FrameRange> frames;  ///< Where; none: all over the shot.
  std::string sentence;              ///< What it is and what to do.
  double significance = 0;           ///< How far it is over what would be usual: 1 is at the limit.
};

/// How far the pictures of other keyframes lie from where the camera has them in one, as its dense points tell.
struct PictureOffset {
  int frame = 0;
  double off_px = kUnknown;
};

/// What a person needs to know of a solve, in one line, and where to look.
struct Verdict {
  TrustLevel level = TrustLevel::Trust;
  std::string sentence;       ///< What the level rests on.
  std::vector<Cause> causes;  ///< Against it, gravest first.
  double noise_floor_px = kUnknown, explained_share = kUnknown;
  double likely_slip_px = kUnknown, stability_px = kUnknown;  ///< See Evidence.
  double pictures_off_px = kUnknown;                          ///< The middle one of keyframes' offsets; unknown without dense points.
  std::optional<int> thinnest_frame;                          ///< The placed frame with fewest kept tracks; none where no frame is placed.
  int thinnest_tracks = 0;                                    ///< Kept tracks there.
  std::string hurt;                                           ///< One sentence: what hurts most, or that nothing does.
  bool fine = false;                                          ///< Nothing stands out.
  bool weak = false;                                          ///< What hurts speaks against the camera.
  std::optional<FrameRange> hurt_frames;                      ///< Frames it is about.
  std::vector<int> hurt_tracks;                               ///< Tracks behind it, worst first.
};

/// Judges a finished solve. Its level: how far the RMS is over the noise floor, the share of sightings explained, how far an
/// insert is likely to slip, and what is known to be weak. What hurts, in
/// order of weight: frames without a camera, a holdout error well above the RMS, frames with too few tracks, frames whose
/// sightings are lost, a run of frames whose error stands out, frames with few tracks (they are named, the level does not fall for them), else nothing.
/// `pictures`: of its keyframes in the order of their frames, where dense points were made: they are another witness than the tracks.
Verdict judgeSolution(const Solution& solution, std::span<const PictureOffset> pictures = {});

/// A top for the error scale at which this solve's usual errors are dim and its bad ones glow: about six times the RMS (by chance alone one
/// sighting in ten thousand reaches four times it), as 1, 2 or 5
/// times a power of ten, px.
double usualErrorTop(const Solution& solution);
}  // namespace dusky
