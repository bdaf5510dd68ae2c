#include "core/adjust/dense_tiles.h"

namespace dusky {
namespace {

using Four = double __attribute__((vector_size(32), aligned(8), may_alias));
using Eight = double __attribute__((vector_size(64), aligned(8), may_alias));

constexpr int kColumns = 4;

inline Four fourAt(const double* p) { return *reinterpret_cast<const Four*>(p); }

/// Two vectors of rows and four columns of c, held in registers.
template <class Vector>
__attribute__((always_inline)) inline void subtractPiece(double* __restrict c, const double* __restrict a, const double* __restrict b, int size, int depth) {
  constexpr int kWidth = sizeof(Vector) / sizeof(double);
  Vector upper[kColumns] = {}, lower[kColumns] = {};
#pragma GCC unroll 2
  for (int k = 0; k < depth; ++k, a += size, b += size) {
    const Vector a0 = *reinterpret_cast<const Vector*>(a), a1 = *reinterpret_cast<const Vector*>(a + kWidth);
#pragma GCC unroll 4
    for (int j = 0; j < kColumns; ++j) {
      upper[j] += a0 * b[j];
      lower[j] += a1 * b[j];
    }
  }
#pragma GCC unroll 4
  for (int j = 0; j < kColumns; ++j) {
    *reinterpret_cast<Vector*>(c + j * size) -= upper[j];
    *reinterpret_cast<Vector*>(c + j * size + kWidth) -= lower[j];
  }
}

template <class Vector>
__attribute__((always_inline)) inline void subtractAll(double* c, const double* a, const double* b, int size, int depth, bool lower) {
  constexpr int kRows = 2 * sizeof(Vector) / sizeof(double);
  for (int column = 0; column < size; column += kColumns) {
    int row = lower ? column / kRows * kRows : 0;
    for (; row + kRows <= size; row += kRows) subtractPiece<Vector>(c + column * size + row, a + row, b + column, size, depth);
    for (; row < size; row += 8) subtractPiece<Four>(c + column * size + row, a + row, b + column, size, depth);
  }
}

__attribute__((target("avx512f"))) void subtractWide(double* c, const double* a, const double* b, int size, int depth, bool lower) {
  subtractAll<Eight>(c, a, b, size, depth, lower);
}

template <int kFours>
inline void addOuters(double* __restrict sum, const double* __restrict a, const double* __restrict b) {
  for (int row = 0; row < 4 * kFours; ++row) {
    const Four va = {a[row], a[row], a[row], a[row]}, vb = {b[row], b[row], b[row], b[row]};
    for (int four = row / 4; four < kFours; ++four) {
      double* at = sum + 4 * (row * kFours + four);
      *reinterpret_cast<Four*>(at) += va * fourAt(a + 4 * four) + vb * fourAt(b + 4 * four);
    }
  }
}

}  // namespace

void addOuterProducts(double* sum, const double* a, const double* b, int fours) {
  switch (fours) {
    case 2: return addOuters<2>(sum, a, b);
    case 3: return addOuters<3>(sum, a, b);
    case 4: return addOuters<4>(sum, a, b);
    case 5: return addOuters<5>(sum, a, b);
    case 6: return addOuters<6>(sum, a, b);
    default: return addOuters<7>(sum, a, b);
  }
}

void subtractProduct(double* c, const double* a, const double* b, int size, int depth, bool lower) {
  static const bool wide = __builtin_cpu_supports("avx512f") > 0;
  if (wide)
    subtractWide(c, a, b, size, depth, lower);
  else
    subtractAll<Four>(c, a, b, size, depth, lower);
}

}  // namespace dusky
