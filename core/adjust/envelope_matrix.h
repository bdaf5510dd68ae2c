#pragma once
#include <Eigen/Core>
#include <cassert>
#include <vector>

namespace dusky {

/// A symmetric positive matrix of small square blocks that is filled only near its diagonal: each block row from its own first block on.
/// Kept below the diagonal in dense tiles of several blocks, so that all work is products of dense tiles. Factor and inverse stay within
/// the same tiles.
/// Sources: envelope storage: Jennings, The Computer Journal 9(3), 1966; the inverse within the factor's pattern: Takahashi, Fagan and Chin,
/// Formation of a sparse bus impedance matrix, 1973.
class EnvelopeMatrix {
 public:
  static constexpr int kBlocksPerTile = 8;

  EnvelopeMatrix() = default;
  /// `first[i]` is the first block of block row i, at most i; `block` the rows of a block.
  EnvelopeMatrix(const std::vector<int>& first, int block);

  int tileRows() const { return static_cast<int>(first_tile_.size()); }
  int tileSize() const { return tile_size_; }
  int firstTile(int row) const { return first_tile_[static_cast<std::size_t>(row)]; }
  int rows() const { return tile_size_ * tileRows(); }
  bool within(int row, int column) const { return column >= firstTile(row) && column <= row; }
  std::size_t bytes() const { return data_.size() * sizeof(double); }

  using Tile = Eigen::Map<Eigen::MatrixXd>;
  using ConstTile = Eigen::Map<const Eigen::MatrixXd>;
  /// Tile of a row and a column that lie within the envelope, the column not after the row.
  Tile tile(int row, int column) { return {data(row, column), tile_size_, tile_size_}; }
  double* data(int row, int column) {
    assert(within(row, column));
    return data_.data() + at(row, column);
  }
  ConstTile tile(int row, int column) const { return {data_.data() + at(row, column), tile_size_, tile_size_}; }
  /// A block of the matrix (its strictly upper part within a diagonal tile is not read by anything).
  Eigen::Block<Tile> block(int row, int column);
  double entry(Eigen::Index row, Eigen::Index column) const;
  /// A block, also above the diagonal; zero outside of the envelope. After invert().
  using Block = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, 0, 7, 7>;
  Block between(int row, int column) const;

  /// All zero but the diagonal beyond the last block, which is 1.
  void clear();
  /// The lower Cholesky factor in place; false where the matrix is not positive. The result does not depend on the number of threads.
  bool factorise();
  /// Solves with the factor L, in place: L x = b, and L^T x = b.
  void solveLower(Eigen::Ref<Eigen::MatrixXd> b) const;
  void solveUpper(Eigen::Ref<Eigen::MatrixXd> b) const;
  /// From the factor to the inverse of the matrix, within the envelope.
  void invert();

 private:
  std::size_t at(int row, int column) const { return (offset_[static_cast<std::size_t>(row)] + static_cast<std::size_t>(column - firstTile(row))) * area(); }
  std::size_t area() const { return static_cast<std::size_t>(tile_size_) * static_cast<std::size_t>(tile_size_); }

  int block_ = 6, tile_size_ = 0, blocks_ = 0;
  std::vector<int> first_tile_;
  std::vector<std::size_t> offset_;  ///< Tiles before each row's own.
  std::vector<std::vector<int>> below_;
  std::vector<double> data_;
};
}  // namespace dusky
