// The dense products under the normal equations, against Eigen's.
#include <gtest/gtest.h>

#include <Eigen/Dense>

#include "core/base/random.h"
#include "core/adjust/dense_tiles.h"

namespace dusky::testing {

Eigen::MatrixXd anyMatrix(int rows, int columns, std::uint64_t seed) {
  Random random(seed);
  Eigen::MatrixXd m(rows, columns);
  for (int i = 0; i < rows; ++i) {
    for (int j = 0; j < columns; ++j) m(i, j) = random.normal();
  }
  return m;
}

TEST(DenseTiles, SubtractingAProductIsWhatItSays) {
  for (const int size : {8, 24, 48, 56}) {
    for (const int depth : {1, 3, 96}) {
      const Eigen::MatrixXd a = anyMatrix(size, depth, 1), b = anyMatrix(size, depth, 2), before = anyMatrix(size, size, 3);
      Eigen::MatrixXd c = before;
      subtractProduct(c.data(), a.data(), b.data(), size, depth, false);
      EXPECT_LT((c - (before - a * b.transpose())).cwiseAbs().maxCoeff(), 1e-12) << size << " x " << depth;
    }
  }
}

TEST(DenseTiles, OnlyTheLowerPartIsPromisedWhereOnlyThatIsAsked) {
  for (const int size : {8, 48, 56}) {
    const Eigen::MatrixXd a = anyMatrix(size, 40, 4), before = anyMatrix(size, size, 5);
    Eigen::MatrixXd c = before;
    subtractProduct(c.data(), a.data(), a.data(), size, 40, true);
    const Eigen::MatrixXd wanted = before - a * a.transpose();
    EXPECT_LT(Eigen::MatrixXd((c - wanted).triangularView<Eigen::Lower>()).cwiseAbs().maxCoeff(), 1e-12) << size;
  }
}

TEST(DenseTiles, OuterProductsOfEveryWidthAddUp) {
  using Rows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
  for (const int fours : {2, 3, 4, 5, 6}) {
    const int n = 4 * fours;
    Rows sum = Rows::Zero(n, n);
    Eigen::MatrixXd wanted = Eigen::MatrixXd::Zero(n, n);
    for (std::uint64_t seed = 1; seed < 6; ++seed) {
      const Eigen::VectorXd a = anyMatrix(n, 1, seed), b = anyMatrix(n, 1, seed + 50);
      addOuterProducts(sum.data(), a.data(), b.data(), fours);
      wanted += a * a.transpose() + b * b.transpose();
    }
    EXPECT_LT(Eigen::MatrixXd((Eigen::MatrixXd(sum) - wanted).triangularView<Eigen::Upper>()).cwiseAbs().maxCoeff(), 1e-12) << fours;
  }
}

}  // namespace dusky::testing
