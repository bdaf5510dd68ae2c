#pragma once
#include "core/base/json_text.h"
#include "core/solve/solution.h"

namespace dusky {

/// What was known of the set and came of it, as part of a stored solution, and back. Throws std::exception where it is damaged.
nlohmann::json encodeKnowledge(const SolvedKnowledge& knowledge);
SolvedKnowledge decodeKnowledge(const nlohmann::json& json);

}  // namespace dusky
