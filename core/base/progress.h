#pragma once
#include <chrono>
#include <functional>
#include <limits>
#include <memory>
#include <stop_token>
#include <string>

#include "core/base/result.h"

namespace dusky {

/// A number that was never measured. Compares false with everything; JSON writes it as null.
inline constexpr double kUnknown = std::numeric_limits<double>::quiet_NaN();

/// Why an iteration ended. NotRun is what a summary says before anything happened.
enum class Termination { NotRun, Settled, StepLimit, Cancelled };

/// What a listener hears.
struct ProgressState {
  double fraction = 0.0;           ///< 0 to 1.
  std::string what;                ///< "tracking frame 31 of 120".
  double seconds_left = kUnknown;  ///< Unknown until a twentieth is done.
};

/// Carries progress out of long work and the wish to stop into it. Copies share one listener and one clock.
/// A default Progress is silent and never stops. Calls come from one thread at a time.
class Progress {
 public:
  using Listener = std::function<void(const ProgressState&)>;

  Progress() = default;
  Progress(Listener listener, std::stop_token stop);

  /// Says how far this (part of the) work is; fraction 0 to 1.
  void report(double fraction, std::string what) const;
  bool stopRequested() const { return stop_.stop_requested(); }
  /// Nobody hears it, and it stops when this one does: for one of several pieces of work side by side.
  Progress silent() const;
  /// A Progress whose 0..1 is from..to of this one.
  Progress part(double from, double to) const;

 private:
  std::shared_ptr<const Listener> listener_;
  std::stop_token stop_;
  std::chrono::steady_clock::time_point start_{};
  double from_ = 0.0, to_ = 1.0;
};

/// Seconds since the object was made.
class Stopwatch {
 public:
  double seconds() const { return std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count(); }

 private:
  std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

}  // namespace dusky
