#pragma once
#include <optional>

#include "core/mask/mask.h"

namespace dusky {

// Changes of one mask's keys and points. Frames are the footage's numbers.

/// Puts a key; one in the same frame is replaced.
void putKey(Mask& mask, MaskKey key);
/// Takes the key of a frame out. The last one stays: a mask without keys lies nowhere. False when nothing was taken out.
bool removeKey(Mask& mask, int frame);
/// Moves a key in time; one that is there gives way. False when there is no key in `from`.
bool moveKey(Mask& mask, int from, int to);
/// The nearest key after (direction 1) or before (-1) a frame.
std::optional<int> neighbourKey(const Mask& mask, int frame, int direction);

/// Between the mask's own px, in which its points are given, and the picture's.
Eigen::Vector2d toPicture(const MaskKey& key, const Eigen::Vector2d& own);
Eigen::Vector2d toOwn(const MaskKey& key, const Eigen::Vector2d& picture);

/// A new corner on the curve half way between corner `after` and the next one, in every key, so that all keys still fit together.
void insertPoint(Mask& mask, int after);
/// Takes a corner out of every key; three always stay. False when nothing was taken out.
bool removePoint(Mask& mask, int index);

/// Whether a place lies inside a closed line (even-odd rule).
bool insideLine(const std::vector<Eigen::Vector2d>& line, const Eigen::Vector2d& place);

/// Whether a place of the picture lies inside the mask's line.
bool covers(const Mask& mask, int frame, const Eigen::Vector2d& place);

}  // namespace dusky
