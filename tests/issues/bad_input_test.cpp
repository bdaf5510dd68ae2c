// Input that crashed, hung, grew without bound or was ignored: each is refused with one sentence of ours.
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <fstream>

#include "core/base/json_text.h"
#include "core/lens/lens_file.h"
#include "core/pipeline/steps.h"
#include "core/project/document.h"
#include "core/project/result_codec.h"
#include "core/track/track_files.h"
#include "tests/apps/cli/run_moth.h"
#include "tests/support/shot_maker.h"
#include "tests/support/synthetic_shot.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::AllOf;
using ::testing::HasSubstr;
using ::testing::Not;

class BadInput : public ::testing::Test {
 protected:
  static const std::string& footage() { return quaySequence(6); }
  /// Refused before the work begins, with one sentence that names what is wrong and no library's words.
  void expectRefused(std::vector<std::string> arguments, const std::string& word) {
    const Ran ran = moth(arguments);
    EXPECT_EQ(ran.code, 2) << ran.err;
    EXPECT_THAT(ran.err, AllOf(HasSubstr(word), Not(HasSubstr("exception")), Not(HasSubstr("libpng")), Not(HasSubstr("%"))));
  }
  void expectSolveRefused(std::vector<std::string> options, const std::string& word) {
    options.insert(options.begin(), {"solve", footage(), "-o", (out / "solved").string()});
    expectRefused(std::move(options), word);
    EXPECT_FALSE(fs::exists(out / "solved"));
  }
  TemporaryFolder out;
};

TEST_F(BadInput, OptionsAreNeitherIgnoredNorBelieved) {
  expectSolveRefused({"--frames", "0-0"}, "0-1");
  for (const char* focal : {"0", "nan", "-3", "inf"}) expectSolveRefused({"--focal-px", focal}, "must be over 0");
  expectSolveRefused({"--focal-px", "3"}, "10 to 1e+06 px");
  for (const char* aspect : {"0", "-1", "nan"}) expectSolveRefused({"--pixel-aspect", aspect}, "--pixel-aspect must be");
  expectSolveRefused({"--focal", "unknown", "--focal-px", "900"}, "takes no focal length");
  expectSolveRefused({"--focal", "zoom", "--focal-px", "900"}, "takes no focal length");
  expectSolveRefused({"--focal-tolerance", "2"}, "nearly known");
  expectSolveRefused({"--value", "squeeze=1"}, "has no \"squeeze\"");
  expectSolveRefused({"--value", "k1=1e308"}, "-100 to 100");
  expectSolveRefused({"--value", "cx_px=1e6"}, "-100000 to 100000");
  expectSolveRefused({"--value", "k1=0,nan"}, "k1");
  expectSolveRefused({"--readout-ms", "nan"}, "readout");
  expectSolveRefused({"--seed", "1.5"}, "seed");
  expectRefused({"sweep", footage(), "--parameter", "k1", "--from", "-1", "--to", "1", "--second-from", "3"}, "--second-from needs --second");
  for (const auto& [from, to] : {std::pair{"-inf", "900"}, {"-5", "900"}, {"400", "inf"}, {"nan", "900"}})
    expectRefused({"sweep", footage(), "--parameter", "focal_px", "--from", from, "--to", to, "--points", "3"}, "focal_px");
}

TEST_F(BadInput, OutputsAreCheckedBeforeTheWork) {
  const fs::path file = out / "file";
  std::ofstream(file) << "x";
  expectRefused({"solve", footage(), "-o", (file / "below").string()}, "is a file, not a folder");
  expectRefused({"solve", footage(), "-o", (out / std::string(300, 'n')).string()}, "255 bytes");
  fs::create_directory_symlink("circle", out / "circle");
  expectRefused({"solve", footage(), "-o", (out / "circle").string()}, "circle");
  expectRefused({"track", footage(), "-o", (out / "no" / "tracks.json").string()}, "there is no folder");
  fs::create_directory(out / "t.json");
  expectRefused({"track", footage(), "-o", (out / "t.json").string()}, "folder of that name");
}

TEST_F(BadInput, PipesAndDevicesAreNotRead) {
  for (const char* name : {"p.mp4", "p.json", "p.moth"}) ::mkfifo((out / name).c_str(), 0600);
  expectRefused({"info", (out / "p.mp4").string()}, "pipe or a device");
  expectRefused({"solve", (out / "p.moth").string(), "-o", (out / "s").string()}, "pipe or a device");
  expectRefused({"solve", footage(), "-o", (out / "s").string(), "--lens-file", (out / "p.json").string()}, "pipe or a device");
  expectRefused({"compare", "/dev/zero", (out / "p.json").string()}, "pipe or a device");
}

TEST_F(BadInput, NamesThatAreNoText) {
  const fs::path folder = out / std::string("caf\xe9");
  fs::create_directory(folder);
  for (const auto& entry : fs::directory_iterator(footage())) {
    if (entry.path().extension() == ".png") fs::copy_file(entry.path(), folder / entry.path().filename());
  }
  expectRefused({"solve", folder.string(), "-o", (out / "s").string()}, "UTF-8");
  expectRefused({"track", footage(), "-o", (out / "t.json").string(), "--masks", folder.string()}, "UTF-8");
}

TEST_F(BadInput, AWorkingDirectoryThatIsGone) {
  const fs::path before = fs::current_path(), gone = out / "gone";
  fs::create_directory(gone);
  fs::current_path(gone);
  fs::remove(gone);
  const Ran ran = moth({"info", "shot.mp4"});
  fs::current_path(before);
  EXPECT_EQ(ran.code, 2);
  EXPECT_THAT(ran.err, HasSubstr("working directory is gone"));
}

TEST_F(BadInput, DamagedTextIsSaidInWordsOfOurs) {
  const std::string deep(100000, '[');
  for (const std::string& text : {std::string(R"({"format":"dusky-moth-report","cameras":{}})"), std::string(R"({"format":"dusky-moth-report","cameras":[]})"),
                                  std::string(R"({"format":"dusky-moth-lens","width":"wide"})"), std::string(R"({"format":"dusky-moth-lens"})"),
                                  std::string("{\"a\":"), deep, std::string("\xff\xfe")}) {
    const auto lens = lensFromJson(text);
    ASSERT_FALSE(lens.ok()) << text.substr(0, 60);
    EXPECT_THAT(lens.error().message, AllOf(Not(HasSubstr("exception")), Not(HasSubstr("parse error")), Not(HasSubstr("type_error"))));
    EXPECT_FALSE(documentFromJson(text + "]").ok());
    EXPECT_FALSE(tracksFromJson(text).ok());
  }
  EXPECT_THAT(lensFromJson(deep).error().message, HasSubstr("nested too deeply"));
  EXPECT_THAT(lensFromJson(R"({"format":"dusky-moth-lens"})").error().message, HasSubstr("\"model\" is missing"));
  EXPECT_FALSE(decodeTracks(std::string(200000, '\x81')).ok()) << "nested lists in binary";
  EXPECT_FALSE(decodeSolution(std::string(200000, '\xa1')).ok());
}

TEST_F(BadInput, CodesOutOfRangeAreDamage) {
  TrackSet tracks = makeSyntheticShot({.frames = 5, .points = 20}).tracks;
  EXPECT_TRUE(decodeTracks(encode(tracks)).ok());
  tracks.tracks[3].stop = static_cast<StopReason>(77);
  EXPECT_FALSE(decodeTracks(encode(tracks)).ok());
  Document document;
  document.work.by_hand.push_back({.id = 1, .points = {{.frame = 1}}});
  EXPECT_TRUE(documentFromJson(documentToJson(document)).ok());
  document.work.by_hand[0].start = static_cast<StopReason>(77);
  EXPECT_FALSE(documentFromJson(documentToJson(document)).ok());
}

TEST_F(BadInput, ComparedShotsThatShareNothingGiveNoFigures) {
  const auto write = [&](const char* name, const std::string& text) { return std::ofstream(out / name) << text, (out / name).string(); };
  const auto shot = [](const std::string& format, const std::string& points) {
    return R"({"format":")" + format +
           R"(","footage":{"width":64,"height":48,"first":1,"last":2},"cameras":{"A":{"width":64,"height":48,"lens":{"model":"none","parameters":{"focal_px":50,"cx_px":32,"cy_px":24}}}},"frames":[{"frame":1,"camera":"A","world_from_camera":[[1,0,0,0],[0,1,0,0],[0,0,1,0],[0,0,0,1]]},{"frame":2,"camera":"A","world_from_camera":[[1,0,0,1],[0,1,0,0],[0,0,1,0],[0,0,0,1]]}],"points":[)" +
           points + "]}";
  };
  const std::string report = write("report.json", shot("dusky-moth-report", "")), behind = write("truth.json", shot("dusky-moth-truth", R"({"xyz":[0,0,-5]})"));
  expectRefused({"compare", report, behind}, "No true point is in sight");
  std::string flat = shot("dusky-moth-truth", R"({"xyz":[0,0,5]})");
  flat.replace(flat.find("[1,0,0,0]"), 9, "[0,0,0,0]");
  expectRefused({"compare", report, write("flat.json", flat)}, "axes are not square");
}

TEST_F(BadInput, AFullDeviceBehindTheOutputIsAnError) {
  const std::string program = DUSKY_MOTH;
  const int status = std::system((program + " info " + footage() + " > /dev/full 2>/dev/null").c_str());
  EXPECT_EQ(WEXITSTATUS(status), 2);
}

TEST_F(BadInput, TheShotIsCalledAfterItsFolder) {
  EXPECT_EQ(shotName("/a/b/quay.mp4"), "quay");
  EXPECT_EQ(shotName("/a/quay/"), "quay");
  EXPECT_EQ(shotName("/"), "shot");
  const fs::path before = fs::current_path();
  fs::current_path(footage());
  EXPECT_EQ(shotName("."), fs::path(footage()).filename().string());
  fs::current_path(before);
}

// An endless number went into the project, which could not be read again.
TEST_F(BadInput, EndlessSettingsAreRefusedAlsoWhereNothingIsTracked) {
  const TemporaryFolder folder;
  std::ofstream(folder / "walk.csv") << "1,1,5,5\n1,2,6,5\n1,3,7,5\n";
  for (const char* option : {"--strength", "--spacing"}) {
    const Ran ran = moth({"solve", "--tracks", (folder / "walk.csv").string(), "--size", "64x48", "-o", (folder / "s").string(), option, "inf"});
    EXPECT_EQ(ran.code, 2) << option;
    EXPECT_THAT(ran.err, ::testing::HasSubstr("inf")) << option;
  }
}

}  // namespace dusky::testing
