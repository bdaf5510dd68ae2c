#pragma once
#include <filesystem>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/deliver/delivery_options.h"
#include "core/deliver/receipt.h"
#include "core/dense/dense_cloud.h"
#include "core/image/frame_source.h"
#include "core/mesh/set_mesh.h"
#include "core/review/advice.h"
#include "core/review/verdict.h"
#include "core/scene/scene.h"
#include "core/scene/test_object.h"
#include "core/solve/solution.h"
#include "core/track/track_set.h"

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
  std::vector<std::string> warnings;         ///< Besides the solution's own.
  std::vector<Advice> advice;                ///< On the solution.
  std::vector<PictureOffset> pictures = {};  ///< That dense points told of its keyframes.

  // What some exporters need besides.
  std::string shot = "shot";                                          ///< Its name.
  const TrackSet* tracks = nullptr;                                   ///< That the solve was made from.
  const std::vector<TestObject>* objects = nullptr;                   ///< Test objects.
  const Knowledge* knowledge = nullptr;                               ///< Of the set: its survey.
  MeshSettings mesh = {};                                             ///< How the set's mesh lies in the scene.
  std::function<Result<SetMeshPtr>(const Progress&)> open_mesh = {};  ///< Reads it; empty: there is none.
  /// Dense points as they were cleaned up, and their surface in the scene; empty: there are none of this solve.
  std::function<Result<DenseCloudPtr>(const Progress&)> open_dense = {};
  std::function<Result<SetMeshPtr>(int texture_px, const Progress&)> open_surface = {};  ///< With a texture of at most this side; 0: without.
  double sensor_mm = 36;                                                                 ///< Width of the sensor, for files that speak of one.
  bool log_footage = false;                                                              ///< Its values are on a logarithmic scale: they go out as they are.
  /// Opens the footage, its numbers as the shot has them; empty: there are no pictures.
  std::function<Result<std::unique_ptr<FrameSource>>()> open_footage = {};
  /// What is left out of a frame: not 0 there; an empty plane leaves nothing out. Empty: nothing is masked.
  std::function<Result<Plane<std::uint8_t>>(int frame)> mask = {};
};

struct DeliveredFile {
  std::filesystem::path path;  ///< Of a file or a folder.
  std::string what;            ///< "animated camera and points".
  std::uintmax_t bytes = 0;    ///< Of a folder: of all that is in it.
};

/// What came of a delivery.
struct Delivered {
  std::vector<DeliveredFile> files;
  std::optional<Receipt> receipt;  ///< Where one was asked for. Where it failed, the files lie in a folder whose name says so.
};

/// The files and folders that a delivery writes.
std::vector<std::filesystem::path> deliveryFiles(const std::filesystem::path& folder, const DeliveryChoices& choices);

/// Writes what is chosen into the folder (made when missing). It is made beside and appears as a whole once all of it stands and was checked; what stood there
/// under these names goes then. Failed or cancelled, everything is as it was.
/// Errors: InvalidInput as DeliveryChoices::check(), or that there are no pictures; CannotWrite; Cancelled; what reading the footage says.
Result<Delivered> deliver(const DeliveryInput& input, const DeliveryChoices& choices, const std::filesystem::path& folder, const Progress& progress);

/// The report of the command line contract, see docs/formats.md.
std::string reportJson(const DeliveryInput& input, const DeliveryChoices& choices = {});

}  // namespace dusky
