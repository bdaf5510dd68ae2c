// Every pixel format that this machine's ffmpeg writes: read as bright as it is, or refused with a sentence.
#include <gmock/gmock.h>

#include <cstdio>
#include <sstream>

#include "core/base/atomic_file.h"
#include "tests/support/ramp_movie.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {

std::vector<std::string> pixelFormats() {
  std::vector<std::string> names;
  FILE* listed = popen("ffmpeg -v quiet -pix_fmts", "r");
  char line[256];
  bool head = true;
  while (listed && std::fgets(line, sizeof line, listed)) {
    std::istringstream words(line);
    std::string flags, name;
    words >> flags >> name;
    if (head)
      head = flags != "-----";
    else if (flags.size() == 5 && flags[1] == 'O' && flags[2] == '.')
      names.push_back(name);
  }
  if (listed) pclose(listed);
  return names;
}

/// The middle of each frame as ffmpeg shows it. Empty where the raw stream does not keep its format, and the container takes it for another.
std::vector<double> shownGreys(const std::string& raw) {
  const auto bytes = readFile(raw);
  std::vector<double> seen;
  for (std::size_t i = 0; bytes.ok() && i + 2 < bytes->size(); i += 3) {
    const auto at = [&](std::size_t channel) { return static_cast<double>(static_cast<unsigned char>((*bytes)[i + channel])); };
    const bool grey = std::abs(at(0) - at(1)) < 2 && std::abs(at(2) - at(1)) < 2;
    if (!grey) return {};
    seen.push_back(at(1));
  }
  return seen;
}

/// A raw movie in each format, and what ffmpeg shows of it; many at once, for its start is what takes time. False where one of them cannot be made.
bool make(const fs::path& folder, const std::vector<std::string>& formats) {
  std::string write = "ffmpeg -v quiet -y -i '" + (folder / "base.mkv").string() + "'", in, out;
  for (std::size_t i = 0; i < formats.size(); ++i) {
    const std::string path = (folder / formats[i]).string();
    write += " -map 0 -c:v rawvideo -pix_fmt " + formats[i] + " '" + path + ".nut'";
    in += " -i '" + path + ".nut'";
    out += " -map " + std::to_string(i) + " -vf format=rgb24,crop=1:1:48:32 -f rawvideo -pix_fmt rgb24 '" + path + ".raw'";
  }
  return std::system(write.c_str()) == 0 && std::system(("ffmpeg -v quiet -y" + in + out).c_str()) == 0;
}

TEST(PixelFormats, AreReadAsBrightAsTheyAreOrRefusedInWords) {
  const TemporaryFolder folder;
  const auto formats = pixelFormats();
  ASSERT_GT(formats.size(), 100u);
  ASSERT_FALSE(movie(folder / "base.mkv", "-c:v ffv1 -pix_fmt yuv444p").empty());
  constexpr std::size_t kAtOnce = 12;
  for (std::size_t i = 0; i < formats.size(); i += kAtOnce) {
    const std::vector<std::string> some(formats.begin() + static_cast<std::ptrdiff_t>(i),
                                        formats.begin() + static_cast<std::ptrdiff_t>(std::min(formats.size(), i + kAtOnce)));
    if (make(folder.path(), some)) continue;
    for (const std::string& one : some) (void)make(folder.path(), {one});
  }
  int read = 0, compared = 0;
  std::string refused;
  for (const std::string& format : formats) {
    const std::string path = (folder / (format + ".nut")).string();
    std::error_code none;
    if (fs::file_size(path, none) < 1000 || none) continue;
    const auto source = openFootage(path);
    if (!source.ok()) {
      EXPECT_THAT(source.error().message, ::testing::HasSubstr(format)) << format;
      refused += " " + format;
      continue;
    }
    ++read;
    const std::vector<double> seen = shownGreys((folder / (format + ".raw")).string());
    if (seen.empty()) continue;
    ++compared;
    ASSERT_EQ(seen.size(), static_cast<std::size_t>(kFrames)) << format;
    for (const int n : {1, 6, 12, 18, 24}) EXPECT_NEAR(brightness(**source, n), seen[static_cast<std::size_t>(n - 1)], 4) << format << ", frame " << n;
  }
  std::printf("%d of %zu formats read, %d compared; refused:%s\n", read, formats.size(), compared, refused.c_str());
  EXPECT_GT(compared, 100);
}

}  // namespace dusky::testing
