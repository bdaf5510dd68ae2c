#include "core/base/process.h"

#include <sys/resource.h>

namespace dusky {

double peakResidentMb() {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  return static_cast<double>(usage.ru_maxrss) * 1024.0 / 1e6;
}

}  // namespace dusky
