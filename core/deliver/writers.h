#pragma once
#include "core/deliver/delivery_view.h"
#include "core/deliver/review_movie.h"

namespace dusky {

// The writers of files that are made in memory. Errors: as viewOf().

/// glTF 2.0 binary: camera node with one key a frame at (frame - first) / fps seconds, points as a mesh of POINTS. It fits the undistorted plate (plate.h);
/// what glTF has no place for is in extras. A zoom's field of view is animated by the extension KHR_animation_pointer.
Result<std::string> cameraGlb(const DeliveryInput& input, const DeliveryChoices& choices);
/// The other way round, for what was tracked on one moving object alone: the camera stands still where it is in the first placed frame, and a
/// node "object" with the points under it moves, one key a frame.
Result<std::string> objectGlb(const DeliveryInput& input, const DeliveryChoices& choices);
/// Binary little-endian PLY: x y z, red green blue, track, error_px, sigma.
Result<std::string> pointsPly(const DeliveryInput& input, const DeliveryChoices& choices);
/// One line a frame: time, centre, rotation quaternion (world from camera, w x y z), the footage's lens.
Result<std::string> cameraCsv(const DeliveryInput& input, const DeliveryChoices& choices);
/// The same of a view's points, turned (and scaled) from its world.
std::string plyOfPoints(const DeliveryView& view, const Similarity& turned);
/// The points as a table.
Result<std::string> pointsCsv(const DeliveryInput& input, const DeliveryChoices& choices);
/// USD as text: camera with time samples of transform and focal length, apertures; points with colours and widths; what else is of the set.
Result<std::string> cameraUsda(const DeliveryInput& input, const DeliveryChoices& choices);
/// A lens file (lens_file.h) with the undistorted picture and a zoom's focal lengths.
Result<std::string> lensJson(const DeliveryInput& input, const DeliveryChoices& choices);

// Those of pictures. Errors: as Exporter::write.

inline constexpr std::string_view kPlateFolder = "plates", kPlateMovie = "plates.mp4", kStMapFolder = "st-maps", kSplatFolder = "splat-set",
                                  kReportFolder = "report-page";

/// Undistorted plates, one picture a frame or a movie.
Status writePlates(const DeliveryInput& input, const DeliveryChoices& choices, const std::filesystem::path& folder, const Progress& progress);
std::vector<std::string> platesMade(const DeliveryChoices& choices);
/// Where each pixel of the undistorted picture is in the footage, and the other way round: red to the right, green upwards, 0 to 1 over the footage's size. Of
/// a zoom two a frame.
Status writeStMaps(const DeliveryInput& input, const DeliveryChoices& choices, const std::filesystem::path& folder, const Progress& progress);
/// A page for people, with curves, a plan and stills.
Status writeReportPage(const DeliveryInput& input, const DeliveryChoices& choices, const std::filesystem::path& folder, const Progress& progress);
/// Pictures and cameras for splat training; see docs/formats.md.
Status writeSplatSet(const DeliveryInput& input, const DeliveryChoices& choices, const std::filesystem::path& folder, const Progress& progress);

}  // namespace dusky
