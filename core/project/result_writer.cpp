#include "core/project/result_writer.h"

#include <utility>

namespace dusky {

ResultWriter::ResultWriter(std::shared_ptr<ProjectStore> store, Listener listener)
    : store_(std::move(store)), listener_(std::move(listener)), worker_([this](std::stop_token stop) { run(stop); }) {}

ResultWriter::~ResultWriter() {
  (void)flush();
  worker_.request_stop();
}

void ResultWriter::write(Task task) {
  {
    const std::lock_guard lock(mutex_);
    tasks_.push_back(std::move(task));
  }
  changed_.notify_all();
}

void ResultWriter::writeNewest(Task task) {
  {
    const std::lock_guard lock(mutex_);
    if (std::exchange(newest_, std::move(task))) return;
  }
  write([this](ProjectStore& store) {
    std::unique_lock lock(mutex_);
    const Task newest = *std::exchange(newest_, std::nullopt);
    lock.unlock();
    return newest(store);
  });
}

Status ResultWriter::flush() {
  std::unique_lock lock(mutex_);
  changed_.wait(lock, [this] { return tasks_.empty() && !writing_; });
  return std::exchange(failure_, Status(Done{}));
}

void ResultWriter::run(std::stop_token stop) {
  std::unique_lock lock(mutex_);
  while (changed_.wait(lock, stop, [this] { return !tasks_.empty(); })) {
    const Task task = std::move(tasks_.front());
    tasks_.pop_front();
    writing_ = true;
    lock.unlock();
    const Status saved = task(*store_);
    if (!saved.ok() && listener_) listener_(saved.error());
    lock.lock();
    writing_ = false;
    if (!saved.ok() && failure_.ok()) failure_ = saved;
    changed_.notify_all();
  }
}

}  // namespace dusky
