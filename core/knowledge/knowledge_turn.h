#pragma once
#include "core/knowledge/knowledge_file.h"

namespace dusky {

/// Turns all that a file says in the world's numbers by a quarter turn or several: normals, survey points and their deviations, the camera, the scene's move.
void turnNumbers(KnowledgeFile& file, const Eigen::Quaterniond& turn);

}  // namespace dusky
