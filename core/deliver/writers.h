#pragma once
#include "core/deliver/delivery_view.h"
#include "core/deliver/review_movie.h"

namespace dusky {

// The writers of files that are made in memory. Errors of those that may fail: what reading the set's mesh says.

/// glTF 2.0 binary: camera node with one key a frame at (frame - first) / fps seconds, points as a mesh of POINTS. It fits the undistorted plate (plate.h);
/// what glTF has no place for is in extras. A zoom's field of view is animated by the extension KHR_animation_pointer.
Result<std::string> cameraGlb(const DeliveryInput& input, const DeliveryView& view);
/// The other way round, for what was tracked on one moving object alone: the camera stands still where it is in the first placed frame, and a
/// node "object" with the points under it moves, one key a frame.
std::string objectGlb(const DeliveryInput& input, const DeliveryView& view);
/// Binary little-endian PLY: x y z, red green blue, track, error_px, sigma.
std::string pointsPly(const DeliveryInput& input, const DeliveryView& view);
/// One line a frame: time, centre, rotation quaternion (world from camera, w x y z), the footage's lens.
std::string cameraCsv(const DeliveryInput& input, const DeliveryView& view);
/// The same of a view's points, turned (and scaled) from its world.
/// `dense`: points that belong to no track come behind them, their track -1.
std::string plyOfPoints(const DeliveryView& view, const Similarity& turned, const DenseCloud* dense = nullptr);
/// The points as a table.
std::string pointsCsv(const DeliveryInput& input, const DeliveryView& view);
/// USD as text: camera with time samples of transform and focal length, apertures; points with colours and widths; what else is of the set.
Result<std::string> cameraUsda(const DeliveryInput& input, const DeliveryView& view);
/// A lens file (lens_file.h) with the undistorted picture and a zoom's focal lengths.
std::string lensJson(const DeliveryInput& input, const DeliveryView& view);

/// What a review movie and stills of this delivery are made of.
ReviewInput reviewInputOf(const DeliveryInput& input);

// Those of pictures. Errors: as Exporter::write.

inline constexpr std::string_view kPlateFolder = "plates", kPlateMovie = "plates.mp4", kStMapFolder = "st-maps", kSplatFolder = "splat-set",
                                  kReportFolder = "report-page", kStillFolder = "stills";

/// Undistorted plates, one picture a frame or a movie.
Status writePlates(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const std::filesystem::path& folder,
                   const Progress& progress);
std::vector<std::string> platesMade(const DeliveryChoices& choices);
/// Where each pixel of the undistorted picture is in the footage, and the other way round: red to the right, green upwards, 0 to 1 over the footage's size. Of
/// a zoom two a frame.
Status writeStMaps(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const std::filesystem::path& folder,
                   const Progress& progress);
/// Pictures of the review, as many as chosen.
Status writeStills(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const std::filesystem::path& folder,
                   const Progress& progress);
/// What is in a folder of stills.
struct Still {
  int frame;  ///< Its number in the files.
  std::string name;
};
/// That many of them, evenly over the review's frames where there is a picture, into a folder that is there.
Result<std::vector<Still>> writeStillsInto(const DeliveryInput& input, const ReviewOptions& options, const DeliveryView& view, int count,
                                           const std::filesystem::path& folder, const Progress& progress);
/// A page for people, with curves, a plan and stills.
Status writeReportPage(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const std::filesystem::path& folder,
                       const Progress& progress);
/// Pictures and cameras for splat training; see docs/formats.md.
Status writeSplatSet(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const std::filesystem::path& folder,
                     const Progress& progress);

}  // namespace dusky
