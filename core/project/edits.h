#pragma once
#include <memory>
#include <vector>

#include "core/project/undo_stack.h"

namespace dusky {

// Edits that artists make with a selection. Each takes the document as it is and track ids in the order they were picked; an
// edit that would change nothing is dropped by the undo stack.

/// Takes tracks out of the solve, or lets them take part again. Pinned tracks are left as they are.
std::unique_ptr<Edit> setAside(const Document& document, const std::vector<int>& ids);
std::unique_ptr<Edit> bringBack(const Document& document, const std::vector<int>& ids);
std::unique_ptr<Edit> pinTracks(const Document& document, const std::vector<int>& ids, bool pinned);

// Picks for the scene; see SceneSettings.
std::unique_ptr<Edit> useAsGround(const Document& document, std::vector<int> ids);
std::unique_ptr<Edit> useAsOrigin(const Document& document, int id);
std::unique_ptr<Edit> useAsDirection(const Document& document, int from, int to);
std::unique_ptr<Edit> useAsLength(const Document& document, int from, int to, double metres);
std::unique_ptr<Edit> changeScene(std::string name, SceneSettings scene);

/// One object on each track.
std::unique_ptr<Edit> placeObjects(const Document& document, ObjectShape shape, const std::vector<int>& tracks, double size);
std::unique_ptr<Edit> removeObjects();

}  // namespace dusky
