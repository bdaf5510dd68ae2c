// Every container and kind of stream that a camera or an editor hands over: each frame is the right one, in order and back and forth.
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <fstream>

#include "core/base/atomic_file.h"
#include "core/media/footage.h"
#include "tests/support/ramp_movie.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using ::testing::HasSubstr;

TEST(Containers, EveryFrameIsTheRightOne) {
  const TemporaryFolder folder;
  const std::string x264 = "-c:v libx264 -pix_fmt yuv420p -g 10 -bf 2 -preset fast -crf 12 ", mpeg2 = "-c:v mpeg2video -pix_fmt yuv420p -g 10 -bf 2 -q:v 2 ";
  const std::vector<std::pair<std::string, std::string>> kinds = {
      {"a.mp4", x264},
      {"b.mov", x264},
      {"c.mkv", x264},
      {"d.ts", x264},
      {"e.m2ts", x264},
      {"f.mts", mpeg2},
      {"g.mpg", mpeg2},
      {"h.h264", x264},
      {"i.hevc", "-c:v libx265 -pix_fmt yuv420p -x265-params log-level=none:keyint=10:bframes=2 -crf 12"},
      {"j.avi", "-c:v mpeg4 -q:v 2 -bf 2"},
      {"k.mov", "-c:v prores_ks -profile:v 3 -pix_fmt yuv422p10le"},
      {"l.mov", "-c:v prores_ks -profile:v 4444 -pix_fmt yuva444p10le"},
      {"m.mkv", "-c:v ffv1 -pix_fmt yuv444p16le"},
      {"n.mkv", "-c:v libx264 -pix_fmt yuv444p -g 12 -crf 12"},
      {"o.mp4", "-c:v libx264 -pix_fmt yuv420p10le -g 12 -crf 12"},
      {"p.mov", "-c:v mjpeg -q:v 2 -pix_fmt yuvj420p"},
      {"q.mov", "-c:v png -pix_fmt rgba"},
      {"r.mxf", mpeg2},
      {"s.webm", "-c:v libvpx-vp9 -pix_fmt yuv420p -b:v 2M -g 12"},
      {"t.mp4", x264 + "-g 250"},
      {"v.mp4", x264 + "-output_ts_offset 7"},
      {"w.mpg", "-c:v mpeg1video -q:v 2 -bf 2 -g 12"},
      {"x.flv", "-c:v flv1 -q:v 2"},
      {"y.ogv", "-c:v libtheora -q:v 10 -g 12"},
      {"z.dv", "-c:v dvvideo -vf scale=720:576 -pix_fmt yuv420p -r 25"},
  };
  int made = 0;
  for (const auto& [name, how] : kinds) {
    const std::string path = movie(folder / name, how);
    if (path.empty()) continue;
    ++made;
    const auto source = openFootage(path);
    ASSERT_TRUE(source.ok()) << name << ": " << source.error().message;
    expectRightFrames(**source, name);
  }
  EXPECT_GT(made, 18) << "this machine's ffmpeg makes most of them";
}

TEST(Containers, WhatAnEditListCutsIsNoFrame) {
  const TemporaryFolder folder;
  const std::string x264 = "-c:v libx264 -pix_fmt yuv420p -g 10 -bf 2 -crf 12 ";
  const std::string whole = movie(folder / "whole.mov", x264);
  const std::string cut = movie(folder / "cut.mov", x264 + "-output_ts_offset -0.2 -avoid_negative_ts disabled");
  ASSERT_FALSE(whole.empty() || cut.empty());
  const auto all = openFootage(whole), rest = openFootage(cut);
  ASSERT_TRUE(all.ok() && rest.ok());
  constexpr int kCut = 5;  // a fifth of a second at 25 fps
  ASSERT_EQ((*rest)->info().frames(), kFrames - kCut);
  for (const int n : {1, 12, 5, 19, 2}) EXPECT_NEAR(brightness(**rest, n), brightness(**all, n + kCut), 1) << n;
}

TEST(Containers, AColonInANameIsNoProtocol) {
  const TemporaryFolder folder;
  ASSERT_FALSE(movie(folder / "made.mp4", "-c:v mpeg4 -q:v 2").empty());
  fs::rename(folder / "made.mp4", folder / "take:2.mp4");
  const fs::path before = fs::current_path();
  fs::current_path(folder.path());
  const auto source = openFootage("take:2.mp4");
  fs::current_path(before);
  ASSERT_TRUE(source.ok()) << source.error().message;
  EXPECT_EQ((*source)->info().frames(), kFrames);
}

TEST(Containers, WhatIsNoFilmSaysWhatItIs) {
  const TemporaryFolder folder;
  const std::string cover = (folder / "cover.png").string(), song = (folder / "song.m4a").string();
  ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i testsrc=s=64x64 -frames:v 1 " + cover).c_str()), 0);
  ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i sine=d=1 -i " + cover + " -map 0 -map 1 -c:v png -disposition:v:0 attached_pic " + song).c_str()), 0);
  EXPECT_THAT(openFootage(song).error().message, HasSubstr("sound with a cover picture"));
  EXPECT_THAT(openFootage("/dev/zero").error().message, HasSubstr("pipe or a device"));
  EXPECT_THAT(openFootage(std::string("caf\xe9.mp4")).error().message, HasSubstr("UTF-8"));
  const std::string fields = movie(folder / "fields.mkv", "-vf setfield=tff -c:v mpeg2video -flags +ildct+ilme -q:v 2");
  ASSERT_FALSE(fields.empty());
  const auto source = openFootage(fields);
  ASSERT_TRUE(source.ok());
  EXPECT_THAT((*source)->info().warnings, ::testing::Contains(HasSubstr("interlaced")));
}

TEST(Containers, NumbersOfSequencesAreTakenAsTheyAreMeant) {
  const TemporaryFolder folder;
  ASSERT_FALSE(movie(folder / "p%d.png", "-pix_fmt gray").empty() && !fs::exists(folder / "p1.png"));
  const auto sequence = [&](const std::string& name, const std::vector<std::string>& numbers) {
    const fs::path to = folder / name;
    fs::create_directory(to);
    for (std::size_t i = 0; i < numbers.size(); ++i) fs::copy_file(folder / ("p" + std::to_string(i + 1) + ".png"), to / ("quay." + numbers[i] + ".png"));
    return to;
  };
  const auto negative = openFootage(sequence("negative", {"-002", "-001", "0000", "0001"}));
  ASSERT_TRUE(negative.ok()) << negative.error().message;
  EXPECT_EQ((*negative)->info().first, -2);
  EXPECT_EQ((*negative)->info().last, 1);
  EXPECT_LT(brightness(**negative, -1), brightness(**negative, 0));
  const auto stamps = openFootage(sequence("stamps", {"0000000998", "0000000999", "0000001000"}));
  ASSERT_TRUE(stamps.ok()) << stamps.error().message;
  EXPECT_EQ((*stamps)->info().first, 998);
  const auto dated = openFootage(sequence("dated", {"20231129123456", "20231129123457"}));
  ASSERT_TRUE(dated.ok()) << dated.error().message;
  EXPECT_EQ((*dated)->info().first, 129123456) << "of its billion";
  EXPECT_THAT(openFootage(sequence("far", {"1693526400", "16935264000"})).error().message, HasSubstr("too far"));
  EXPECT_THAT(openFootage(sequence("twice", {"1", "01", "2"})).error().message, HasSubstr("have the same number"));
  const auto slash = openFootage((folder / "negative").string() + "/");
  EXPECT_TRUE(slash.ok());
}

TEST(Containers, AbsurdHeadersAreRefusedBeforeMemoryIsTaken) {
  const TemporaryFolder folder;
  // A PNG whose header claims 65535 × 65535 px, under a checksum that is right.
  ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i testsrc=s=64x64 -frames:v 1 " + (folder / "small.png").string()).c_str()), 0);
  std::string bytes = *readFile(folder / "small.png");
  constexpr std::size_t kKind = 12, kSides = 16, kCheck = 29;
  bytes.replace(kSides, 8, std::string("\0\0\xff\xff\0\0\xff\xff", 8));
  std::uint32_t crc = 0xffffffff;
  for (std::size_t i = kKind; i < kCheck; ++i) {
    crc ^= static_cast<unsigned char>(bytes[i]);
    for (int k = 0; k < 8; ++k) crc = (crc >> 1) ^ (crc & 1 ? 0xedb88320u : 0u);
  }
  crc = ~crc;
  for (std::size_t k = 0; k < 4; ++k) bytes[kCheck + k] = static_cast<char>(crc >> (24 - 8 * k));
  std::ofstream(folder / "huge.0001.png", std::ios::binary) << bytes;
  EXPECT_THAT(openFootage(folder / "huge.0001.png").error().message, HasSubstr("65535×65535"));
  std::ofstream(folder / "text.0001.exr") << "no picture at all";
  EXPECT_THAT(openFootage(folder / "text.0001.exr").error().message, HasSubstr("no exr picture as its name says"));
}

}  // namespace dusky::testing
