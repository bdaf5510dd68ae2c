#pragma once

namespace dusky::desktop {

/// The part of the error map that is seen, in rows and columns from 0 on, along one axis each.
class MapAxis {
 public:
  /// So many rows or columns in all; keeps what is seen where that can be.
  void setCount(int count, double length_px);
  /// `length_px`: of the screen; `most_px`: a row or column becomes no larger.
  void setLength(double length_px);
  void setLargest(double most_px) { most_px_ = most_px; }
  /// Enlarging stops where so many are seen.
  void setFewest(double fewest) { fewest_ = fewest; }
  void showAll();
  /// Enlarges about a place of the screen, px from the start.
  void zoom(double factor, double about_px);
  void scrollTo(double first);
  /// Scrolls so that a row or column is seen, when it is not.
  void reveal(int index);

  int count() const { return count_; }
  double first() const { return first_; }
  double shown() const { return shown_; }                 ///< How many fit.
  double size_px() const { return length_px_ / shown_; }  ///< Of one.
  bool all() const { return first_ <= 0 && shown_ >= count_; }
  double placeOf(double index) const { return (index - first_) * size_px(); }
  double indexAt(double place_px) const { return first_ + place_px / size_px(); }

 private:
  void keepInside();
  int count_ = 0;
  double first_ = 0, shown_ = 1, length_px_ = 1, most_px_ = 1e9, fewest_ = 1;
  bool whole_ = true;  ///< Everything is to be seen, however much comes.
};

}  // namespace dusky::desktop
