#pragma once
#include "core/adjust/factors.h"

namespace dusky {

/// Visits what a bundle believes of the set and of the camera's path (Bundle::set), as it stands.
void forEachSetFactor(const Bundle& bundle, const std::function<void(const FactorRow&)>& visit);

}  // namespace dusky
