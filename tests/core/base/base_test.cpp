#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <cmath>
#include <fstream>
#include <thread>

#include "core/base/atomic_file.h"
#include "core/base/bounded_queue.h"
#include "core/base/content_key.h"
#include "core/base/json_text.h"
#include "core/base/parallel.h"
#include "core/base/progress.h"
#include "core/base/random.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::ElementsAre;
using ::testing::HasSubstr;

TEST(WholeNumbers, AreReadAsWhatTheyAreOrNotAtAll) {
  const auto json = parsedJson(R"({"two":2.0,"half":2.5,"far":1e308,"wide":4294967297,"low":-3,"big":18446744073709551615,"list":[1,2,4294967297]})");
  EXPECT_EQ(json["two"].get<int>(), 2);
  EXPECT_EQ(json["low"].get<int>(), -3);
  EXPECT_EQ(json["wide"].get<std::int64_t>(), 4294967297);
  EXPECT_EQ(json["big"].get<std::uint64_t>(), 18446744073709551615u);
  for (const char* name : {"half", "far", "wide", "big"}) EXPECT_THROW((void)json[name].get<int>(), std::runtime_error) << name;
  EXPECT_THROW((void)json["low"].get<std::uint64_t>(), std::runtime_error);
  EXPECT_THROW((void)json["wide"].get<std::uint8_t>(), std::runtime_error);
  EXPECT_THROW((void)json["list"].get<std::vector<int>>(), std::runtime_error) << "in a list as well";
  const auto implicit = [&] {
    const int frame = json["far"];
    return frame;
  };
  EXPECT_THROW(implicit(), std::runtime_error);
  EXPECT_EQ(nlohmann::json(7).dump(), "7");
}

TEST(Result, HoldsAValueOrAnErrorNeverBoth) {
  const Result<int> good = 7;
  ASSERT_TRUE(good.ok());
  EXPECT_EQ(*good, 7);
  const Result<int> bad = invalidInput("no such thing");
  ASSERT_FALSE(bad.ok());
  EXPECT_EQ(bad.error().kind, ErrorKind::InvalidInput);
  EXPECT_EQ(bad.error().message, "no such thing");
}

TEST(AtomicFile, WritesWholeAndReplacesWhole) {
  const TemporaryFolder folder;
  const fs::path path = folder / "note.txt";
  ASSERT_TRUE(writeFileAtomically(path, "first").ok());
  ASSERT_TRUE(writeFileAtomically(path, "second, longer").ok());
  EXPECT_EQ(*readFile(path), "second, longer");
  EXPECT_EQ(std::distance(fs::directory_iterator(folder.path()), {}), 1) << "a temporary file stayed behind";
}

TEST(AtomicFile, AFolderThatIsNotThereIsRefusedByNameAndLeavesNothing) {
  const TemporaryFolder folder;
  const Status written = writeFileAtomically(folder / "missing" / "note.txt", "text");
  ASSERT_FALSE(written.ok());
  EXPECT_EQ(written.error().kind, ErrorKind::CannotWrite);
  EXPECT_THAT(written.error().message, HasSubstr("missing/note.txt"));
  EXPECT_TRUE(fs::is_empty(folder.path()));
}

TEST(AtomicFile, TheOldFileStandsWhenTheNewOneCannotTakeItsName) {
  const TemporaryFolder folder;
  fs::create_directories(folder / "taken" / "inside");
  const Status written = writeFileAtomically(folder / "taken", "text");  // a folder has that name
  EXPECT_FALSE(written.ok());
  EXPECT_TRUE(fs::is_directory(folder / "taken" / "inside"));
  EXPECT_EQ(std::distance(fs::directory_iterator(folder.path()), {}), 1);
}

TEST(ReadFile, SaysWhatIsWrong) {
  const TemporaryFolder folder;
  EXPECT_THAT(readFile(folder / "nothing").error().message, HasSubstr("nothing"));
  EXPECT_THAT(readFile(folder.path()).error().message, HasSubstr("is a folder"));
}

TEST(KeyBuilder, SameInputsSameKeyAndEveryInputCounts) {
  const auto key = [](std::string_view a, std::string_view b, double x, int n) { return KeyBuilder().add(a).add(b).add(x).add(n).key(); };
  const std::string base = key("ab", "c", 0.5, 3);
  EXPECT_EQ(base, key("ab", "c", 0.5, 3));
  EXPECT_EQ(base.size(), 16u);
  EXPECT_NE(base, key("a", "bc", 0.5, 3)) << "lengths must count";
  EXPECT_NE(base, key("ab", "c", 0.5000001, 3));
  EXPECT_NE(base, key("ab", "c", 0.5, 4));
}

TEST(Random, IsTheSameEverywhereForOneSeed) {
  Random random(42);
  // Fixed by the standard's definition of mt19937_64; a change here changes every stored result.
  EXPECT_EQ(random.index(1000), 406);
  EXPECT_DOUBLE_EQ(Random(42).uniform(), 0.75515553295453897);
}

TEST(Random, NormalHasMeanZeroAndSigmaOne) {
  Random random(3);
  constexpr int kCount = 40000;
  double sum = 0, squares = 0;
  for (int i = 0; i < kCount; ++i) {
    const double v = random.normal();
    sum += v;
    squares += v * v;
  }
  EXPECT_NEAR(sum / kCount, 0, 4 / std::sqrt(kCount));  // four standard errors
  EXPECT_NEAR(squares / kCount, 1, 4 * std::sqrt(2.0 / kCount));
}

TEST(ParallelFor, CallsEachIndexOnce) {
  std::vector<int> calls(1000, 0);
  parallelFor(
      1000, [&](int i) { ++calls[i]; }, 7);
  EXPECT_EQ(std::count(calls.begin(), calls.end(), 1), 1000);
}

TEST(BoundedQueue, KeepsOrderAndEndsAfterClose) {
  BoundedQueue<int> queue(2);
  std::jthread giver([&] {
    for (int i = 0; i < 20; ++i) queue.push(i);
    queue.close();
  });
  std::vector<int> got;
  while (const auto value = queue.pop()) got.push_back(*value);
  ASSERT_EQ(got.size(), 20u);
  EXPECT_TRUE(std::is_sorted(got.begin(), got.end()));
}

TEST(BoundedQueue, ATakerThatLeavesFreesTheGiver) {
  BoundedQueue<int> queue(1);
  bool last_taken = true;
  std::thread giver([&] {
    while (last_taken) last_taken = queue.push(1);
  });
  queue.pop();
  queue.close();
  giver.join();  // would hang if push waited for ever
  EXPECT_FALSE(last_taken);
}

TEST(Progress, PartsMapIntoTheirShare) {
  std::vector<double> heard;
  const Progress whole([&](const ProgressState& s) { heard.push_back(s.fraction); }, {});
  const Progress part = whole.part(0.5, 0.9);
  part.report(0, "a");
  part.report(0.5, "b");
  part.part(0.5, 1).report(1, "c");
  EXPECT_THAT(heard, ElementsAre(::testing::DoubleEq(0.5), ::testing::DoubleEq(0.7), ::testing::DoubleEq(0.9)));
}

TEST(Progress, HearsTheWishToStopAndADefaultOneNeverDoes) {
  std::stop_source source;
  const Progress progress({}, source.get_token());
  EXPECT_FALSE(progress.stopRequested());
  source.request_stop();
  EXPECT_TRUE(progress.stopRequested());
  EXPECT_TRUE(progress.part(0, 0.5).stopRequested());
  EXPECT_FALSE(Progress().stopRequested());
  Progress().report(0.5, "nobody listens");
}

TEST(Progress, TimeLeftIsUnknownAtFirst) {
  double left = 0;
  const Progress progress([&](const ProgressState& s) { left = s.seconds_left; }, {});
  progress.report(0.01, "begin");
  EXPECT_TRUE(std::isnan(left));
  std::this_thread::sleep_for(std::chrono::milliseconds(20));
  progress.report(0.5, "half");
  EXPECT_GT(left, 0);
  EXPECT_LT(left, 5);
}

}  // namespace dusky::testing
