#pragma once
#include "core/deliver/receipt_scene.h"

namespace dusky {

/// Dense points and meshes that were delivered: whole, right side up, and where tracks have their points: of those that lie near the cleaned-up points at all.
std::vector<ReceiptCheck> checkDenseFiles(const ReceiptTruth& truth, const DeliveryChoices& choices, const std::filesystem::path& folder, double world_scale,
                                          char up);

}  // namespace dusky
