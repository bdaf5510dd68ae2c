#pragma once
#include <array>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/geometry/pose.h"

namespace dusky {

// Readers of what a delivery wrote, for its receipt. They share nothing with the writers: what both got wrong alike would pass.

/// Cameras and points as another program would find them in a file.
struct ReadScene {
  struct Key {
    double frame = 0;
    Mat3 turn = Mat3::Identity();  ///< World from camera; x right, y up, z towards the viewer.
    Vec3 place = Vec3::Zero();
    Vec2 half_view = Vec2::Zero();  ///< Tangents of half of what it sees, right and up.
  };
  struct Point {
    int track = -1;
    Vec3 at = Vec3::Zero();
    std::array<double, 3> color = {0, 0, 0};  ///< For a screen, 0 to 255.
  };
  std::vector<Key> keys;  ///< By frame.
  std::vector<Point> points;
  double fps = 0;
  int width = 0, height = 0;  ///< Of the picture that the camera fits, px; 0: not said.
  char up = 'Y';

  /// Between keys: even motion, turns the short way. Nothing outside of them.
  std::optional<Key> at(double frame) const;
};

/// Light, 0 to 1, as a screen shows it (IEC 61966-2-1).
double readAsScreen(double light);

/// Each: Errors: Unreadable in words: cut off, damaged, not what it should be.
Result<ReadScene> readBackGlb(const std::filesystem::path& path);
/// The file of the first picture that it holds, as it was packed.
Result<std::string> pictureInGlb(const std::filesystem::path& path);
Result<ReadScene> readBackUsda(const std::filesystem::path& path, const std::string& camera, const std::string& points);
/// Points alone.
Result<ReadScene> readBackPly(const std::filesystem::path& path);
/// Cameras alone, through the footage's own lens: no view.
Result<ReadScene> readBackCsv(const std::filesystem::path& path);
/// Of a splat set: cameras of one transforms file; a key's frame is the place in `names`. Of a picture 1 px wide and `aspect` high.
struct ReadTransforms {
  std::vector<std::string> names;
  std::vector<ReadScene::Key> keys;
};
Result<ReadTransforms> readBackTransforms(const std::filesystem::path& path);

}  // namespace dusky
