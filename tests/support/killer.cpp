// Preloaded into a program (tools/kill-test): kills it before its n-th call that changes a file, DUSKY_KILL_AT; counts them into the file DUSKY_KILL_COUNT.
#include <dlfcn.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/types.h>
#include <unistd.h>

#include <atomic>

namespace {

std::atomic<long> calls = 0;

template <class Function>
Function real(const char* name) {
  return reinterpret_cast<Function>(dlsym(RTLD_NEXT, name));
}

/// Before each change. What goes to the terminal changes no file.
void change(int file = 1000) {
  if (file <= STDERR_FILENO) return;
  static const long at = getenv("DUSKY_KILL_AT") ? atol(getenv("DUSKY_KILL_AT")) : 0;
  if (++calls == at) kill(getpid(), SIGKILL);
}

struct Counter {
  ~Counter() {
    if (const char* path = getenv("DUSKY_KILL_COUNT")) {
      if (FILE* file = fopen(path, "w")) fprintf(file, "%ld", calls.load()), fclose(file);
    }
  }
} counter;

}  // namespace

extern "C" {
ssize_t write(int file, const void* data, size_t size) {
  change(file);
  static const auto next = real<ssize_t (*)(int, const void*, size_t)>("write");
  return next(file, data, size);
}
ssize_t pwrite(int file, const void* data, size_t size, off_t at) {
  change(file);
  static const auto next = real<ssize_t (*)(int, const void*, size_t, off_t)>("pwrite");
  return next(file, data, size, at);
}
ssize_t pwrite64(int file, const void* data, size_t size, off64_t at) {
  change(file);
  static const auto next = real<ssize_t (*)(int, const void*, size_t, off64_t)>("pwrite64");
  return next(file, data, size, at);
}
int ftruncate(int file, off_t size) noexcept {
  change(file);
  static const auto next = real<int (*)(int, off_t)>("ftruncate");
  return next(file, size);
}
int ftruncate64(int file, off64_t size) noexcept {
  change(file);
  static const auto next = real<int (*)(int, off64_t)>("ftruncate64");
  return next(file, size);
}
int fsync(int file) {
  change(file);
  static const auto next = real<int (*)(int)>("fsync");
  return next(file);
}
int fdatasync(int file) {
  change(file);
  static const auto next = real<int (*)(int)>("fdatasync");
  return next(file);
}
int rename(const char* from, const char* to) noexcept {
  change();
  static const auto next = real<int (*)(const char*, const char*)>("rename");
  return next(from, to);
}
int unlink(const char* path) noexcept {
  change();
  static const auto next = real<int (*)(const char*)>("unlink");
  return next(path);
}
int mkdir(const char* path, mode_t mode) noexcept {
  change();
  static const auto next = real<int (*)(const char*, mode_t)>("mkdir");
  return next(path, mode);
}
}
