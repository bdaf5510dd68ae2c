// How near tracks stay to the truth, and how many that are wrong survive: photographic texture under pan, zoom and roll, judged by the
// exact motion; beside it a plain frame-to-frame tracker as the yardstick, in the same run.
//   build/release/bench/localisation [case]
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>

#include "bench/plain_tracker.h"
#include "core/base/memory.h"
#include "core/media/footage.h"
#include "core/track/follow_features.h"
#include "tests/support/plane_shot.h"
#include "tests/support/temporary_folder.h"

namespace {
using namespace dusky;
using testing::PlaneShot;

struct Judgement {
  double after_10 = kUnknown, after_50 = kUnknown;  ///< RMS of the best 99 %, px.
  int tracks = 0, wrong = 0, living = 0, wrong_living = 0;
};

double bestNinetyNine(std::vector<double> errors) {
  if (errors.empty()) return kUnknown;
  std::sort(errors.begin(), errors.end());
  errors.resize(std::max<std::size_t>(1, errors.size() * 99 / 100));
  double sum = 0;
  for (double e : errors) sum += e * e;
  return std::sqrt(sum / static_cast<double>(errors.size()));
}

Judgement judge(const PlaneShot& shot, const TrackSet& set) {
  Judgement j;
  std::vector<double> ten, fifty;
  for (const Track& track : set.tracks) {
    const Observation* birth = track.at(track.born());
    const int layer = shot.layerAt(birth->frame, birth->position);
    double worst = 0, last = 0;
    for (const Observation& o : track.observations) {
      const double error = (o.position - shot.carry(layer, birth->frame, o.frame, birth->position)).norm();
      worst = std::max(worst, error);
      last = error;
      if (std::abs(o.frame - birth->frame) == 10) ten.push_back(error);
      if (std::abs(o.frame - birth->frame) == 50) fifty.push_back(error);
    }
    ++j.tracks;
    j.wrong += worst > 1;
    if (track.stop == StopReason::EndOfFootage) ++j.living, j.wrong_living += last > 1;
  }
  j.after_10 = bestNinetyNine(ten);
  j.after_50 = bestNinetyNine(fifty);
  return j;
}

double ms(double seconds, const TrackSet& set) { return 1000 * seconds / set.summary.frames; }

void print(const char* name, const char* who, const Judgement& j, const TrackSet& set) {
  fmt::print(
      "{:12} {:6} {:7.4f} {:7.4f} {:6} {:6} ({:.2f} %) {:6}/{:<5} life {:4.0f} rejoined {:4} {:6.1f} fps  ms: decode {:.1f} detect {:.1f} forward {:.1f} back "
      "{:.1f}\n",
      name, who, j.after_10, j.after_50, j.tracks, j.wrong, 100.0 * j.wrong / std::max(1, j.tracks), j.wrong_living, j.living, set.medianLife(),
      set.summary.rejoined, set.summary.frames / set.summary.total_s, ms(set.summary.decode_s, set), ms(set.summary.detect_s, set),
      ms(set.summary.forward_s, set), ms(set.summary.backward_s, set));
}

struct Case {
  const char* name;
  testing::PlanePlan plan;
  bool compressed = false;
};

void run(const Case& c) {
  PlaneShot shot(c.plan);
  // Frames are written first, so that making them is not timed.
  const testing::TemporaryFolder folder;
  if (!shot.write(folder.path().string())) return fmt::print("{:12} the frames cannot be written\n", c.name);
  std::filesystem::path footage = folder.path();
  if (c.compressed) {
    footage = folder.path() / "shot.mp4";
    const std::string command =
        fmt::format("ffmpeg -v error -y -i {}/shot.%04d.png -c:v libx264 -crf 18 -pix_fmt yuv420p {}", folder.path().string(), footage.string());
    if (std::system(command.c_str()) != 0) return fmt::print("{:12} ffmpeg is needed to compress\n", c.name);
  }
  for (const bool plain : {false, true}) {
    auto source = openFootage(footage);
    const auto tracks = plain ? Result<TrackSetPtr>(bench::followPlainly(**source, 500)) : followFeatures(**source, {.features = 500}, {});
    if (!tracks.ok()) return fmt::print("{:12} {}\n", c.name, tracks.error().message);
    print(c.name, plain ? "plain" : "ours", judge(shot, **tracks), **tracks);
  }
}

}  // namespace

int main(int argc, char** argv) {
  keepLargeBlocks();  // as both programs do
  const std::vector<Case> cases = {{"lossless", {}},
                                   {"noise 2", {.noise = 2}},
                                   {"crf 18", {}, true},
                                   {"1080p crf 18", {.width = 1920, .height = 1080, .pan_px = Vec2(225, -90)}, true},
                                   {"blur", {.shake_px = 5, .noise = 1, .shutter = 0.5}},
                                   {"away", {.zoom = 1.2, .roll_rad = 0.1, .swing_px = 600, .noise = 1}},
                                   {"movers", {.noise = 1, .mover_share = 0.2}},
                                   {"movers crf", {.noise = 1, .mover_share = 0.2}, true}};
  fmt::print(
      "1280x720 unless said otherwise, 61 frames, 500 features; px RMS of the best 99 % after 10 and 50 frames; tracks ever over 1 px off; over 1 px off at "
      "the end\n");
  for (const Case& c : cases) {
    if (argc < 2 || c.name == std::string_view(argv[1])) run(c);
  }
}
