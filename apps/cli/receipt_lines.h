#pragma once
#include "core/deliver/delivery.h"

namespace dusky::cli {

void printFiles(const std::vector<DeliveredFile>& files);
/// What was checked, in a few lines; what failed in full.
void printReceipt(const Receipt& receipt);
/// kReceiptFailed, said on the error stream, where the receipt failed; else `code`.
int exitCodeOf(const Delivered& delivered, int code);

}  // namespace dusky::cli
