#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/image/frame_source.h"
#include "core/image/resample.h"
#include "core/knowledge/placement.h"

namespace dusky {

/// What a review movie shows over the plate.
struct ReviewOptions {
  bool objects = true;   ///< Test objects and their shadows.
  bool grid = false;     ///< The ground.
  bool points = false;   ///< Kept tracks where they were measured.
  bool whiskers = true;  ///< From there to where the solve sees them, coloured by the error.
  double whisker = 20;   ///< So many times enlarged, > 0.
  bool notes = true;     ///< Shot, frame, its error, and the verdict, burnt in.
  FrameRange frames;     ///< 0, 0: all that the solve speaks of.
  int height = 1080;     ///< px, at most; never more than the footage's.
  int stills = 5;        ///< Single pictures of it, evenly over the frames, > 0.

  /// Errors: InvalidInput naming the number that is out of range.
  Status check() const;
  bool operator==(const ReviewOptions&) const = default;
};

/// How large undistorted pictures are: as the footage, or so large that nothing of it is cut.
enum class PlateFit : std::uint8_t { Frame, Whole };
enum class PlateFormat : std::uint8_t { Png, Exr, Jpeg, Movie };

/// The undistorted picture: that cameras are delivered for, and that plates and ST maps make.
struct PlateOptions {
  PlateFit fit = PlateFit::Frame;
  double focal_px = 0;                            ///< Of it; 0: the solve's own, of a zoom in each frame its own.
  ResampleFilter filter = ResampleFilter::Cubic;  ///< That resamples pictures.
  PlateFormat format = PlateFormat::Png;          ///< Of plates.
  bool operator==(const PlateOptions&) const = default;
};

/// How files tell of the world, of time, and by which names.
struct WorldOptions {
  std::optional<UpAxis> up;       ///< Of what is no glTF, which has Y up; nothing: as the scene has it.
  std::string unit;               ///< One of kLengthUnits, for a scene in metres; empty: the scene's.
  double scale = 1;               ///< Everything larger by this, > 0.
  std::optional<int> start;       ///< The first frame's number; nothing: the footage's.
  double fps = 0;                 ///< 0: the footage's.
  double key_tolerance_px = 0;    ///< Keys are left out where even motion between others stays this near, px; 0: every frame has one.
  bool all_points = false;        ///< Points that were set aside too.
  std::string camera = "camera";  ///< Names of what is in 3D scenes.
  std::string points = "points";
  bool operator==(const WorldOptions&) const = default;
};

/// Pictures and cameras for splat training.
struct SplatOptions {
  int reduced = 1;          ///< Pictures are 1, 2 or 4 times smaller than the footage.
  int most_pictures = 200;  ///< At least 2.
  int test_every = 8;       ///< Each such picture is kept for testing, not training; 0: none.
  bool masks = true;        ///< Of what is masked in the shot and of where a picture shows nothing.
  bool dense = false;       ///< points.ply holds dense points too.
  bool centred = false;     ///< Moved and scaled: the middle of the points is the origin, nine of ten lie within 1 of it.
  bool operator==(const SplatOptions&) const = default;
};

/// What is delivered and how. Kept with the project.
struct DeliveryChoices {
  std::vector<std::string> what = {"camera.glb", "points.ply", "camera.csv", "report.json"};  ///< Names of exporters.
  WorldOptions world;
  PlateOptions plates;
  SplatOptions splat;
  ReviewOptions review;
  int mesh_texture_px = 0;  ///< Side of the texture of meshes at most, 256 to 16384; 0: they have colours at their points alone, as PLY has always.
  bool receipt = true;      ///< Everything is read back and checked.

  bool wants(std::string_view name) const;
  /// Taken in, or left out.
  void want(std::string_view name, bool on);
  /// Errors: InvalidInput naming what is out of range or unknown, and what there is.
  Status check() const;
  bool operator==(const DeliveryChoices&) const = default;
};

/// Choices under a name.
struct DeliveryPreset {
  std::string name;
  DeliveryChoices choices;
  bool operator==(const DeliveryPreset&) const = default;
};
/// Those that are always there: "3D scene", "compositing", "splat training", "dense scan", "everything".
const std::vector<DeliveryPreset>& deliveryPresets();

}  // namespace dusky
