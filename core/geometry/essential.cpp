#include "core/geometry/essential.h"

#include <Eigen/Dense>

namespace dusky {
namespace {

// Polynomials in x, y, z up to degree 3. Monomials in the order of elimination: the ten cubic ones first, then the ten
// that span the quotient ring.
enum Monomial { xxx, xxy, xyy, yyy, xxz, xyz, yyz, xzz, yzz, zzz, xx, xy, yy, xz, yz, zz, x1, y1, z1, one, MonomialCount };

using Cubic = Eigen::Matrix<double, 1, MonomialCount>;

constexpr std::array<std::array<int, 3>, MonomialCount> kPowers = {{{3, 0, 0}, {2, 1, 0}, {1, 2, 0}, {0, 3, 0}, {2, 0, 1}, {1, 1, 1}, {0, 2, 1},
                                                                    {1, 0, 2}, {0, 1, 2}, {0, 0, 3}, {2, 0, 0}, {1, 1, 0}, {0, 2, 0}, {1, 0, 1},
                                                                    {0, 1, 1}, {0, 0, 2}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {0, 0, 0}}};

constexpr int findMonomial(int px, int py, int pz) {
  for (int m = 0; m < MonomialCount; ++m) {
    if (kPowers[m][0] == px && kPowers[m][1] == py && kPowers[m][2] == pz) return m;
  }
  return -1;
}

constexpr auto makeProductTable() {
  std::array<std::array<int, MonomialCount>, MonomialCount> table{};
  for (int a = 0; a < MonomialCount; ++a) {
    for (int b = 0; b < MonomialCount; ++b)
      table[a][b] = findMonomial(kPowers[a][0] + kPowers[b][0], kPowers[a][1] + kPowers[b][1], kPowers[a][2] + kPowers[b][2]);
  }
  return table;
}
constexpr auto kProduct = makeProductTable();

/// Product of a polynomial of degree `degree_a` (1 or 2) and one of degree 1.
Cubic timesLinear(const Cubic& a, const Cubic& linear) {
  Cubic out = Cubic::Zero();
  for (int i = xx; i < MonomialCount; ++i) {
    if (a[i] == 0) continue;
    for (int j = x1; j < MonomialCount; ++j) out[kProduct[i][j]] += a[i] * linear[j];
  }
  return out;
}

using Entries = std::array<std::array<Cubic, 3>, 3>;

Eigen::Matrix<double, 10, MonomialCount> constraints(const Entries& e) {
  Eigen::Matrix<double, 10, MonomialCount> rows;
  const auto minor = [&](int r0, int c0, int r1, int c1) { return Cubic(timesLinear(e[r0][c0], e[r1][c1]) - timesLinear(e[r0][c1], e[r1][c0])); };
  rows.row(0) = timesLinear(minor(0, 1, 1, 2), e[2][0]) + timesLinear(Cubic(-minor(0, 0, 1, 2)), e[2][1]) + timesLinear(minor(0, 0, 1, 1), e[2][2]);
  // 2 E E^T E - trace(E E^T) E = 0.
  Entries eet;
  for (int i = 0; i < 3; ++i) {
    for (int j = 0; j < 3; ++j) {
      eet[i][j] = Cubic::Zero();
      for (int k = 0; k < 3; ++k) eet[i][j] += timesLinear(e[i][k], e[j][k]);
    }
  }
  const Cubic half_trace = 0.5 * (eet[0][0] + eet[1][1] + eet[2][2]);
  for (int i = 0; i < 3; ++i) eet[i][i] -= half_trace;
  for (int i = 0; i < 3; ++i) {
    for (int j = 0; j < 3; ++j) {
      Cubic row = Cubic::Zero();
      for (int k = 0; k < 3; ++k) row += timesLinear(eet[i][k], e[k][j]);
      rows.row(1 + 3 * i + j) = row;
    }
  }
  return rows;
}

/// The matrix of multiplication by x on the ten lower monomials.
Eigen::Matrix<double, 10, 10> actionMatrix(const Eigen::Matrix<double, 10, 10>& reduced) {
  Eigen::Matrix<double, 10, 10> action = Eigen::Matrix<double, 10, 10>::Zero();
  for (int m = xx; m < MonomialCount; ++m) {
    const int product = kProduct[m][x1];
    if (product < xx)
      action.row(m - xx) = -reduced.row(product);
    else
      action(m - xx, product - xx) = 1.0;
  }
  return action;
}

}  // namespace

std::vector<Mat3> essentialFromFive(const std::array<Vec3, 5>& a, const std::array<Vec3, 5>& b) {
  Eigen::Matrix<double, 9, 9> rows = Eigen::Matrix<double, 9, 9>::Zero();
  for (int i = 0; i < 5; ++i) {
    for (int r = 0; r < 3; ++r) {
      for (int c = 0; c < 3; ++c) rows(i, 3 * r + c) = b[i][r] * a[i][c];
    }
  }
  const Eigen::HouseholderQR<Eigen::Matrix<double, 9, 9>> qr(rows.transpose());
  const Eigen::Matrix<double, 9, 9> q = qr.householderQ();
  const Eigen::Matrix<double, 9, 4> null_space = q.rightCols<4>();

  Entries entries;
  for (int r = 0; r < 3; ++r) {
    for (int c = 0; c < 3; ++c) {
      entries[r][c] = Cubic::Zero();
      for (int k = 0; k < 4; ++k) entries[r][c][x1 + k] = null_space(3 * r + c, k);
    }
  }
  const Eigen::Matrix<double, 10, MonomialCount> system = constraints(entries);
  const Eigen::PartialPivLU<Eigen::Matrix<double, 10, 10>> lu(system.leftCols<10>());
  if (!(lu.rcond() > 1e-14)) return {};
  const Eigen::Matrix<double, 10, 10> reduced = lu.solve(system.rightCols<10>());
  const Eigen::EigenSolver<Eigen::Matrix<double, 10, 10>> eigen(actionMatrix(reduced));
  if (eigen.info() != Eigen::Success) return {};

  std::vector<Mat3> found;
  for (int i = 0; i < 10; ++i) {
    if (std::abs(eigen.eigenvalues()[i].imag()) > 1e-9 * (1 + std::abs(eigen.eigenvalues()[i].real()))) continue;
    const Eigen::Matrix<double, 10, 1> v = eigen.eigenvectors().col(i).real();
    const double w = v[one - xx];
    if (std::abs(w) < 1e-12) continue;
    const Eigen::Matrix<double, 9, 1> e = null_space * Eigen::Vector4d(v[x1 - xx] / w, v[y1 - xx] / w, v[z1 - xx] / w, 1.0);
    Mat3 essential;
    for (int k = 0; k < 9; ++k) essential(k / 3, k % 3) = e[k];
    found.push_back(essential / essential.norm());
  }
  return found;
}

std::array<RelativePose, 4> decomposeEssential(const Mat3& essential) {
  const Eigen::JacobiSVD<Mat3> svd(essential, Eigen::ComputeFullU | Eigen::ComputeFullV);
  Mat3 u = svd.matrixU(), v = svd.matrixV();
  if (u.determinant() < 0) u.col(2) *= -1;
  if (v.determinant() < 0) v.col(2) *= -1;
  Mat3 w;
  w << 0, -1, 0, 1, 0, 0, 0, 0, 1;
  const Mat3 r1 = u * w * v.transpose(), r2 = u * w.transpose() * v.transpose();
  const Vec3 t = u.col(2);
  return {RelativePose{r1, t}, RelativePose{r1, -t}, RelativePose{r2, t}, RelativePose{r2, -t}};
}

Mat3 crossMatrix(const Vec3& v) {
  Mat3 m;
  m << 0, -v.z(), v.y(), v.z(), 0, -v.x(), -v.y(), v.x(), 0;
  return m;
}

}  // namespace dusky
