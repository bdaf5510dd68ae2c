// moth runs and moth prune: the ledger of a project, and bad tracks out of its solve.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "core/base/atomic_file.h"
#include "core/pipeline/workspace.h"
#include "core/track/track_files.h"
#include "tests/apps/cli/run_moth.h"
#include "tests/support/synthetic_shot.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using ::testing::AllOf;
using ::testing::HasSubstr;
using Json = nlohmann::json;

class RunsAndPrune : public ::testing::Test {
 protected:
  void SetUp() override {
    const SyntheticPlan plan{.frames = 24, .points = 200, .noise_px = 0.25, .slide_share = 0.2, .slide_px = 2};
    ASSERT_TRUE(writeFileAtomically(folder / "walk.json", tracksToJson(makeSyntheticShot(plan).tracks)).ok());
    ASSERT_EQ(moth({"solve", "--tracks", at("walk.json"), "-o", at("a"), "--quiet"}).code, 0);
  }
  std::string at(const char* name) const { return (folder / name).string(); }
  std::string project() const { return at("a/walk.moth"); }
  Json jsonOf(const std::vector<std::string>& command) {
    const Ran ran = moth(command);
    EXPECT_EQ(ran.code, 0) << ran.err;
    return ran.code == 0 ? Json::parse(ran.out) : Json();
  }
  std::string rules(const char* text) {
    EXPECT_TRUE(writeFileAtomically(folder / "rules.json", text).ok());
    return at("rules.json");
  }
  TemporaryFolder folder;
};

TEST_F(RunsAndPrune, EachSolveOfAProjectIsListed) {
  ASSERT_EQ(moth({"solve", project(), "-o", at("b"), "--motion", "free", "--save", "--quiet"}).code, 0);
  const Json ledger = jsonOf({"runs", project(), "--json"});
  EXPECT_EQ(ledger["format"], "dusky-moth-runs");
  EXPECT_EQ(ledger["shown"], 2);
  ASSERT_EQ(ledger["runs"].size(), 2u);
  EXPECT_TRUE(ledger["runs"][0]["parent"].is_null());
  EXPECT_EQ(ledger["runs"][1]["parent"], 1);
  EXPECT_EQ(ledger["runs"][1]["changes"], Json({"camera motion: free"}));
  EXPECT_EQ(ledger["runs"][0]["frames"], 24);
  const Json report = Json::parse(*readFile(folder / "a" / "report.json"));
  EXPECT_EQ(ledger["runs"][0]["rms_px"], report["rms_px"]);
  EXPECT_EQ(ledger["runs"][0]["verdict"], report["verdict"]["level"]);
  EXPECT_THAT(moth({"runs", project()}).out, AllOf(HasSubstr("> Run 2"), HasSubstr("after Run 1: camera motion: free")));
  EXPECT_EQ(moth({"runs", at("walk.json")}).code, 2);
}

TEST_F(RunsAndPrune, RulesTakeTracksOutAndTheProjectKeepsItOnlyWhenAsked) {
  const std::string file = rules(R"({"format":"dusky-moth-rules","version":1,"max_typical_px":0.42,"max_sighting_px":0.8})");
  const Json tried = jsonOf({"prune", project(), "--rules", file, "--json", "--quiet"});
  EXPECT_EQ(tried["saved"], false);
  ASSERT_GT(tried["set_aside"].size(), 2u);
  EXPECT_LT(tried["after"]["rms_px"].get<double>(), tried["before"]["rms_px"].get<double>());
  EXPECT_NEAR(tried["predicted"]["rms_px"].get<double>(), tried["after"]["rms_px"].get<double>(), 0.05 * tried["after"]["rms_px"].get<double>());
  EXPECT_EQ(jsonOf({"runs", project(), "--json"})["runs"].size(), 1u) << "it was left alone";
  const Ran saved = moth({"prune", project(), "--rules", file, "--save", "--quiet"});
  ASSERT_EQ(saved.code, 0) << saved.err;
  const Json ledger = jsonOf({"runs", project(), "--json"});
  ASSERT_EQ(ledger["runs"].size(), 2u);
  EXPECT_EQ(ledger["runs"][1]["rms_px"], tried["after"]["rms_px"]);
  EXPECT_EQ(ledger["runs"][1]["refined"], true);
  Workspace w;
  ASSERT_TRUE(w.openProject(project(), nullptr, ProjectStore::Access::Read).ok());
  EXPECT_EQ(w.document().picks.set_aside, tried["set_aside"].get<std::vector<int>>());
  EXPECT_EQ(w.status(Step::Solve).state, StepState::Current);
}

TEST_F(RunsAndPrune, ByItselfItSaysWhatItTriedAndWhatCannotBeIsRefused) {
  const Json by_itself = jsonOf({"prune", project(), "--auto", "--json", "--quiet"});
  EXPECT_FALSE(by_itself["note"].get<std::string>().empty());
  EXPECT_LE(by_itself["after"]["holdout_rms_px"].get<double>(), 1.01 * by_itself["before"]["holdout_rms_px"].get<double>());
  const Ran in_one_go = moth({"solve", "--tracks", at("walk.json"), "-o", at("c"), "--prune"});
  ASSERT_EQ(in_one_go.code, 0) << in_one_go.err;
  EXPECT_THAT(in_one_go.out, HasSubstr("pruned "));
  EXPECT_EQ(Json::parse(*readFile(folder / "c" / "report.json"))["holdout_rms_px"], by_itself["after"]["holdout_rms_px"]) << "right after the solve, the same";
  EXPECT_THAT(moth({"prune", project()}).err, HasSubstr("--rules FILE, or --auto"));
  EXPECT_THAT(moth({"prune", project(), "--auto", "--rules", rules("{}")}).err, HasSubstr("not both"));
  const Ran wrong = moth({"prune", project(), "--rules", rules(R"({"format":"dusky-moth-rules","version":1,"max_error":2})")});
  EXPECT_EQ(wrong.code, 2);
  EXPECT_THAT(wrong.err, AllOf(HasSubstr("rules.json"), HasSubstr("max_error")));
  EXPECT_EQ(moth({"prune", at("walk.json"), "--auto"}).code, 2);
}

}  // namespace dusky::testing
