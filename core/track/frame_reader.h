#pragma once
#include <atomic>
#include <map>
#include <optional>
#include <thread>

#include "core/base/bounded_queue.h"
#include "core/image/frame_source.h"
#include "core/image/pyramid.h"

namespace dusky {

/// A frame made ready for tracking.
struct PreparedFrame {
  int number = 0;
  Picture small;  ///< For colours; may be smaller than the footage, or empty on the way back.
  Pyramid pyramid;
  double sharpness = 0;  ///< Mean square of the gradient; comparable between frames of a shot.
};

/// Luma of frames already read, kept for the way back as long as it fits: as the footage's own bytes where it has them, else softened, 1/64
/// grey level fine. Not for several threads.
class LumaStore {
 public:
  struct Kept {
    LumaBytes bytes;
    Plane<std::int16_t> steps;  ///< Where there are no bytes.
    double sharpness = 0;
    std::size_t size() const { return bytes.values.data.size() + sizeof(std::int16_t) * steps.data.size(); }
  };
  explicit LumaStore(std::size_t bytes) : budget_(bytes) {}
  bool keepsAny() const { return budget_ > 0; }
  /// Keeps a frame; those kept longest go when there is no more room.
  void keep(int number, Kept frame);
  bool has(int number) const { return frames_.contains(number); }
  /// Hands a frame out as a pyramid and forgets it.
  PreparedFrame take(int number);
  /// How many frames like those kept so far fit; at least one.
  int capacity() const;

 private:
  std::size_t budget_, used_ = 0, one_ = 0;
  std::map<int, Kept> frames_;
};

/// Reads frames in the given order on a thread of its own and makes their pyramids. Runs backward too: what the store does not hold is
/// read forward in pieces that fit into it, so memory does not grow with the shot.
class FrameReader {
 public:
  FrameReader(FrameSource& source, std::vector<int> numbers, LumaStore& store);
  ~FrameReader() { queue_.close(); }
  /// The next frame, or why it cannot be read; nothing at the end.
  std::optional<Result<PreparedFrame>> next() { return queue_.pop(); }
  double busySeconds() const { return busy_s_; }

 private:
  void run(const std::stop_token& stop);
  Result<PreparedFrame> make(std::size_t index);
  Result<PreparedFrame> prepare(int number, int levels);
  Status refill(std::size_t index);

  FrameSource& source_;
  const std::vector<int> numbers_;
  LumaStore& store_;
  BoundedQueue<Result<PreparedFrame>> queue_{3};
  std::atomic<double> busy_s_ = 0;
  std::jthread thread_;
};

}  // namespace dusky
