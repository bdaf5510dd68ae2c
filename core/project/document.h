#pragma once
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/mask/mask_set.h"
#include "core/scene/scene.h"
#include "core/scene/test_object.h"
#include "core/solve/solve_shot.h"
#include "core/track/follow_features.h"

namespace dusky {

/// Which frames of the footage are worked on.
struct FootageSettings {
  int step = 1;               ///< Every n-th frame of the range, 1 to 1000.
  std::vector<int> left_out;  ///< Frames not looked at, ascending.
  bool operator==(const FootageSettings&) const = default;
};

/// How the lens is known, as the artist says it.
struct LensSettings {
  FocalKnowledge focal = FocalKnowledge::Unknown;
  double focal_mm = 35.0;   ///< 1 to 2000; read unless the focal length is unknown.
  double sensor_mm = 36.0;  ///< Width of the sensor, 1 to 100.
  bool distortion = true;   ///< Whether distortion may be released.
  bool operator==(const LensSettings&) const = default;
};

struct DeliverySettings {
  std::string folder;  ///< Empty: beside the footage.
  bool camera_glb = true, points_ply = true, camera_csv = true, report_json = true;
  bool operator==(const DeliverySettings&) const = default;
};

/// All that the artist decided. The one thing that changes; results are kept apart.
struct Document {
  std::string footage_path;
  FootageSettings footage;
  MaskSettings masks;
  FollowOptions tracking;
  LensSettings lens;
  int seed = 1;
  std::vector<int> set_aside;  ///< Track ids taken out by hand, ascending.
  std::vector<int> pinned;     ///< Track ids protected from pruning, ascending.
  SceneSettings scene;
  std::vector<TestObject> objects;
  DeliverySettings delivery;
  bool operator==(const Document&) const = default;
};

std::string documentToJson(const Document& document);
/// Errors: Unreadable when the text is not a document of this version.
Result<Document> documentFromJson(const std::string& text);

}  // namespace dusky
