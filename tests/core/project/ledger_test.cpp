#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/project/document_changes.h"
#include "core/project/edits.h"
#include "core/project/ledger.h"

namespace dusky::testing {
using ::testing::ElementsAre;
using ::testing::IsEmpty;

Run runFor(const std::string& asked, const std::string& own) { return {.keys = {.tracks = "t", .asked = asked, .own = own}}; }

TEST(Ledger, TheNewestAnswerIsShownUnlessAnotherIsWanted) {
  Ledger ledger;
  EXPECT_EQ(ledger.add(runFor("near", "near")), 1);
  EXPECT_EQ(ledger.add(runFor("far", "far")), 2);
  EXPECT_EQ(ledger.add(runFor("near", "near, refined")), 3);
  LedgerMarks marks;
  EXPECT_EQ(ledger.answering("near", marks)->id, 3);
  EXPECT_EQ(ledger.answering("nobody asked", marks), nullptr);
  marks.shown = 1;
  EXPECT_EQ(ledger.answering("near", marks)->id, 1);
  EXPECT_EQ(ledger.answering("far", marks)->id, 2) << "what is wanted answers another question";
  marks.dropped = {1};
  EXPECT_EQ(ledger.answering("near", marks)->id, 3);
}

TEST(Ledger, ANumberIsGivenOnceAndTheSameSolveIsTheSameRun) {
  Ledger ledger;
  ledger.add(runFor("a", "a"));
  ledger.add(runFor("b", "b"));
  EXPECT_EQ(ledger.add(runFor("a", "a")), 1);
  ledger.remove(2);
  EXPECT_EQ(ledger.add(runFor("c", "c")), 3);
  EXPECT_EQ(ledger.find(2), nullptr);
  Ledger read({{.id = 7, .keys = {.own = "x"}}});
  EXPECT_EQ(read.add(runFor("y", "y")), 8);
}

TEST(Ledger, ASummaryComesBackAsItWas) {
  RunSummary s{
      .rms_px = 0.31, .verdict = "check", .sentence = "Look at the \"quay\".", .zooms = true, .placed = 118, .frames = 120, .kept = 640, .thinnest_frame = 41};
  const RunSummary back = runSummaryFromJson(runSummaryToJson(s));
  EXPECT_EQ(back.rms_px, 0.31);
  EXPECT_TRUE(std::isnan(back.holdout_rms_px));
  EXPECT_EQ(back.sentence, s.sentence);
  EXPECT_EQ(std::make_tuple(back.zooms, back.placed, back.frames, back.kept, back.thinnest_frame), std::make_tuple(true, 118, 120, 640, 41));
  EXPECT_TRUE(std::isnan(runSummaryFromJson("{\"rms_px\":").rms_px)) << "a damaged line is no reason to lose a project";
}

TEST(DocumentChanges, AreSaidInWords) {
  Document a;
  a.footage_path = "quay.mov";
  a.picks.set_aside = {3, 8};
  EXPECT_THAT(changesBetween(a, a), IsEmpty());
  Document b = a;
  b.lens.focal = FocalKnowledge::Near, b.lens.focal_mm = 35;
  b.lens.motion = CameraMotion::Nodal;
  b.lens.values["k1"] = {-0.1, 0.01};
  b.lens.releases["k2"] = Release::Off;
  b.picks.set_aside = {8, 9, 10};
  EXPECT_THAT(changesBetween(a, b),
              ElementsAre("focal length: 35 mm ± 3 %", "camera motion: tripod", "k2: off", "k1: -0.1 ± 0.01", "2 tracks set aside", "1 track put back"));
  EXPECT_THAT(changesBetween(b, a),
              ElementsAre("focal length: unknown", "camera motion: automatic", "k2: automatic", "k1: free", "1 track set aside", "2 tracks put back"));
  Document c = a;
  c.masks.shapes = {newMask(a, MaskShape::Box)};
  c.masks.shapes[0].name = "boat";
  c.tracking.features = 900;
  c.tracking.first_frame = 10, c.tracking.last_frame = 60;
  EXPECT_THAT(changesBetween(a, c), ElementsAre("frames 10 to 60", "mask \"boat\" added", "tracking settings"));
  EXPECT_THAT(changesBetween(c, a), ElementsAre("all frames", "mask \"boat\" removed", "tracking settings"));
  Document d = a;
  d.picks.scene.ground = {1, 2, 3};
  d.delivery.folder = "out";
  EXPECT_THAT(changesBetween(a, d), IsEmpty()) << "nothing that a solve would feel";
}

}  // namespace dusky::testing
