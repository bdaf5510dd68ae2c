#pragma once
#include "core/deliver/receipt_scene.h"

namespace dusky {

/// Plates: that all are there and of the size that cameras fit; that each shows its own frame of the footage, where the lens says, and not that before or
/// after. `fitted`: the size that delivered cameras say they fit, 0: none was delivered. Errors: what reading the footage says; Cancelled.
Result<std::vector<ReceiptCheck>> checkPlates(const DeliveryInput& input, const DeliveryChoices& choices, const ReceiptTruth& truth,
                                              const std::filesystem::path& folder, std::pair<int, int> fitted, const Progress& progress);
/// ST maps, both ways: where the lens says, and one after the other back to where it was.
std::vector<ReceiptCheck> checkStMaps(const DeliveryInput& input, const DeliveryChoices& choices, const ReceiptTruth& truth,
                                      const std::filesystem::path& folder);
/// A splat set: pictures there and of their size, matrices and points against the tracks in the resampled pictures, training and testing apart; and its
/// readiness, as notes of the receipt.
std::vector<ReceiptCheck> checkSplatSet(const DeliveryInput& input, const DeliveryChoices& choices, const ReceiptTruth& truth,
                                        const std::filesystem::path& folder, Receipt& receipt);
/// Points where a delivered camera sees them on the undistorted picture of one frame, in the colours of errors. Errors: what reading the footage says;
/// Cancelled.
Result<Picture> drawReceipt(const DeliveryInput& input, const DeliveryChoices& choices, const ReceiptTruth& truth, const ReadScene& scene, int frame,
                            const Progress& progress);
/// A movie: that it can be read, its size, rate and number of frames.
std::vector<ReceiptCheck> checkMovie(const ReceiptTruth& truth, const std::filesystem::path& path, int frames);

}  // namespace dusky
