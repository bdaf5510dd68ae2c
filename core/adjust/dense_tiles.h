#pragma once

namespace dusky {

/// c -= a b^T for column-major tiles: c is size x size, a and b are size x depth; size a multiple of 8. `lower`: only on and below the
/// diagonal is needed (some of what lies above changes too). Written for registers of four doubles, without the copying that a general
/// product does first: this is where a solve spends its time.
void subtractProduct(double* c, const double* a, const double* b, int size, int depth, bool lower);

/// Adds a a^T + b b^T to a square sum of 4 `fours` rows, row by row; the part left of the diagonal's blocks of four is not written.
/// a, b: 4 `fours` numbers.
void addOuterProducts(double* sum, const double* a, const double* b, int fours);
}  // namespace dusky
