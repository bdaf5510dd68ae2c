#pragma once
#include <nlohmann/json.hpp>

#include "core/project/document.h"

namespace dusky {

// How settings of dense points are kept with a project. Reading throws what the JSON library does; what is missing is as by default.
nlohmann::json denseToJson(const DenseSettings& settings);
DenseSettings denseFrom(const nlohmann::json& json);

}  // namespace dusky
