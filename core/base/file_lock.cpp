#include "core/base/file_lock.h"

#include <fcntl.h>
#include <fmt/chrono.h>
#include <fmt/format.h>
#include <pwd.h>
#include <sys/file.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <ctime>
#include <map>
#include <mutex>
#include <thread>

#include "core/base/paths.h"

namespace dusky {
namespace {

std::string user() {
  const passwd* entry = ::getpwuid(::getuid());
  return entry && entry->pw_name ? entry->pw_name : fmt::format("user {}", ::getuid());
}

std::string host() {
  std::array<char, 256> name{};
  return ::gethostname(name.data(), name.size() - 1) == 0 ? name.data() : "this machine";
}

std::string oneself() {
  const std::time_t now = std::time(nullptr);
  std::tm local{};
  ::localtime_r(&now, &local);
  return fmt::format("{} on {}, since {:%Y-%m-%d %H:%M}", user(), host(), local);
}

std::string writtenIn(int file) {
  std::array<char, 256> text{};
  const ssize_t count = ::pread(file, text.data(), text.size() - 1, 0);
  return count > 0 ? std::string(text.data(), static_cast<std::size_t>(count)) : "another program";
}

std::mutex& mutex() {
  static std::mutex one;
  return one;
}

std::map<std::filesystem::path, std::weak_ptr<FileLock>>& taken() {
  static std::map<std::filesystem::path, std::weak_ptr<FileLock>> ours;
  return ours;
}

enum class Try { Taken, Busy, Gone, None };

/// One try; `file` is open where it was taken.
Try tryLock(const std::filesystem::path& lock_path, int& file, std::string& who) {
  file = ::open(lock_path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0666);
  if (file < 0) return who = fmt::format("its folder cannot be written into ({})", std::strerror(errno)), Try::None;
  Try outcome = Try::Taken;
  if (::flock(file, LOCK_EX | LOCK_NB) != 0) {
    outcome = errno == EWOULDBLOCK ? Try::Busy : Try::None;
    who = outcome == Try::Busy ? writtenIn(file) : fmt::format("its disk has no locks ({})", std::strerror(errno));
  } else if (!stillNamed(lock_path, file)) {
    outcome = Try::Gone;  // its last holder took the name away
  }
  if (outcome != Try::Taken) ::close(file);
  return outcome;
}

void letGo(const std::filesystem::path& lock_path, int file) {
  ::unlink(lock_path.c_str());
  ::close(file);
}

std::filesystem::path lockPathOf(const std::filesystem::path& path) {
  std::error_code failed;
  // A bare name of what is not there yet would stay one.
  const auto whole = std::filesystem::weakly_canonical(std::filesystem::absolute(path, failed), failed);
  return whole.parent_path() / fmt::format(".{}.lock", whole.filename().string());
}

}  // namespace

bool FileLock::held(const std::filesystem::path& path) {
  const auto lock_path = lockPathOf(path);
  int file = -1;
  std::string who;
  const std::lock_guard guard(mutex());
  if (taken()[lock_path].lock()) return true;
  const Try outcome = tryLock(lock_path, file, who);
  if (outcome == Try::Taken) letGo(lock_path, file);
  return outcome == Try::Busy;
}

FileLock::Taken FileLock::take(const std::filesystem::path& path) {
  const auto lock_path = lockPathOf(path);
  constexpr int kTries = 5;
  std::string who = "another program";
  // One that this program, or one that is just ending, is about to let go of is waited for.
  for (int i = 0; i < kTries; ++i) {
    {
      const std::lock_guard guard(mutex());
      if (auto ours = taken()[lock_path].lock()) return {ours, oneself(), false};
      int file = -1;
      const Try outcome = tryLock(lock_path, file, who);
      if (outcome == Try::None) return {nullptr, who, false};
      if (outcome == Try::Taken) {
        const std::string text = oneself();
        (void)!::ftruncate(file, 0);
        (void)!::pwrite(file, text.data(), text.size(), 0);
        std::shared_ptr<FileLock> lock(new FileLock(lock_path, file));
        taken()[lock_path] = lock;
        return {lock, text, false};
      }
    }
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
  }
  return {nullptr, who, true};
}

FileLock::~FileLock() {
  const std::lock_guard guard(mutex());
  letGo(path_, file_);
}

}  // namespace dusky
