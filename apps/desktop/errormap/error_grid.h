#pragma once
#include <array>
#include <cstdint>
#include <vector>

namespace dusky::desktop {

/// The errors of tracks (rows) in frames (columns), a byte each, and how they look when many share a pixel: the largest is seen. Knows no track and no colour.
class ErrorGrid {
 public:
  using Level = std::uint8_t;
  /// Nothing was seen; seen, but no part of the solve; would go. Above it errors, evenly in their logarithm.
  static constexpr Level kNone = 0, kQuiet = 1, kGoing = 2, kLeast = 3;
  static constexpr double kLeast_px = 0.005, kMost_px = 200;

  /// Of an error, px; about 4 % apart.
  static Level levelOf(double error_px);
  static double errorOf(Level level);
  /// Of how much larger an error is than another, px, smaller where negative: the farther apart the larger; about 9 % apart.
  static Level levelOfDifference(double more_px);
  static double differenceOf(Level level);

  /// What becomes of a whole row.
  enum class Look : std::uint8_t { AsIs, Quiet, Going };

  ErrorGrid() = default;
  ErrorGrid(int rows, int columns);
  int rows() const { return static_cast<int>(looks_.size()); }
  int columns() const { return columns_; }
  Level* row(int index) { return cells_.data() + static_cast<std::size_t>(index) * static_cast<std::size_t>(columns_); }
  const Level* row(int index) const { return cells_.data() + static_cast<std::size_t>(index) * static_cast<std::size_t>(columns_); }
  Look look(int row) const { return looks_[static_cast<std::size_t>(row)]; }
  void setLook(int row, Look look) { looks_[static_cast<std::size_t>(row)] = look; }

  /// A part of it, rows and columns, which need not be whole numbers.
  struct Part {
    double first_row = 0, rows = 0, first_column = 0, columns = 0;
  };
  /// The part in a picture of `width` x `height`: row by row; kNone beside the grid.
  std::vector<Level> binned(const Part& part, int width, int height) const;

  struct Cell {
    int row = -1, column = -1;
  };
  /// The cell with the largest level among those under a pixel of such a picture; no row when there is none.
  Cell largestUnder(const Part& part, int width, int height, int x, int y) const;

 private:
  static Level seenAs(Level level, Look look) {
    if (level == kNone || look == Look::AsIs) return level;
    return look == Look::Quiet ? kQuiet : kGoing;
  }
  int columns_ = 0;
  std::vector<Level> cells_;
  std::vector<Look> looks_;
};

}  // namespace dusky::desktop
