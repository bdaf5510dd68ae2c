// 2D tracks from files for a solve: what is right is read, what is wrong is named.
#include "core/track/track_files.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/atomic_file.h"
#include "tests/support/synthetic_shot.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using ::testing::AllOf;
using ::testing::HasSubstr;

class TrackFiles : public ::testing::Test {
 protected:
  Result<TrackSet> read(const char* name, const std::string& text, int width = 0, int height = 0) {
    EXPECT_TRUE(writeFileAtomically(folder / name, text).ok());
    return readTrackFile(folder / name, width, height);
  }
  std::string refusal(const char* name, const std::string& text, int width = 0, int height = 0) {
    const auto result = read(name, text, width, height);
    return result.ok() ? "it was read" : result.error().message;
  }
  TemporaryFolder folder;
};

const char* const kThree = "track,frame,x_px,y_px\n1,10,5,6\n1,11,6,6\n1,12,7,6\n";

TEST_F(TrackFiles, BothKindsComeBackAsTheyWereWritten) {
  const TrackSet tracks = makeSyntheticShot({.frames = 8, .points = 30, .first_frame = 0}).tracks;
  const auto json = read("a.json", tracksToJson(tracks)), csv = read("a.csv", tracksToCsv(tracks), 1280, 720);
  ASSERT_TRUE(json.ok() && csv.ok());
  for (const auto* set : {&*json, &*csv}) {
    EXPECT_EQ(set->width, 1280);
    EXPECT_EQ(set->first_frame, 0);
    EXPECT_EQ(set->last_frame, 7);
    ASSERT_EQ(set->tracks.size(), tracks.tracks.size());
    for (std::size_t t = 0; t < tracks.tracks.size(); ++t) {
      ASSERT_EQ(set->tracks[t].life(), tracks.tracks[t].life());
      for (int i = 0; i < tracks.tracks[t].life(); ++i)
        EXPECT_LT((set->tracks[t].observations[i].position - tracks.tracks[t].observations[i].position).norm(), 2e-6);
    }
  }
}

TEST_F(TrackFiles, OtherProgramsNeedToWriteLittle) {
  const auto little = read("b.json",
                           R"({"format":"dusky-moth-tracks","version":1,"width":640,"height":360,
                              "tracks":[{"id":7,"observations":[[3,10,20],[4,11,20],[5,12,20]]}]})");
  ASSERT_TRUE(little.ok()) << little.error().message;
  EXPECT_EQ(little->first_frame, 3);
  EXPECT_EQ(little->last_frame, 5);
  EXPECT_EQ(little->tracks[0].born(), 3);
  EXPECT_TRUE(read("b.csv", kThree, 64, 48).ok());
}

// Took memory without end.
TEST_F(TrackFiles, AWrongFrameNumberMakesNoShotOfABillionFrames) {
  EXPECT_THAT(refusal("n.csv", "1,1,5,5\n1,2,5,5\n1,3,5,5\n2,900000000,5,5\n", 64, 48),
              AllOf(HasSubstr("from 1 to 900000000"), HasSubstr("Is one of the numbers wrong?")));
  EXPECT_THAT(refusal("n.csv", "1,1,5,5\n1,2,5,5\n1,99999999999,5,5\n", 64, 48), HasSubstr("Line 3"));
  EXPECT_THAT(refusal("n.csv", "1,-2147483648,5,5\n1,2,5,5\n1,2147483647,5,5\n", 64, 48), HasSubstr("4294967296 frames"));
  EXPECT_THAT(refusal("n.json", R"({"format":"dusky-moth-tracks","version":1,"width":64,"height":48,"first":1,"last":2000000000,
                                    "tracks":[{"id":7,"observations":[[3,10,20],[4,11,20],[5,12,20]]}]})"),
              HasSubstr("from 1 to 2000000000"));
  EXPECT_TRUE(read("n.csv", "1, 900000001, 5.5, 5\n1,900000002,5,1e1\n1,900000003,5,5\n", 64, 48).ok()) << "numbers like dates are fine";
}

TEST_F(TrackFiles, TheSizeMustBeKnownAndMeant) {
  EXPECT_THAT(refusal("c.csv", kThree), AllOf(HasSubstr("c.csv"), HasSubstr("how large the picture is")));
  EXPECT_THAT(refusal("c.csv", "1,1,5000,5\n1,2,5000,5\n1,3,5000,5\n", 640, 360), AllOf(HasSubstr("Track 1"), HasSubstr("5000, 5"), HasSubstr("640×360")));
  const TrackSet tracks = makeSyntheticShot({.frames = 6, .points = 20}).tracks;
  EXPECT_THAT(refusal("c.json", tracksToJson(tracks), 640, 360), AllOf(HasSubstr("1280×720"), HasSubstr("640×360")));
}

TEST_F(TrackFiles, WhatIsWrongInThemIsNamed) {
  EXPECT_THAT(refusal("d.csv", "1,1,5,5\n1,1,6,5\n1,2,5,5\n", 640, 360), HasSubstr("Track 1 is twice in frame 1"));
  EXPECT_THAT(refusal("d.csv", "1,1,nan,5\n", 640, 360), HasSubstr("Line 1"));
  EXPECT_THAT(refusal("d.csv", "1,1,5,5\n1,2,5,5\n2,1,8,8\n", 640, 360), HasSubstr("None of its 2 tracks lives 3 frames"));
  EXPECT_THAT(refusal("d.csv", "", 640, 360), HasSubstr("no tracks"));
  const auto json = [](const std::string& rest) { return R"({"format":"dusky-moth-tracks","version":1,"width":640,"height":360,)" + rest + "}"; };
  const std::string whole = R"([[3,10,20],[4,11,20],[5,12,20]])";
  EXPECT_THAT(refusal("d.json", json(R"("tracks":[{"id":1,"observations":[[3,null,20],[4,1,2],[5,1,2]]}])")), HasSubstr("Track 1 has no place in frame 3"));
  EXPECT_THAT(refusal("d.json", json(R"("tracks":[{"id":1,"observations":)" + whole + R"(},{"id":1,"observations":)" + whole + "}]")),
              HasSubstr("two tracks with the id 1"));
  EXPECT_THAT(refusal("d.json", json(R"("first":4,"last":9,"tracks":[{"id":1,"observations":)" + whole + "}]")), HasSubstr("outside of its own range 4–9"));
  EXPECT_THAT(refusal("d.json", json(R"("first":3,"last":5,"frames":[3,5],"tracks":[{"id":1,"observations":)" + whole + "}]")), HasSubstr("in frame 4"));
  EXPECT_THAT(refusal("d.json", "{\"format\":\"other\"}"), HasSubstr("not a file of tracks"));
  EXPECT_THAT(refusal("d.json", "{"), HasSubstr("cannot be read"));
  EXPECT_THAT(refusal("d.txt", kThree), HasSubstr(".json or .csv"));
  EXPECT_THAT(readTrackFile(folder / "none.csv").error().message, HasSubstr("none.csv"));
}

TEST_F(TrackFiles, FramesThatTheFootageHasNotAreNamed) {
  auto tracks = read("e.csv", kThree, 64, 48);
  ASSERT_TRUE(tracks.ok());
  FootageInfo footage{.width = 64, .height = 48, .first = 10, .last = 12};
  EXPECT_TRUE(checkInFootage(*tracks, footage).ok());
  footage.last = 11;
  EXPECT_THAT(checkInFootage(*tracks, footage).error().message, AllOf(HasSubstr("frame 12"), HasSubstr("10–11")));
}

}  // namespace dusky::testing
