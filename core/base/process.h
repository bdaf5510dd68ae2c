#pragma once

namespace dusky {

/// The largest resident memory of this process so far, MB (10^6 bytes).
double peakResidentMb();

}  // namespace dusky
