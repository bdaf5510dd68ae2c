#include "apps/desktop/errormap/error_grid.h"

#include <algorithm>
#include <cmath>

namespace dusky::desktop {
namespace {

constexpr int kLevels = 255 - ErrorGrid::kLeast;

double logStep() {
  static const double step = std::log(ErrorGrid::kMost_px / ErrorGrid::kLeast_px) / kLevels;
  return step;
}

/// The whole ones under pixel `i`, at least one, so that each belongs to one pixel where several share it.
struct Span {
  int from = 0, to = 0;
};
Span spanOf(double first, double shown, int pixels, int i, int count) {
  const double each = shown / pixels;
  const double at = first + i * each;
  if (each < 1) {
    const int one = static_cast<int>(std::floor(at + each / 2));
    return one >= 0 && one < count ? Span{one, one + 1} : Span{};
  }
  return {std::clamp(static_cast<int>(std::floor(at)), 0, count), std::clamp(static_cast<int>(std::floor(at + each)), 0, count)};
}

}  // namespace

ErrorGrid::Level ErrorGrid::levelOf(double error_px) {
  if (!(error_px > kLeast_px)) return kLeast;
  return static_cast<Level>(kLeast + std::min<int>(kLevels, static_cast<int>(std::lround(std::log(error_px / kLeast_px) / logStep()))));
}

double ErrorGrid::errorOf(Level level) { return level <= kLeast ? 0 : kLeast_px * std::exp((level - kLeast) * logStep()); }

ErrorGrid::Level ErrorGrid::levelOfDifference(double more_px) {
  const int halves = (levelOf(std::abs(more_px)) - kLeast) / 2;
  return static_cast<Level>(kLeast + 2 * halves + (more_px > 0 ? 1 : 0));
}

double ErrorGrid::differenceOf(Level level) {
  const int step = std::max(0, level - kLeast), size = step / 2 * 2;
  const double apart_px = size > 0 ? errorOf(static_cast<Level>(kLeast + size)) : 0;
  return step % 2 == 1 ? apart_px : -apart_px;
}

ErrorGrid::ErrorGrid(int rows, int columns)
    : columns_(columns),
      cells_(static_cast<std::size_t>(rows) * static_cast<std::size_t>(columns), kNone),
      looks_(static_cast<std::size_t>(rows), Look::AsIs) {}

std::vector<ErrorGrid::Level> ErrorGrid::binned(const Part& part, int width, int height) const {
  std::vector<Level> picture(static_cast<std::size_t>(width) * static_cast<std::size_t>(height), kNone);
  std::vector<Span> spans(static_cast<std::size_t>(width));
  for (int x = 0; x < width; ++x) spans[static_cast<std::size_t>(x)] = spanOf(part.first_column, part.columns, width, x, columns_);
  int from = columns_, to = 0;
  for (const Span& span : spans) {
    if (span.to > span.from) from = std::min(from, span.from), to = std::max(to, span.to);
  }
  if (to <= from) return picture;
  std::vector<Level> line(static_cast<std::size_t>(to - from));
  Span done;
  for (int y = 0; y < height; ++y) {
    Level* out = picture.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(width);
    const Span rows = spanOf(part.first_row, part.rows, height, y, this->rows());
    if (rows.to <= rows.from) continue;
    if (y > 0 && rows.from == done.from && rows.to == done.to) {
      std::copy(out - width, out, out);
      continue;
    }
    done = rows;
    std::fill(line.begin(), line.end(), kNone);
    for (int r = rows.from; r < rows.to; ++r) {
      const Level* cells = row(r) + from;
      const Look look = looks_[static_cast<std::size_t>(r)];
      // Apart, so that the usual rows are compared many at once.
      if (look == Look::AsIs) {
        for (std::size_t i = 0; i < line.size(); ++i) line[i] = std::max(line[i], cells[i]);
      } else {
        for (std::size_t i = 0; i < line.size(); ++i) line[i] = std::max(line[i], seenAs(cells[i], look));
      }
    }
    for (int x = 0; x < width; ++x) {
      const Span& span = spans[static_cast<std::size_t>(x)];
      for (int c = span.from; c < span.to; ++c) out[x] = std::max(out[x], line[static_cast<std::size_t>(c - from)]);
    }
  }
  return picture;
}

ErrorGrid::Cell ErrorGrid::largestUnder(const Part& part, int width, int height, int x, int y) const {
  const Span rows = spanOf(part.first_row, part.rows, height, y, this->rows()), columns = spanOf(part.first_column, part.columns, width, x, columns_);
  Cell best;
  Level most = kNone;
  for (int r = rows.from; r < rows.to; ++r) {
    for (int c = columns.from; c < columns.to; ++c) {
      const Level level = seenAs(row(r)[c], looks_[static_cast<std::size_t>(r)]);
      if (level > most) most = level, best = {r, c};
    }
  }
  // Beside everything that was seen: the first row there.
  if (best.row < 0 && rows.to > rows.from && columns.to > columns.from) best = {rows.from, columns.from};
  return best;
}

}  // namespace dusky::desktop
