#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/image/plane.h"

namespace dusky {

struct DeliveryInput;
struct DeliveryChoices;

/// One thing that was looked at in what was written.
struct ReceiptCheck {
  std::string file;  ///< "camera.glb".
  std::string what;  ///< "drift", "frame offset", "up axis", "rate" ...
  bool passed = false;
  std::string sentence;                       ///< What was found, and what is wrong where it is.
  double value = kUnknown, limit = kUnknown;  ///< The figure behind it, where there is one.
  std::string unit;
};

/// What reading a delivery back found. Nothing of it is made with what wrote it.
struct Receipt {
  std::vector<ReceiptCheck> checks;
  std::vector<std::string> notes;  ///< What whoever gets the files should know: what is cut, what a rolling shutter costs.
  Picture picture;  ///< The middle frame's undistorted picture with the points where the delivered camera sees them, in the colours of errors; may be empty.
  int picture_frame = 0;
  double drift_rms_px = kUnknown, drift_max_px = kUnknown;  ///< Points through the delivered camera against the tracks, on the delivered plate; the worst file.

  bool passed() const;
  /// The first thing that failed, in a sentence; empty: nothing did.
  std::string failure() const;
  std::string json() const;
  std::string html(const std::string& shot) const;  ///< A page for people.
};

inline constexpr std::string_view kReceiptName = "receipt.json", kReceiptPage = "receipt.html", kReceiptPicture = "receipt.png";

/// Reads what was written in a folder and holds it against solve and tracks. Errors: Cancelled.
Result<Receipt> checkDelivery(const DeliveryInput& input, const DeliveryChoices& choices, const std::filesystem::path& folder, const Progress& progress);

}  // namespace dusky
