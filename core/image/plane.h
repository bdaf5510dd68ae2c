#pragma once
#include <array>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <utility>
#include <vector>

#include "core/base/memory.h"

namespace dusky {

/// Leaves plain values unset where nothing else is asked for: filling a picture that is written at once costs as much as reading it. Large
/// pictures lie on large pages.
template <class T>
struct UnsetAllocator : std::allocator<T> {
  template <class U>
  struct rebind {
    using other = UnsetAllocator<U>;
  };
  static constexpr std::size_t kLarge = 3 << 20;  // bytes
  T* allocate(std::size_t count) { return count * sizeof(T) >= kLarge ? static_cast<T*>(largeBlock(count * sizeof(T))) : std::allocator<T>::allocate(count); }
  void deallocate(T* block, std::size_t count) {
    if (count * sizeof(T) >= kLarge)
      freeLargeBlock(block);
    else
      std::allocator<T>::deallocate(block, count);
  }
  template <class U>
  void construct(U* place) noexcept {
    ::new (static_cast<void*>(place)) U;
  }
  template <class U, class... Arguments>
  void construct(U* place, Arguments&&... arguments) {
    ::new (static_cast<void*>(place)) U(std::forward<Arguments>(arguments)...);
  }
};

/// A picture of one channel, row by row. Pixel (x, y) covers [x, x+1) x [y, y+1); its centre is (x + 0.5, y + 0.5).
template <class T>
struct Plane {
  int width = 0, height = 0;
  std::vector<T, UnsetAllocator<T>> data;

  Plane() = default;
  Plane(int w, int h, T fill = T{}) : width(w), height(h), data(static_cast<std::size_t>(w) * h, fill) {}
  /// One whose values mean nothing until they are written.
  static Plane unset(int w, int h) {
    Plane plane;
    plane.width = w, plane.height = h;
    plane.data.resize(static_cast<std::size_t>(w) * h);
    return plane;
  }
  T* row(int y) { return data.data() + static_cast<std::size_t>(y) * width; }
  const T* row(int y) const { return data.data() + static_cast<std::size_t>(y) * width; }
  T& at(int x, int y) { return row(y)[x]; }
  const T& at(int x, int y) const { return row(y)[x]; }
  bool empty() const { return data.empty(); }
};

using FloatPlane = Plane<float>;

struct Rgb {
  std::uint8_t r = 0, g = 0, b = 0;
  bool operator==(const Rgb&) const = default;
};

/// A picture for the screen and for colouring points: 8 bits a channel, display-referred.
using Picture = Plane<Rgb>;

/// Red, green, blue at the footage's own precision: for what goes on to other programs.
using FloatPicture = Plane<std::array<float, 3>>;

}  // namespace dusky
