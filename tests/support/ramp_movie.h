#pragma once
#include <gtest/gtest.h>

#include <cstdlib>
#include <filesystem>
#include <string>
#include <vector>

#include "core/media/footage.h"

namespace dusky::testing {

namespace fs = std::filesystem;

inline constexpr int kFrames = 24, kStep = 8;  ///< frame n is as bright as kStep * n

/// Makes a movie whose frames tell their number by their brightness. Empty where this machine's ffmpeg cannot.
inline std::string movie(const fs::path& path, const std::string& how, const std::string& before = "") {
  const std::string command = "ffmpeg -v error -y " + before + " -f lavfi -i \"nullsrc=s=96x64:r=25,format=yuv444p,geq=lum='20+" + std::to_string(kStep) +
                              "*(N+1)':cb=128:cr=128\" -frames:v " + std::to_string(kFrames) + " " + how + " '" + path.string() + "' 2>/dev/null";
  return std::system(command.c_str()) == 0 && fs::exists(path) && fs::file_size(path) > 0 ? path.string() : "";
}

inline double brightness(FrameSource& source, int number) {
  const auto frame = source.read(number, FrameUse::Tracking);
  EXPECT_TRUE(frame.ok()) << (frame.ok() ? "" : frame.error().message);
  return frame.ok() ? frame->luma.at(frame->luma.width / 2, frame->luma.height / 2) : -1;
}

/// Brightness rises by one step a frame, whatever the codec's range makes of it.
inline void expectRightFrames(FrameSource& source, const std::string& what) {
  ASSERT_EQ(source.info().frames(), kFrames) << what;
  std::vector<double> seen;
  for (int n = 1; n <= kFrames; ++n) seen.push_back(brightness(source, n));
  const double step = (seen.back() - seen.front()) / (kFrames - 1);
  EXPECT_GT(step, 0.7 * kStep) << what;
  for (int n = 1; n <= kFrames; ++n) EXPECT_NEAR(seen[n - 1], seen.front() + (n - 1) * step, 0.4 * step) << what << ", frame " << n;
  for (const int n : {20, 3, 24, 1, 12, 11, 23, 2}) EXPECT_NEAR(brightness(source, n), seen[n - 1], 0.3) << what << ", back at frame " << n;
}

}  // namespace dusky::testing
