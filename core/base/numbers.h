#pragma once
#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

namespace dusky {

/// The middle value (the upper one of two); not a number when there is none.
inline double median(std::vector<double> values) {
  if (values.empty()) return std::numeric_limits<double>::quiet_NaN();
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

/// The nearest of 1, 2 or 5 times a power of ten; value > 0.
inline double roundTo125(double value) {
  const double power = std::pow(10, std::floor(std::log10(value))), digit = value / power;
  return power * (digit < 1.5 ? 1 : digit < 3.5 ? 2 : digit < 7.5 ? 5 : 10);
}

/// As many decimals as tell steps of this size apart, 9 at most.
inline int decimalsFor(double step) { return step > 0 ? std::clamp(static_cast<int>(-std::floor(std::log10(step) + 1e-9)), 0, 9) : 0; }

}  // namespace dusky
