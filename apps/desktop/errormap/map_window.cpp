#include "apps/desktop/errormap/map_window.h"

#include <algorithm>

namespace dusky::desktop {

void MapAxis::setCount(int count, double length_px) {
  count_ = count;
  setLength(length_px);
}

void MapAxis::setLength(double length_px) {
  const double size = size_px();
  length_px_ = std::max(1.0, length_px);
  if (!whole_) shown_ = length_px_ / size;
  keepInside();
}

void MapAxis::showAll() {
  whole_ = true;
  first_ = 0;
  keepInside();
}

void MapAxis::zoom(double factor, double about_px) {
  const double about = indexAt(about_px);
  whole_ = false;
  shown_ /= factor;
  if (shown_ >= count_) return showAll();
  keepInside();
  first_ = about - about_px / size_px();
  keepInside();
}

void MapAxis::scrollTo(double first) {
  first_ = first;
  keepInside();
}

void MapAxis::reveal(int index) {
  if (index < first_ || index + 1 > first_ + shown_) scrollTo(index + 0.5 - shown_ / 2);
}

void MapAxis::keepInside() {
  const double room = length_px_ / most_px_;
  const double fewest = std::max(fewest_, room);
  shown_ = whole_ ? std::max<double>(count_, room) : std::clamp(shown_, std::min<double>(fewest, count_), std::max<double>(count_, room));
  shown_ = std::max(shown_, 1e-3);
  first_ = std::clamp(first_, 0.0, std::max(0.0, count_ - shown_));
}

}  // namespace dusky::desktop
