#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/deliver/review_movie.h"
#include "core/image/frame_source.h"
#include "core/review/advice.h"
#include "core/scene/scene.h"
#include "core/solve/solution.h"

namespace dusky {

/// Busy seconds of each stage; unknown where it did not run in this session.
struct RunTimings {
  double decode_s = kUnknown, track_s = kUnknown, solve_s = kUnknown, total_s = kUnknown;
};

/// Everything a delivery is made from.
struct DeliveryInput {
  const FootageInfo& footage;
  const Solution& solution;
  const SceneFrame& scene;
  RunTimings timings;
  std::vector<std::string> warnings;  ///< Besides the solution's own.
  std::vector<Advice> advice;         ///< On the solution.
};

struct DeliveryOptions {
  std::filesystem::path folder;
  bool camera_glb = true, points_ply = true, camera_csv = true, report_json = true;
  bool object_glb = false;  ///< The same motion as that of an object before a camera that stands still.
  bool review_mp4 = false;  ///< Written by writeReview(), not by deliver(): it needs the footage's pictures.
  ReviewOptions review;
};

struct DeliveredFile {
  std::filesystem::path path;
  std::string what;  ///< "animated camera and points".
  std::uintmax_t bytes = 0;
};

inline constexpr std::string_view kReviewName = "review.mp4";

/// The files that a delivery writes.
std::vector<std::filesystem::path> deliveryFiles(const DeliveryOptions& options);

/// Writes the chosen files into the folder (made when missing). Each appears whole or not at all; a failure names the file and
/// leaves those before it.
/// Errors: CannotWrite.
Result<std::vector<DeliveredFile>> deliver(const DeliveryInput& input, const DeliveryOptions& options, const Progress& progress);

// The writers, as bytes.
/// glTF 2.0 binary: camera node with one key a frame at (frame - first) / fps seconds, points as a mesh of POINTS. glTF has no lens
/// distortion and no off-centre axis: those are in the camera's extras.
std::string cameraGlb(const DeliveryInput& input);
/// The other way round, for what was tracked on one moving object alone: the camera stands still where it is in the first placed frame, and a
/// node "object" with the points under it moves, one key a frame.
std::string objectGlb(const DeliveryInput& input);
/// Binary little-endian PLY: x y z, red green blue, track, error_px.
std::string pointsPly(const DeliveryInput& input);
/// One line a frame: time, centre, rotation quaternion (world from camera, w x y z), lens.
std::string cameraCsv(const DeliveryInput& input);
/// The report of the command line contract, see docs/formats.md.
std::string reportJson(const DeliveryInput& input);

}  // namespace dusky
