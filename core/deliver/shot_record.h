#pragma once
#include <filesystem>
#include <map>
#include <vector>

#include "core/base/result.h"
#include "core/lens/lens.h"

namespace dusky {

/// A report or a truth file as read back: who saw what from where.
struct ShotRecord {
  struct Point {
    Vec3 xyz = Vec3::Zero();
    std::vector<int> visible;  ///< Frames that see it; empty: wherever it falls into the picture.
  };
  struct View {
    Pose pose;
    Lens lens;
  };
  int width = 0, height = 0;
  std::map<int, View> frames;
  std::vector<Point> points;
  int frames_expected = 0;  ///< first..last of the footage.
};

/// Reads report.json or a truth file (docs/formats.md).
/// Errors: Unreadable naming the file and what is missing in it.
Result<ShotRecord> readShotRecord(const std::filesystem::path& path);
Result<ShotRecord> parseShotRecord(const std::string& text, const std::string& name);

}  // namespace dusky
