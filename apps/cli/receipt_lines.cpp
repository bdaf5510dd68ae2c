#include "apps/cli/receipt_lines.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "apps/cli/cli.h"

namespace dusky::cli {

void printFiles(const std::vector<DeliveredFile>& files) {
  std::vector<std::string> names;
  for (const DeliveredFile& file : files) names.push_back(file.path.string());
  fmt::print("files    {}\n", fmt::join(names, "\n         "));
}

void printReceipt(const Receipt& receipt) {
  const auto passed = std::count_if(receipt.checks.begin(), receipt.checks.end(), [](const ReceiptCheck& check) { return check.passed; });
  fmt::print("receipt  {} of {} checks passed", passed, receipt.checks.size());
  if (!std::isnan(receipt.drift_rms_px)) fmt::print("; drift {:.3f} px RMS, {:.2f} px at most", receipt.drift_rms_px, receipt.drift_max_px);
  fmt::print("\n");
  for (const ReceiptCheck& check : receipt.checks) {
    if (!check.passed) fmt::print("         {}: {}\n", check.file, check.sentence);
  }
  for (const std::string& note : receipt.notes) fmt::print("note     {}\n", note);
}

int exitCodeOf(const Delivered& delivered, int code) {
  if (!delivered.receipt || delivered.receipt->passed()) return code;
  fmt::print(errors(), "moth: the receipt failed. {}\n", delivered.receipt->failure());
  return kReceiptFailed;
}

}  // namespace dusky::cli
