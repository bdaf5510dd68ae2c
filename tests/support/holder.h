#pragma once
#include <fcntl.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/file.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <string>

namespace dusky::testing {
namespace fs = std::filesystem;

/// Another program that has a project open.
class Holder {
 public:
  explicit Holder(const fs::path& project) {
    const fs::path lock = project.parent_path() / ("." + project.filename().string() + ".lock");
    int told[2];
    EXPECT_EQ(::pipe(told), 0);
    child_ = ::fork();
    if (child_ == 0) {
      const int file = ::open(lock.c_str(), O_RDWR | O_CREAT, 0644);
      const std::string who = "anna on quay-3, since 2026-11-29 10:42";
      const bool held = ::flock(file, LOCK_EX | LOCK_NB) == 0 && ::write(file, who.data(), who.size()) > 0;
      (void)!::write(told[1], held ? "y" : "n", 1);
      for (;;) ::pause();
    }
    char answer = 0;
    EXPECT_EQ(::read(told[0], &answer, 1), 1);
    EXPECT_EQ(answer, 'y');
    ::close(told[0]), ::close(told[1]);
  }
  ~Holder() {
    ::kill(child_, SIGKILL);
    ::waitpid(child_, nullptr, 0);
  }

 private:
  pid_t child_;
};

}  // namespace dusky::testing
