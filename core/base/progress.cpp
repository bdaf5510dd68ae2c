#include "core/base/progress.h"

namespace dusky {

Progress::Progress(Listener listener, std::stop_token stop)
    : listener_(std::make_shared<const Listener>(std::move(listener))), stop_(std::move(stop)), start_(std::chrono::steady_clock::now()) {}

void Progress::report(double fraction, std::string what) const {
  if (!listener_ || !*listener_) return;
  ProgressState state;
  state.fraction = from_ + (to_ - from_) * fraction;
  state.what = std::move(what);
  const double elapsed = std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
  if (state.fraction >= 0.05) state.seconds_left = elapsed * (1.0 - state.fraction) / state.fraction;
  (*listener_)(state);
}

Progress Progress::silent() const {
  Progress inner = *this;
  inner.listener_ = nullptr;
  return inner;
}

Progress Progress::part(double from, double to) const {
  Progress inner = *this;
  inner.from_ = from_ + (to_ - from_) * from;
  inner.to_ = from_ + (to_ - from_) * to;
  return inner;
}

}  // namespace dusky
