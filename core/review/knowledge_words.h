#pragma once
#include <string>

#include "core/knowledge/statements.h"
#include "core/solve/solution.h"

namespace dusky {

/// What a solve says of a statement, a line each; empty where it was not made with it. `unit`: of the scene.
std::string foundInWords(const SolvedKnowledge& solved, const Knowledge& knowledge, StatementRef ref, std::string_view unit);

}  // namespace dusky
