#pragma once
#include <condition_variable>
#include <functional>
#include <mutex>
#include <optional>
#include <stop_token>
#include <thread>

namespace dusky::desktop {

/// Answers questions on a thread of its own, only ever the newest: a newer one takes the place of one that waits and stops the one being answered. The last
/// member of its owner: its thread uses the others.
template <class Question>
class NewestOnly {
 public:
  /// `answer` runs on that thread; its token says that nobody waits for it any more, also when what it found reaches the interface thread later.
  explicit NewestOnly(std::function<void(const Question&, std::stop_token)> answer)
      : answer_(std::move(answer)), worker_([this](std::stop_token stop) { run(stop); }) {}
  ~NewestOnly() {
    worker_.request_stop();
    dropOlder();
    wake_.notify_all();
  }
  NewestOnly(const NewestOnly&) = delete;
  NewestOnly& operator=(const NewestOnly&) = delete;

  void ask(Question question) {
    dropOlder();
    {
      const std::lock_guard lock(mutex_);
      question_ = std::move(question);
    }
    wake_.notify_all();
  }
  /// Nothing is asked any more.
  void dropOlder() {
    const std::lock_guard lock(mutex_);
    question_.reset();
    answered_.request_stop();
  }

 private:
  void run(std::stop_token stop) {
    while (!stop.stop_requested()) {
      Question question;
      std::stop_token dropped;
      {
        std::unique_lock lock(mutex_);
        if (!wake_.wait(lock, stop, [&] { return question_.has_value(); })) return;
        question = std::move(*question_);
        question_.reset();
        answered_ = std::stop_source();
        dropped = answered_.get_token();
      }
      answer_(question, dropped);
    }
  }

  std::function<void(const Question&, std::stop_token)> answer_;
  std::mutex mutex_;  ///< Guards what follows.
  std::condition_variable_any wake_;
  std::optional<Question> question_;
  std::stop_source answered_;  ///< Of the question being answered.
  std::jthread worker_;
};

}  // namespace dusky::desktop
