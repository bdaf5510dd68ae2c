// Rendered shots of all kinds drawn at random, delivered with choices drawn at random: whether what is right passes its receipt, and whether what was made from
// a solve that is off in one way, held against the right one, does not.
//   build/release/bench/delivery_study [shots [first seed]]
#include <fmt/format.h>

#include <cmath>
#include <cstdlib>
#include <map>

#include "bench/random_pictures.h"
#include "core/base/random.h"
#include "tests/support/made_delivery.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace {

template <class T>
T oneOf(Random& random, const std::vector<T>& all) {
  return all[static_cast<std::size_t>(random.index(static_cast<int>(all.size())))];
}

/// Small and short, so that hundreds can be drawn.
ShotPlan smaller(ShotPlan plan, Random& random) {
  const double share = static_cast<double>(oneOf(random, std::vector{240, 320, 400})) / plan.width;
  plan.width = static_cast<int>(plan.width * share), plan.height = static_cast<int>(plan.height * share);
  plan.lens.width = plan.width, plan.lens.height = plan.height;
  plan.lens.focal_px *= share, plan.lens.cx_px *= share, plan.lens.cy_px *= share;
  plan.lens.k1() = random.between(-0.3, 0.08);
  plan.lens.cx_px += random.between(-6, 6), plan.lens.cy_px += random.between(-6, 6);
  if (plan.focal_px) plan.focal_px = [focal = plan.focal_px, share](double t) { return share * focal(t); };
  plan.frames = 4 + random.index(8), plan.first_frame = oneOf(random, std::vector{0, 1, 97, 1001});
  plan.samples = 2, plan.blur_samples = 2;
  return plan;
}

DeliveryChoices randomChoices(Random& random, bool metric) {
  DeliveryChoices choices;
  choices.what = {"camera.glb", "camera.usda", "points.ply", "camera.csv", "points.csv", "lens.json",
                  "st-maps",    "plates",      "splat-set",  "stills",     "report.json"};
  WorldOptions& world = choices.world;
  world.up = oneOf<std::optional<UpAxis>>(random, {std::nullopt, UpAxis::Y, UpAxis::Z});
  if (metric) world.unit = oneOf<std::string>(random, {"", "cm", "ft"});
  world.scale = oneOf(random, std::vector{1.0, 1.0, 0.01, 25.0});
  world.start = oneOf<std::optional<int>>(random, {std::nullopt, 0, 1, 86400});
  world.fps = oneOf(random, std::vector{0.0, 0.0, 25.0, 23.976});
  world.key_tolerance_px = oneOf(random, std::vector{0.0, 0.0, 0.05});
  choices.plates.fit = oneOf(random, std::vector{PlateFit::Frame, PlateFit::Whole});
  choices.plates.format = oneOf(random, std::vector{PlateFormat::Png, PlateFormat::Exr, PlateFormat::Jpeg});
  choices.plates.filter = oneOf(random, std::vector{ResampleFilter::Cubic, ResampleFilter::Linear, ResampleFilter::Lanczos});
  if (random.uniform() < 0.3) choices.plates.focal_px = random.between(120, 500);
  choices.splat.reduced = oneOf(random, std::vector{1, 1, 2});
  choices.splat.centred = random.uniform() < 0.5;
  return choices;
}

using Sabotage = void (*)(MadeDelivery&);
/// What exporters get wrong, each as a change of what they write from.
const std::map<std::string, Sabotage> kSabotages = {
    {"focal 2 % off",
     [](MadeDelivery& made) {
       made.solution.cameras[0].lens.focal_px *= 1.02;
       for (SolvedFrame& frame : made.solution.frames) frame.focal_px *= 1.02;
     }},
    {"a frame late",
     [](MadeDelivery& made) {
       auto& frames = made.solution.frames;
       for (std::size_t k = frames.size() - 1; k > 0; --k) frames[k].pose = frames[k - 1].pose, frames[k].focal_px = frames[k - 1].focal_px;
     }},
    {"mirrored",
     [](MadeDelivery& made) {
       for (SolvedTrack& track : made.solution.tracks) track.point.x() *= -1;
       for (SolvedFrame& frame : made.solution.frames) {
         frame.pose.centre.x() *= -1;
         auto& turn = frame.pose.world_from_camera;
         turn = Eigen::Quaterniond(turn.w(), turn.x(), -turn.y(), -turn.z());
       }
     }},
    {"turned by 0.5°",
     [](MadeDelivery& made) {
       for (SolvedFrame& frame : made.solution.frames) frame.pose.world_from_camera = frame.pose.world_from_camera * rotationFromVector(Vec3(0, 0.00873, 0));
     }},
    {"axis 5 px off", [](MadeDelivery& made) { made.solution.cameras[0].lens.cx_px += 5; }},
    {"bent the other way", [](MadeDelivery& made) { made.solution.cameras[0].lens.k1() *= -1; }},
};

struct Tally {
  int passed = 0, failed = 0, refused = 0;
  std::map<std::string, std::array<int, 3>> sabotage;  ///< Found, missed, within what a receipt lets pass.
};

/// How far what is off is off, px RMS over everything: below what receipts let pass it does no harm.
double harmOf(const MadeDelivery& right, const MadeDelivery& off) {
  double squares = 0;
  int count = 0;
  for (std::size_t k = 0; k < right.solution.tracks.size(); ++k) {
    for (const TrackError& error : right.solution.tracks[k].errors) {
      const SolvedFrame* frame = off.solution.frameAt(error.frame);
      const auto seen = project(off.solution.lensAt(*frame), frame->pose, off.solution.tracks[k].point);
      if (!seen) continue;
      squares += (*seen - error.reprojected).squaredNorm(), ++count;
    }
  }
  return std::sqrt(squares / std::max(1, count));
}

void sabotageOnce(const MadeDelivery& right, const ShotPlan& plan, const DeliveryChoices& choices, const std::string& text, Tally& tally) {
  for (const auto& [name, change] : kSabotages) {
    MadeDelivery off(plan);
    change(off);
    const TemporaryFolder folder;
    DeliveryChoices quiet = choices;
    quiet.receipt = false;
    if (!deliver(off.input(), quiet, folder.path(), {}).ok()) continue;
    const auto receipt = checkDelivery(right.input(), choices, folder.path(), {});
    auto& [found, missed, harmless] = tally.sabotage[name];
    if (!receipt.ok() || !receipt->passed()) {
      ++found;
      continue;
    }
    const double harm = harmOf(right, off);
    ++(harm < 0.5 ? harmless : missed);
    if (harm >= 0.5) fmt::print("MISSED  {}: {} ({:.2f} px off)\n", text, name, harm);
  }
}

void study(int shots, std::uint64_t first) {
  Tally tally;
  for (std::uint64_t seed = first; seed < first + static_cast<std::uint64_t>(shots); ++seed) {
    Random random(seed * 77 + 5);
    RandomPictures drawn = randomPictures(seed);
    drawn.plan = smaller(drawn.plan, random);
    const MadeDelivery right(drawn.plan);
    const DeliveryChoices choices = randomChoices(random, right.scene.metric);
    const TemporaryFolder folder;
    const auto delivered = deliver(right.input(), choices, folder.path(), {});
    const std::string text = fmt::format("seed {}: {}", seed, drawn.text());
    if (!delivered.ok()) {
      ++tally.refused, fmt::print("refused {}: {}\n", text, delivered.error().message);
      continue;
    }
    ++(delivered->receipt->passed() ? tally.passed : tally.failed);
    if (!delivered->receipt->passed()) fmt::print("FAILED  {}: {}\n", text, delivered->receipt->failure());
    if (delivered->receipt->passed() && seed % 4 == 0) sabotageOnce(right, drawn.plan, choices, text, tally);
    std::fflush(stdout);
  }
  fmt::print("\n{} passed, {} failed though right, {} refused\n", tally.passed, tally.failed, tally.refused);
  for (const auto& [name, counts] : tally.sabotage) fmt::print("{:20} found {}, missed {}, less than 0.5 px {}\n", name, counts[0], counts[1], counts[2]);
}

}  // namespace
}  // namespace dusky::testing

int main(int argc, char** argv) { dusky::testing::study(argc > 1 ? std::atoi(argv[1]) : 100, argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1); }
