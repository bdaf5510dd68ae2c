#pragma once
#ifdef __AVX2__
#include <immintrin.h>
#endif
#include <cmath>
#include <cstdint>
#include <cstring>

namespace dusky {

/// Eight numbers that are worked on at once.
using Lanes = float __attribute__((vector_size(32)));
using LaneInts = std::int32_t __attribute__((vector_size(32)));
/// The same at any address.
using LooseLanes = float __attribute__((vector_size(32), aligned(4), may_alias));

inline constexpr int kLanes = 8;

inline Lanes lanesAt(const float* from) { return *reinterpret_cast<const LooseLanes*>(from); }
inline void putLanes(const Lanes& values, float* to) { *reinterpret_cast<LooseLanes*>(to) = values; }
inline Lanes allLanes(float value) { return Lanes{} + value; }
inline Lanes lanesOf(const LaneInts& values) { return __builtin_convertvector(values, Lanes); }
/// 1 where a byte is not 0.
inline Lanes flagsAt(const std::uint8_t* from) {
  using Bytes = std::uint8_t __attribute__((vector_size(8)));
  Bytes bytes;
  std::memcpy(&bytes, from, sizeof(bytes));
  return lanesOf((__builtin_convertvector(bytes, LaneInts) != 0) & 1);
}
/// Towards zero.
inline LaneInts wholeOf(const Lanes& values) { return __builtin_convertvector(values, LaneInts); }

inline Lanes larger(const Lanes& a, const Lanes& b) { return a > b ? a : b; }
inline Lanes smaller(const Lanes& a, const Lanes& b) { return a < b ? a : b; }

/// Loads one by one: on many processors the instruction that gathers them waits for everything before it.
inline LaneInts gathered(const std::uint32_t* from, const LaneInts& at) {
  const auto load = [&](int lane) { return static_cast<std::int32_t>(from[at[lane]]); };
  return LaneInts{load(0), load(1), load(2), load(3), load(4), load(5), load(6), load(7)};
}

/// Four numbers that are worked on at once.
using Four = float __attribute__((vector_size(16)));
using FourInts = std::int32_t __attribute__((vector_size(16)));

inline Four allFour(float value) { return Four{} + value; }
inline Four sizeOf(const Four& values) { return values < 0 ? -values : values; }
inline Four rootOf(const Four& values) {
#ifdef __AVX2__
  return reinterpret_cast<Four>(_mm_sqrt_ps(reinterpret_cast<__m128>(values)));
#else
  return Four{std::sqrt(values[0]), std::sqrt(values[1]), std::sqrt(values[2]), std::sqrt(values[3])};
#endif
}

/// Products of whole numbers from 0 to 32767.
inline LaneInts smallProducts(const LaneInts& a, const LaneInts& b) {
#ifdef __AVX2__
  return reinterpret_cast<LaneInts>(_mm256_madd_epi16(reinterpret_cast<__m256i>(a), reinterpret_cast<__m256i>(b)));
#else
  return a * b;
#endif
}

/// The sums of four of them.
inline Four sumsOf(const Lanes& a, const Lanes& b, const Lanes& c, const Lanes& d) {
  const Lanes ab = __builtin_shufflevector(a, b, 0, 2, 8, 10, 4, 6, 12, 14) + __builtin_shufflevector(a, b, 1, 3, 9, 11, 5, 7, 13, 15);
  const Lanes cd = __builtin_shufflevector(c, d, 0, 2, 8, 10, 4, 6, 12, 14) + __builtin_shufflevector(c, d, 1, 3, 9, 11, 5, 7, 13, 15);
  const Lanes all = __builtin_shufflevector(ab, cd, 0, 2, 8, 10, 4, 6, 12, 14) + __builtin_shufflevector(ab, cd, 1, 3, 9, 11, 5, 7, 13, 15);
  return Four{all[0], all[1], all[2], all[3]} + Four{all[4], all[5], all[6], all[7]};
}
inline float sumOf(const Lanes& v) { return sumsOf(v, v, v, v)[0]; }

}  // namespace dusky
