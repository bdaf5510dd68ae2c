#pragma once
#include <gtest/gtest.h>

#include <cstdio>
#include <string>
#include <vector>

#include "apps/cli/cli.h"

namespace dusky::testing {

struct Ran {
  int code = -1;
  std::string out, err;
};

/// Runs the command line inside this process and catches what it prints.
inline Ran moth(std::vector<std::string> arguments) {
  arguments.insert(arguments.begin(), "moth");
  std::vector<const char*> argv;
  for (const std::string& a : arguments) argv.push_back(a.c_str());
  ::testing::internal::CaptureStdout();
  ::testing::internal::CaptureStderr();
  Ran ran;
  ran.code = cli::run(static_cast<int>(argv.size()), argv.data(), {});
  std::fflush(stdout);
  std::fflush(stderr);
  ran.out = ::testing::internal::GetCapturedStdout();
  ran.err = ::testing::internal::GetCapturedStderr();
  return ran;
}

}  // namespace dusky::testing
