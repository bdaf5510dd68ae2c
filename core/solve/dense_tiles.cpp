#include "core/solve/dense_tiles.h"

namespace dusky {
namespace {

using Four = double __attribute__((vector_size(32), aligned(8), may_alias));

constexpr int kRows = 8, kColumns = 4;

inline Four fourAt(const double* p) { return *reinterpret_cast<const Four*>(p); }
inline void subtractAt(double* p, const Four& v) { *reinterpret_cast<Four*>(p) -= v; }

/// Eight rows and four columns of c, held in registers.
inline void subtractPiece(double* __restrict c, const double* __restrict a, const double* __restrict b, int size, int depth) {
  Four upper[kColumns] = {}, lower[kColumns] = {};
#pragma GCC unroll 2
  for (int k = 0; k < depth; ++k, a += size, b += size) {
    const Four a0 = fourAt(a), a1 = fourAt(a + 4);
#pragma GCC unroll 4
    for (int j = 0; j < kColumns; ++j) {
      const Four v = {b[j], b[j], b[j], b[j]};
      upper[j] += a0 * v;
      lower[j] += a1 * v;
    }
  }
#pragma GCC unroll 4
  for (int j = 0; j < kColumns; ++j) {
    subtractAt(c + j * size, upper[j]);
    subtractAt(c + j * size + 4, lower[j]);
  }
}

}  // namespace

void subtractProduct(double* c, const double* a, const double* b, int size, int depth, bool lower) {
  for (int column = 0; column < size; column += kColumns) {
    for (int row = lower ? column / kRows * kRows : 0; row < size; row += kRows) subtractPiece(c + column * size + row, a + row, b + column, size, depth);
  }
}

}  // namespace dusky
