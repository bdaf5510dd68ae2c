#pragma once
#include <oneapi/tbb/blocked_range.h>
#include <oneapi/tbb/parallel_for.h>

namespace dusky {

/// Calls body(i) for i in 0 .. count - 1 on the available threads. Each call must write to its own place only;
/// then the result does not depend on the thread count.
template <class Body>
void parallelFor(int count, const Body& body, int grain = 1) {
  tbb::parallel_for(tbb::blocked_range<int>(0, count, grain), [&](const tbb::blocked_range<int>& range) {
    for (int i = range.begin(); i != range.end(); ++i) body(i);
  });
}

}  // namespace dusky
