#include <chrono>
#include <csignal>
#include <stop_token>
#include <thread>

#include "apps/cli/cli.h"
#include "core/base/memory.h"

namespace {
std::stop_source& stopper() {
  static std::stop_source source;
  return source;
}
volatile std::sig_atomic_t interrupted = 0;
}  // namespace

int main(int argc, char** argv) {
  dusky::keepLargeBlocks();
  // The handler only sets a flag; a thread turns it into a wish to stop.
  std::signal(SIGINT, [](int) { interrupted = 1; });
  std::signal(SIGTERM, [](int) { interrupted = 1; });
  std::jthread watcher([](std::stop_token done) {
    while (!done.stop_requested()) {
      if (interrupted) stopper().request_stop();
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
  });
  return dusky::cli::run(argc, argv, stopper().get_token());
}
