#pragma once
#include <condition_variable>
#include <deque>
#include <mutex>
#include <optional>

namespace dusky {

/// Hands values from one thread to another and makes the giver wait when `capacity` are on the way.
template <class T>
class BoundedQueue {
 public:
  explicit BoundedQueue(std::size_t capacity) : capacity_(capacity) {}

  /// False once the taker has closed the queue; the value is dropped then.
  bool push(T value) {
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [&] { return closed_ || items_.size() < capacity_; });
    if (closed_) return false;
    items_.push_back(std::move(value));
    changed_.notify_all();
    return true;
  }
  /// Nothing once the queue is closed and empty.
  std::optional<T> pop() {
    std::unique_lock lock(mutex_);
    changed_.wait(lock, [&] { return closed_ || !items_.empty(); });
    if (items_.empty()) return std::nullopt;
    T value = std::move(items_.front());
    items_.pop_front();
    changed_.notify_all();
    return value;
  }
  /// From either side: no more values go in.
  void close() {
    const std::lock_guard lock(mutex_);
    closed_ = true;
    changed_.notify_all();
  }

 private:
  const std::size_t capacity_;
  std::mutex mutex_;
  std::condition_variable changed_;
  std::deque<T> items_;
  bool closed_ = false;
};

}  // namespace dusky
