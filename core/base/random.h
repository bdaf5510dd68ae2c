#pragma once
#include <cmath>
#include <cstdint>
#include <random>

namespace dusky {

/// Seeded random numbers, the same on every machine (the standard's distributions are not).
class Random {
 public:
  explicit Random(std::uint64_t seed) : engine_(seed) {}

  /// Even over 0 .. count - 1; count > 0.
  int index(int count) { return static_cast<int>(engine_() % static_cast<std::uint64_t>(count)); }
  /// Even over [0, 1).
  double uniform() { return static_cast<double>(engine_() >> 11) * 0x1.0p-53; }
  /// Even over [low, high).
  double between(double low, double high) { return low + (high - low) * uniform(); }
  /// Gauss, mean 0, sigma 1: Box and Muller, Ann. Math. Stat. 29, 1958.
  double normal();

 private:
  std::mt19937_64 engine_;
};

inline double Random::normal() {
  const double radius = std::sqrt(-2.0 * std::log(1.0 - uniform()));
  return radius * std::cos(6.283185307179586 * uniform());
}

}  // namespace dusky
