#pragma once
#include <Qt>
#include <array>
#include <cstdint>

namespace dusky::desktop {

enum class View : std::uint8_t { Plate, Space, Closeup, TwoFrames, ErrorMap, Tracks, Coverage, Lens, Sweep, Ledger };

/// Where a view stands. Those of one place share it, with their names as tabs.
enum class ViewPlace : std::uint8_t { Left, Right, Below };

/// What the window knows of a view before it is made: menu, tabs and the list of keys are made from this.
struct ViewInfo {
  View view;
  ViewPlace place;
  const char* name;  ///< On its tab.
  const char* tip;
  int key;  ///< With Ctrl; 0: it always shows.
};

inline constexpr std::array<ViewInfo, 10> kViews = {{
    {View::Plate, ViewPlace::Left, "PLATE", "The picture with its tracks.", 0},
    {View::Space, ViewPlace::Right, "SPACE", "Cameras, points and test objects in space.", Qt::Key_1},
    {View::Closeup, ViewPlace::Right, "CLOSE-UP", "The selected track, enlarged and held still.", Qt::Key_2},
    {View::TwoFrames, ViewPlace::Right, "TWO FRAMES", "What two frames have in common, and their epipolar lines.", Qt::Key_3},
    {View::ErrorMap, ViewPlace::Below, "ERROR MAP", "The error of every track in every frame.", Qt::Key_4},
    {View::Tracks, ViewPlace::Below, "TRACKS", "All tracks as a table.", Qt::Key_5},
    {View::Coverage, ViewPlace::Below, "COVERAGE", "Where picture and time are thin.", Qt::Key_6},
    {View::Lens, ViewPlace::Below, "LENS", "Focal length of each frame, and how far the lens bends the picture.", Qt::Key_7},
    {View::Sweep, ViewPlace::Below, "SWEEP", "What the footage tells about one scalar of the solve.", Qt::Key_8},
    {View::Ledger, ViewPlace::Below, "LEDGER", "Every solve of this shot: to compare, name and go back to.", Qt::Key_9},
}};

constexpr const ViewInfo& viewInfo(View view) { return kViews[static_cast<std::size_t>(view)]; }

}  // namespace dusky::desktop
