#include "core/adjust/envelope_matrix.h"

#include <gtest/gtest.h>

#include <Eigen/LU>

#include "core/base/random.h"

namespace dusky::testing {

/// A positive matrix of 6 x 6 blocks with the given first blocks, dense beside in the envelope.
struct Made {
  EnvelopeMatrix envelope;
  Eigen::MatrixXd dense;
};

Made make(const std::vector<int>& first, int block) {
  Made made{EnvelopeMatrix(first, block), {}};
  made.envelope.clear();
  const int rows = made.envelope.rows();
  made.dense = Eigen::MatrixXd::Identity(rows, rows);
  Random random(4);
  for (int i = 0; i < static_cast<int>(first.size()); ++i) {
    for (int j = first[i]; j <= i; ++j) {
      Eigen::MatrixXd b(block, block);
      for (double& v : b.reshaped()) v = random.normal();
      if (i == j) b = (b + b.transpose()).eval() + Eigen::MatrixXd::Identity(block, block) * 60.0 * static_cast<double>(first.size());
      made.envelope.block(i, j) += b;
      made.dense.block(block * i, block * j, block, block) = b;
      made.dense.block(block * j, block * i, block, block) = b.transpose();
    }
  }
  return made;
}

std::vector<int> banded(int count, int reach) {
  std::vector<int> first;
  for (int i = 0; i < count; ++i) first.push_back(std::max(0, i - reach));
  return first;
}

/// A band, one full, one whose last rows reach back to the beginning, and block rows that do not fill the last tile.
std::vector<std::vector<int>> shapes() {
  std::vector<int> closed = banded(45, 7);
  for (int i = 38; i < 45; ++i) closed[i] = 2;
  return {banded(40, 9), banded(13, 13), closed, banded(3, 1)};
}

TEST(EnvelopeMatrix, SolvesAsADenseFactorDoes) {
  for (const int block : {6, 7}) {
    for (const auto& first : shapes()) {
      Made made = make(first, block);
      ASSERT_TRUE(made.envelope.factorise());
      Eigen::MatrixXd b = Eigen::MatrixXd::Random(made.envelope.rows(), 3), x = b;
      made.envelope.solveLower(x);
      made.envelope.solveUpper(x);
      EXPECT_LT((made.dense * x - b).norm(), 1e-10 * b.norm()) << first.size();
    }
  }
}

TEST(EnvelopeMatrix, TheInverseWithinTheEnvelopeIsTheInverse) {
  for (const auto& first : shapes()) {
    Made made = make(first, 6);
    const Eigen::MatrixXd inverse = made.dense.inverse();
    ASSERT_TRUE(made.envelope.factorise());
    made.envelope.invert();
    for (int i = 0; i < static_cast<int>(first.size()); ++i) {
      for (int j = first[i]; j <= i; ++j) {
        for (int k = 0; k < 6; ++k) EXPECT_NEAR(made.envelope.entry(6 * i + k, 6 * j + (k + 1) % 6), inverse(6 * i + k, 6 * j + (k + 1) % 6), 1e-9);
      }
    }
  }
}

TEST(EnvelopeMatrix, SaysWhenItIsNotPositive) {
  Made made = make(banded(12, 4), 6);
  made.envelope.block(9, 9).diagonal().array() -= 1e6;
  EXPECT_FALSE(made.envelope.factorise());
}

TEST(EnvelopeMatrix, KeepsOnlyTheEnvelope) { EXPECT_LT(EnvelopeMatrix(banded(800, 16), 6).bytes(), 20e6) << "4800 rows squared would be 184 MB"; }

}  // namespace dusky::testing
