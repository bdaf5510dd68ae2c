#include "core/image/resample.h"

#include <immintrin.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/base/parallel.h"

namespace dusky {
namespace {

constexpr int kPad = 3;        // px that a filter reaches beyond the edge
constexpr int kPhases = 4096;  // places between two pixels that have weights of their own

double cubic(double x) {
  x = std::abs(x);
  if (x < 1) return (1.5 * x - 2.5) * x * x + 1;
  return x < 2 ? ((-0.5 * x + 2.5) * x - 4) * x + 2 : 0;
}

double lanczos(double x) {
  constexpr double kReach = 3;
  const double p = M_PI * std::abs(x);
  if (p < 1e-9) return 1;
  return p < kReach * M_PI ? kReach * std::sin(p) * std::sin(p / kReach) / (p * p) : 0;
}

double weightAt(ResampleFilter filter, double x) {
  switch (filter) {
    case ResampleFilter::Linear: return std::max(0.0, 1 - std::abs(x));
    case ResampleFilter::Cubic: return cubic(x);
    case ResampleFilter::Lanczos: break;
  }
  return lanczos(x);
}

/// Weights of `Taps` pixels in a row, by where between the two in the middle the place is; sum 1.
template <int Taps>
std::vector<float> weightTable(ResampleFilter filter) {
  std::vector<float> table(static_cast<std::size_t>(kPhases + 1) * Taps);
  for (int phase = 0; phase <= kPhases; ++phase) {
    double sum = 0;
    std::array<double, Taps> weights{};
    for (int k = 0; k < Taps; ++k) sum += weights[k] = weightAt(filter, k - (Taps / 2 - 1) - static_cast<double>(phase) / kPhases);
    for (int k = 0; k < Taps; ++k) table[static_cast<std::size_t>(phase) * Taps + k] = static_cast<float>(weights[k] / sum);
  }
  return table;
}

template <int Taps>
FloatPicture through(const Plane<std::array<float, 4>>& padded, float width, float height, const SourceMap& map, ResampleFilter filter) {
  static const std::array<std::vector<float>, 3> tables = {weightTable<Taps>(ResampleFilter::Linear), weightTable<Taps>(ResampleFilter::Cubic),
                                                           weightTable<Taps>(ResampleFilter::Lanczos)};
  const float* table = tables[static_cast<std::size_t>(filter)].data();
  FloatPicture out = FloatPicture::unset(map.width, map.height);
  parallelFor(map.height, [&](int y) {
    const auto* from = map.row(y);
    auto* to = out.row(y);
    for (int x = 0; x < map.width; ++x) {
      const auto [u, v] = from[x];
      to[x] = {};
      if (!(u >= 0 && v >= 0 && u <= width && v <= height)) continue;
      const float left = std::floor(u - 0.5f), top = std::floor(v - 0.5f);
      const float* across = table + static_cast<std::ptrdiff_t>((u - 0.5f - left) * kPhases + 0.5f) * Taps;
      const float* down = table + static_cast<std::ptrdiff_t>((v - 0.5f - top) * kPhases + 0.5f) * Taps;
      const int first = static_cast<int>(left) + kPad - (Taps / 2 - 1), line = static_cast<int>(top) + kPad - (Taps / 2 - 1);
      __m128 sum = _mm_setzero_ps();
      for (int j = 0; j < Taps; ++j) {
        const float* row = padded.row(line + j)[first].data();
        __m128 part = _mm_setzero_ps();
        for (int i = 0; i < Taps; ++i) part = _mm_fmadd_ps(_mm_set1_ps(across[i]), _mm_loadu_ps(row + static_cast<std::ptrdiff_t>(4) * i), part);
        sum = _mm_fmadd_ps(_mm_set1_ps(down[j]), part, sum);
      }
      alignas(16) float values[4];
      _mm_store_ps(values, sum);
      to[x] = {values[0], values[1], values[2]};
    }
  });
  return out;
}

}  // namespace

ResampleSource::ResampleSource(const FloatPicture& picture)
    : width_(static_cast<float>(picture.width)),
      height_(static_cast<float>(picture.height)),
      padded_(Plane<Pixel>::unset(picture.width + 2 * kPad + 1, picture.height + 2 * kPad + 1)) {
  parallelFor(padded_.height, [&](int y) {
    const auto* from = picture.row(std::clamp(y - kPad, 0, picture.height - 1));
    Pixel* to = padded_.row(y);
    for (int x = 0; x < padded_.width; ++x) {
      const auto& c = from[std::clamp(x - kPad, 0, picture.width - 1)];
      to[x] = {c[0], c[1], c[2], 0};
    }
  });
}

FloatPicture ResampleSource::resampled(const SourceMap& map, ResampleFilter filter) const {
  switch (filter) {
    case ResampleFilter::Linear: return through<2>(padded_, width_, height_, map, filter);
    case ResampleFilter::Cubic: return through<4>(padded_, width_, height_, map, filter);
    case ResampleFilter::Lanczos: break;
  }
  return through<6>(padded_, width_, height_, map, filter);
}

FloatPicture reducedBy(const FloatPicture& picture, int times) {
  if (times <= 1) return picture;
  FloatPicture out(picture.width / times, picture.height / times);
  const float share = 1.0f / static_cast<float>(times * times);
  for (int y = 0; y < out.height * times; ++y) {
    const auto* from = picture.row(y);
    auto* to = out.row(y / times);
    for (int x = 0; x < out.width * times; ++x) {
      for (std::size_t c = 0; c < 3; ++c) to[x / times][c] += share * from[x][c];
    }
  }
  return out;
}

}  // namespace dusky
