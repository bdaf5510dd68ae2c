#pragma once
#include <condition_variable>
#include <deque>
#include <functional>
#include <mutex>
#include <optional>
#include <thread>

#include "core/project/project_store.h"

namespace dusky {

/// Encodes and writes into a project on a thread of its own, one task after the other in the order they were given. The end of a writer waits until everything
/// is written.
class ResultWriter {
 public:
  using Task = std::function<Status(ProjectStore&)>;
  /// Hears why something could not be written, from the writer's thread.
  using Listener = std::function<void(const Error&)>;
  explicit ResultWriter(std::shared_ptr<ProjectStore> store, Listener listener = {});
  ~ResultWriter();
  ResultWriter(const ResultWriter&) = delete;
  ResultWriter& operator=(const ResultWriter&) = delete;

  /// Returns at once; the task runs later, on the writer's thread.
  void write(Task task);
  /// The same; one given this way before that still waits is passed over for it.
  void writeNewest(Task task);
  /// Waits until everything given so far is written. Errors: the first failure since the last call.
  Status flush();

 private:
  void run(std::stop_token stop);

  const std::shared_ptr<ProjectStore> store_;
  const Listener listener_;
  std::mutex mutex_;  ///< Guards what follows.
  std::condition_variable_any changed_;
  std::deque<Task> tasks_;
  std::optional<Task> newest_;
  bool writing_ = false;
  Status failure_ = Done{};
  std::jthread worker_;  ///< Last: it uses the others.
};

}  // namespace dusky
