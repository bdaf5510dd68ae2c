#include "core/adjust/envelope_matrix.h"

#include <Eigen/Cholesky>

#include "core/base/parallel.h"
#include "core/adjust/dense_tiles.h"

namespace dusky {

EnvelopeMatrix::EnvelopeMatrix(const std::vector<int>& first, int block)
    : block_(block), tile_size_(block * kBlocksPerTile), blocks_(static_cast<int>(first.size())) {
  const int tiles = (blocks_ + kBlocksPerTile - 1) / kBlocksPerTile;
  first_tile_.resize(static_cast<std::size_t>(tiles));
  for (int t = 0; t < tiles; ++t) first_tile_[t] = t;
  for (int b = 0; b < blocks_; ++b) first_tile_[b / kBlocksPerTile] = std::min(first_tile_[b / kBlocksPerTile], first[b] / kBlocksPerTile);
  offset_.push_back(0);
  for (int t = 0; t < tiles; ++t) offset_.push_back(offset_.back() + static_cast<std::size_t>(t - first_tile_[t] + 1));
  below_.resize(static_cast<std::size_t>(tiles));
  for (int row = 0; row < tiles; ++row) {
    for (int column = first_tile_[row]; column < row; ++column) below_[column].push_back(row);
  }
  data_.resize(offset_.back() * area());
}

Eigen::Block<EnvelopeMatrix::Tile> EnvelopeMatrix::block(int row, int column) {
  Tile whole = tile(row / kBlocksPerTile, column / kBlocksPerTile);
  return Eigen::Block<Tile>(whole, block_ * (row % kBlocksPerTile), block_ * (column % kBlocksPerTile), block_, block_);
}

double EnvelopeMatrix::entry(Eigen::Index row, Eigen::Index column) const {
  if (column > row) std::swap(row, column);
  const int r = static_cast<int>(row) / tile_size_, c = static_cast<int>(column) / tile_size_;
  return within(r, c) ? tile(r, c)(row % tile_size_, column % tile_size_) : 0.0;
}

EnvelopeMatrix::Block EnvelopeMatrix::between(int row, int column) const {
  const int r = std::max(row, column), c = std::min(row, column);
  const int tile_row = r / kBlocksPerTile, tile_column = c / kBlocksPerTile;
  if (!within(tile_row, tile_column)) return Block::Zero(block_, block_);
  const Block found = tile(tile_row, tile_column).block(block_ * (r % kBlocksPerTile), block_ * (c % kBlocksPerTile), block_, block_);
  if (row == column) return found.selfadjointView<Eigen::Lower>();
  return row > column ? found : Block(found.transpose());
}

void EnvelopeMatrix::clear() {
  parallelFor(tileRows(), [&](int row) {
    std::fill(data_.begin() + static_cast<std::ptrdiff_t>(at(row, firstTile(row))), data_.begin() + static_cast<std::ptrdiff_t>(at(row, row) + area()), 0.0);
  });
  for (int b = blocks_; b < tileRows() * kBlocksPerTile; ++b) block(b, b).diagonal().setOnes();
}

bool EnvelopeMatrix::factorise() {
  for (int j = 0; j < tileRows(); ++j) {
    Tile pivot = tile(j, j);
    const Eigen::LLT<Eigen::Ref<Eigen::MatrixXd>, Eigen::Lower> factor(pivot);  // in place
    if (factor.info() != Eigen::Success || !pivot.diagonal().allFinite()) return false;
    const std::vector<int>& rows = below_[j];
    const int count = static_cast<int>(rows.size());
    parallelFor(count, [&](int i) {
      Tile below = tile(rows[i], j);
      pivot.transpose().triangularView<Eigen::Upper>().solveInPlace<Eigen::OnTheRight>(below);
    });
    parallelFor(count * (count + 1) / 2, [&](int pair) {
      int a = static_cast<int>((std::sqrt(8.0 * pair + 1) - 1) / 2);
      while ((a + 1) * (a + 2) / 2 <= pair) ++a;
      const int b = pair - a * (a + 1) / 2;
      subtractProduct(data(rows[a], rows[b]), data(rows[a], j), data(rows[b], j), tile_size_, tile_size_, a == b);
    });
  }
  return true;
}

void EnvelopeMatrix::solveLower(Eigen::Ref<Eigen::MatrixXd> b) const {
  for (int i = 0; i < tileRows(); ++i) {
    auto part = b.middleRows(i * tile_size_, tile_size_);
    for (int j = firstTile(i); j < i; ++j) part.noalias() -= tile(i, j) * b.middleRows(j * tile_size_, tile_size_);
    tile(i, i).triangularView<Eigen::Lower>().solveInPlace(part);
  }
}

void EnvelopeMatrix::solveUpper(Eigen::Ref<Eigen::MatrixXd> b) const {
  for (int i = tileRows() - 1; i >= 0; --i) {
    auto part = b.middleRows(i * tile_size_, tile_size_);
    tile(i, i).transpose().triangularView<Eigen::Upper>().solveInPlace(part);
    for (int j = firstTile(i); j < i; ++j) b.middleRows(j * tile_size_, tile_size_).noalias() -= tile(i, j).transpose() * part;
  }
}

void EnvelopeMatrix::invert() {
  for (int j = tileRows() - 1; j >= 0; --j) {
    const std::vector<int>& rows = below_[j];
    const int count = static_cast<int>(rows.size());
    Tile pivot = tile(j, j);
    Eigen::MatrixXd inverse = Eigen::MatrixXd::Identity(tile_size_, tile_size_);
    pivot.triangularView<Eigen::Lower>().solveInPlace(inverse);
    std::vector<Eigen::MatrixXd> left(rows.size());  // L(k, j) / L(j, j), transposed
    parallelFor(count, [&](int k) { left[k].noalias() = inverse.transpose() * tile(rows[k], j).transpose(); });
    parallelFor(count, [&](int i) {
      Eigen::MatrixXd sum = Eigen::MatrixXd::Zero(tile_size_, tile_size_), turned(tile_size_, tile_size_);
      const auto take = [&](const double* factor, int k) { subtractProduct(sum.data(), factor, left[k].data(), tile_size_, tile_size_, false); };
      for (int k = 0; k < count; ++k) {
        if (k < i) {
          take(data(rows[i], rows[k]), k);
          continue;
        }
        if (k > i)
          turned = tile(rows[k], rows[i]).transpose();
        else
          turned = tile(rows[i], rows[i]).selfadjointView<Eigen::Lower>();
        take(turned.data(), k);
      }
      tile(rows[i], j) = sum;
    });
    pivot = inverse.transpose() * inverse;
    for (int k = 0; k < count; ++k) pivot.noalias() -= left[k] * tile(rows[k], j);
  }
}
}  // namespace dusky
