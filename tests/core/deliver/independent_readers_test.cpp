// Deliveries as programs see them that have nothing of ours: the glTF validator of the standard, a USD reader, and a general 3D library in a browser.
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <regex>

#include "core/base/atomic_file.h"
#include "tests/support/made_delivery.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using Json = nlohmann::json;

constexpr const char* kReaders = DUSKY_SOURCE "/tests/validator";

/// What a program prints; nothing where it fails.
std::string printed(const std::string& command) {
  std::string text;
  FILE* pipe = ::popen(command.c_str(), "r");
  char part[4096];
  while (const std::size_t got = std::fread(part, 1, sizeof(part), pipe)) text.append(part, got);
  return ::pclose(pipe) == 0 ? text : std::string();
}

class IndependentReaders : public ::testing::TestWithParam<ShotKind> {
 protected:
  IndependentReaders() : made(smallPlan(GetParam())) {
    DeliveryChoices choices;
    choices.what = {"camera.glb", "camera.usda", "plates"};
    choices.plates.fit = PlateFit::Whole;
    const auto delivered = deliver(made.input(), choices, folder.path(), {});
    EXPECT_TRUE(delivered.ok() && delivered->receipt->passed());
  }
  const MadeDelivery made;
  const TemporaryFolder folder;
};

TEST_P(IndependentReaders, TheStandardsValidatorIsContent) {
  EXPECT_EQ(std::system(fmt::format("node {}/check.mjs {}", kReaders, (folder / "camera.glb").string()).c_str()), 0);
}

TEST_P(IndependentReaders, AUsdReaderFindsTheSameMatricesAndFocalLengths) {
  const std::string text = printed(fmt::format("node {}/usd.mjs {}", kReaders, (folder / "camera.usda").string()));
  ASSERT_NE(text, "");
  EXPECT_THAT(text, ::testing::HasSubstr("upAxis = \"Y\""));
  EXPECT_THAT(text, ::testing::HasSubstr("metersPerUnit = 1"));
  std::map<int, std::vector<double>> matrices;
  const std::regex number("-?[0-9][-+.e0-9]*"), line("\n +([0-9]+): (\\(.*\\)),?");
  for (auto found = std::sregex_iterator(text.begin(), text.end(), line); found != std::sregex_iterator(); ++found) {
    const std::string row = (*found)[2];
    for (auto n = std::sregex_iterator(row.begin(), row.end(), number); n != std::sregex_iterator(); ++n)
      matrices[std::stoi((*found)[1])].push_back(std::stod(n->str()));
  }
  ASSERT_EQ(matrices.size(), made.solution.frames.size());
  for (const SolvedFrame& frame : made.solution.frames) {
    const Pose pose = made.scene.scene_from_solve * frame.pose;
    const Mat3 turn = pose.world_from_camera.toRotationMatrix() * Eigen::DiagonalMatrix<double, 3>(1, -1, -1);
    const auto& m = matrices.at(frame.frame);
    ASSERT_EQ(m.size(), 16u);
    for (int i = 0; i < 3; ++i) {
      for (int k = 0; k < 3; ++k) EXPECT_NEAR(m[4 * k + i], turn(i, k), 1e-6);
      EXPECT_NEAR(m[12 + i], pose.centre[i], 1e-6);
    }
  }
  const auto after = [&](const std::string& name) {
    std::smatch found;
    return std::regex_search(text, found, std::regex(name + " = ([0-9.e+-]+)")) ? std::stod(found[1]) : 0;
  };
  const double per_px = after("float horizontalAperture") / made.solution.lens().width;
  std::smatch samples;
  if (GetParam() != ShotKind::Zoom) {
    EXPECT_GT(after("float focalLength"), 0);
    return;
  }
  ASSERT_TRUE(std::regex_search(text, samples, std::regex("focalLength.timeSamples = \\{([^}]*)\\}")));
  const std::string list = samples[1];
  int count = 0;
  double ratio = 0;
  const std::regex sample("([0-9]+): ([0-9.e+-]+)");
  for (auto found = std::sregex_iterator(list.begin(), list.end(), sample); found != std::sregex_iterator(); ++found, ++count) {
    const double per_focal = std::stod((*found)[2]) / made.solution.frameAt(std::stoi((*found)[1]))->focal_px;
    if (count == 0) ratio = per_focal;
    EXPECT_NEAR(per_focal / ratio, 1, 1e-6);
  }
  EXPECT_EQ(count, 6);
  EXPECT_GT(per_px, 0);
}

TEST_P(IndependentReaders, ABrowserDrawsThePointsOnThePlates) {
  Json frames = Json::array();
  const std::string plate = "/plates/plate.";
  for (const int frame : {1003, 1001, 1002, 1005, 1006})
    frames.push_back({{"frame", frame}, {"plate", plate + std::to_string(frame) + ".png"}, {"points", Json::array()}});
  // Where tracks were measured, on plates of the size that they have: through the lens, by hand.
  const std::string bytes = *readFile(folder / "plates" / "plate.1001.png");
  const auto word = [&](std::size_t at) {
    int value = 0;
    for (std::size_t k = 0; k < 4; ++k) value = 256 * value + static_cast<unsigned char>(bytes[at + k]);
    return value;
  };
  const int width = word(16), height = word(20);
  ASSERT_GT(width, 320);
  for (auto& frame : frames) {
    const Lens lens = made.solution.lensIn(frame["frame"]);
    for (const Track& track : made.tracks().tracks) {
      const Observation* seen = track.at(frame["frame"]);
      if (!seen) continue;
      const Vec2 n = *lens.undistort(seen->position);
      frame["points"].push_back({track.id, width / 2.0 + lens.focal_px * n.x(), height / 2.0 + lens.focal_px * n.y()});
    }
  }
  const Json job{{"folder", folder.path().string()}, {"first", 1001}, {"fps", made.shot().info().fps}, {"frames", frames}};
  ASSERT_TRUE(writeFileAtomically(folder / "job.json", job.dump()).ok());
  const std::string told = printed(fmt::format("node {}/browser.mjs {} {}", kReaders, (folder / "job.json").string(), (folder / "seen.png").string()));
  ASSERT_NE(told, "");
  const Json result = Json::parse(told);
  ASSERT_EQ(result.size(), 5u);
  for (const Json& frame : result) {
    EXPECT_EQ(frame["plate"], Json({width, height}));
    EXPECT_GT(frame["count"], 10);
    EXPECT_LT(frame["rms"], 0.2) << frame.dump() << ": the tracks' own noise is 0.14 px";
    EXPECT_LT(frame["worst"], 0.6) << frame.dump();
  }
}

INSTANTIATE_TEST_SUITE_P(Shots, IndependentReaders, ::testing::Values(ShotKind::Free, ShotKind::Zoom));

}  // namespace dusky::testing
