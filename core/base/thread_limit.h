#pragma once
#include <oneapi/tbb/global_control.h>

#include <cstddef>
#include <optional>

namespace dusky {

/// Limits the threads of this program while it lives; 0 is no limit.
class ThreadLimit {
 public:
  explicit ThreadLimit(int threads) {
    if (threads > 0) limit_.emplace(oneapi::tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(threads));
  }

 private:
  std::optional<oneapi::tbb::global_control> limit_;
};

/// How many threads this program may use now.
inline int threadsAllowed() { return static_cast<int>(oneapi::tbb::global_control::active_value(oneapi::tbb::global_control::max_allowed_parallelism)); }

}  // namespace dusky
