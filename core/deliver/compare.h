#pragma once
#include <string>

#include "core/base/progress.h"
#include "core/deliver/shot_record.h"

namespace dusky {

/// How far a solve is from the truth. Lengths in the truth's units.
struct Comparison {
  int frames_solved = 0, frames_true = 0;
  double centre_rms = kUnknown, centre_max = kUnknown;  ///< Camera centres, after the best similarity.
  double path_length = kUnknown;                        ///< Of the true path, to measure them by.
  double rotation_rms_deg = kUnknown, rotation_max_deg = kUnknown;
  double focal_error_share = kUnknown;                    ///< Largest |solved / true - 1| over the frames.
  double lens_rms_px = kUnknown, lens_max_px = kUnknown;  ///< The same ray through both lenses, over the whole picture.
  double slip_rms_px = kUnknown,
         slip_p95_px = kUnknown;     ///< Insert slip: true static points carried into the solved world, where they land against where they are.
  double slip_jitter_px = kUnknown;  ///< RMS change of a point's slip from one frame to the next.
  int slip_samples = 0;

  std::string text() const;  ///< A few lines for people.
  std::string json() const;
};

/// Compares a report with the truth of its shot. The similarity between the worlds comes from the camera paths and is then refined to
/// the least insert slip, as an artist would line up a set.
/// Errors: InvalidInput: no common frames, other picture sizes, a truth without points.
Result<Comparison> compareShots(const ShotRecord& solved, const ShotRecord& truth);

}  // namespace dusky
