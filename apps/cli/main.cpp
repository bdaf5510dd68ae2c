#include <fcntl.h>
#include <unistd.h>

#include <chrono>
#include <csignal>
#include <cstdio>
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

/// Picture libraries print what they think of a damaged file. The artist reads one sentence of ours instead: it goes to standard error as it was, they to
/// nowhere.
void keepLibrariesQuiet() {
  const int ours = ::fcntl(STDERR_FILENO, F_DUPFD_CLOEXEC, 3), nowhere = ::open("/dev/null", O_WRONLY | O_CLOEXEC);
  std::FILE* stream = ours >= 0 ? ::fdopen(ours, "w") : nullptr;
  if (!stream || nowhere < 0) return;
  std::setvbuf(stream, nullptr, _IONBF, 0);
  dusky::cli::setErrors(stream);
  ::dup2(nowhere, STDERR_FILENO);
}
}  // namespace

int main(int argc, char** argv) {
  dusky::keepLargeBlocks();
  // The handler only sets a flag; a thread turns it into a wish to stop.
  for (const int wish : {SIGINT, SIGTERM, SIGHUP}) std::signal(wish, [](int) { interrupted = 1; });
  // A pipe that nobody reads and a file that may not grow are errors of writing, with a sentence.
  for (const int said : {SIGPIPE, SIGXFSZ}) std::signal(said, SIG_IGN);
  keepLibrariesQuiet();
  std::jthread watcher([](std::stop_token done) {
    while (!done.stop_requested()) {
      if (interrupted) stopper().request_stop();
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
  });
  return dusky::cli::run(argc, argv, stopper().get_token());
}
