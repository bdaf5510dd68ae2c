#pragma once
#include <oneapi/tbb/blocked_range.h>
#include <oneapi/tbb/parallel_for.h>

namespace dusky {

/// Compiled once for each body: inlined into the several loops that the library makes of it, the same sum was rounded one way in one and another way in the
/// next, and which of them a range met depended on the threads.
template <class Body>
[[gnu::noinline]] void callInOrder(const Body& body, int begin, int end) {
  for (int i = begin; i != end; ++i) body(i);
}

/// Calls body(i) for i in 0 .. count - 1 on the available threads. Each call must write to its own place only;
/// then the result does not depend on the thread count.
template <class Body>
void parallelFor(int count, const Body& body, int grain = 1) {
  tbb::parallel_for(tbb::blocked_range<int>(0, count, grain), [&](const tbb::blocked_range<int>& range) { callInOrder(body, range.begin(), range.end()); });
}

}  // namespace dusky
