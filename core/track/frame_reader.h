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

/// Luma of frames already read (softened, 1/64 grey level fine), kept for the way back as long as it fits. Not for several threads.
class LumaStore {
 public:
  struct Kept {
    Plane<std::int16_t> steps;
    double sharpness = 0;
  };
  explicit LumaStore(std::size_t bytes) : budget_(bytes) {}
  /// Makes room for a frame, by giving up those kept longest. Its rows are written by keepRows.
  Kept& keep(int number, int width, int height);
  bool has(int number) const { return frames_.contains(number); }
  /// Hands a frame out as a pyramid and forgets it.
  PreparedFrame take(int number);
  /// How many frames of a size fit.
  int capacity(int width, int height) const;

 private:
  std::size_t budget_;
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
  Status refill(std::size_t index);

  FrameSource& source_;
  const std::vector<int> numbers_;
  LumaStore& store_;
  BoundedQueue<Result<PreparedFrame>> queue_{3};
  std::atomic<double> busy_s_ = 0;
  std::jthread thread_;
};

}  // namespace dusky
