#pragma once
#include <nlohmann/json.hpp>

#include "core/project/document.h"

namespace dusky {

// How delivery settings are kept with a project. Reading throws what the JSON library does; what is missing is as by default; settings of earlier versions too.
nlohmann::json deliveryToJson(const DeliverySettings& settings);
DeliverySettings deliveryFrom(const nlohmann::json& json);

}  // namespace dusky
