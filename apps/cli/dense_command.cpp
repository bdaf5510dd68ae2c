#include <fmt/format.h>

#include <filesystem>

#include "apps/cli/cli.h"
#include "apps/cli/progress_line.h"
#include "apps/cli/project_output.h"
#include "core/base/atomic_file.h"
#include "core/base/json_text.h"
#include "core/base/thread_limit.h"
#include "core/deliver/dense_ply.h"
#include "core/pipeline/dense_step.h"

namespace dusky::cli {
namespace {

constexpr std::string_view kDenseFile = "dense.ply";

struct Arguments {
  std::string project, folder, quality = "good";
  double spacing = 0;
  bool json = false, quiet = false;
  int threads = 0;
};

std::vector<std::string> qualities() {
  std::vector<std::string> names;
  for (const DenseQuality quality : {DenseQuality::Draft, DenseQuality::Good, DenseQuality::Fine}) names.emplace_back(describe(quality));
  return names;
}

double degrees(double radians) { return radians * 57.29577951308232; }

void printJson(const DenseResult& dense, const std::filesystem::path& path) {
  nlohmann::ordered_json frames = nlohmann::ordered_json::array();
  for (const DenseFrame& frame : dense.frames)
    frames.push_back({{"frame", frame.frame},
                      {"parallax_deg", numberOrNull(degrees(frame.parallax_rad))},
                      {"agreeing_share", numberOrNull(frame.agreeing_share)},
                      {"correlation", numberOrNull(frame.correlation)}});
  fmt::print("{}\n", nlohmann::ordered_json{{"format", "dusky-moth-dense"},
                                            {"version", 1},
                                            {"file", path.string()},
                                            {"points", dense.cloud.points.size()},
                                            {"seconds", {{"views", dense.views_s}, {"depth", dense.depth_s}, {"fuse", dense.fuse_s}}},
                                            {"keyframes", frames}}
                         .dump(1));
}

void printText(const DenseResult& dense, const std::filesystem::path& path) {
  fmt::print("keyframes {:>6}\n", dense.frames.size());
  fmt::print("points    {:>6}\n", dense.cloud.points.size());
  const auto worst = std::min_element(dense.frames.begin(), dense.frames.end(),
                                      [](const DenseFrame& a, const DenseFrame& b) { return !(a.agreeing_share >= b.agreeing_share); });
  fmt::print("least     frame {}: other views agree on {:.0f} % of what it shows\n", worst->frame, 100 * worst->agreeing_share);
  fmt::print("time      {:.1f} s: pictures {:.1f}, depth {:.1f}, fusing {:.1f}\n", dense.views_s + dense.depth_s + dense.fuse_s, dense.views_s, dense.depth_s,
             dense.fuse_s);
  fmt::print("{}\n", path.string());
}

int makeDensePoints(const Arguments& a, std::stop_token stop) {
  const ThreadLimit limit(a.threads);
  Workspace workspace;
  if (const Status opened = openToRead(workspace, a.project); !opened.ok()) return failWith(opened.error());
  const auto job = workspace.deliveryJob();
  if (!job.ok()) return failWith(job.error());
  if (const Status made = makeFolder(a.folder); !made.ok()) return failWith(made.error());
  const Progress line(progressListener(a.quiet || a.json ? ProgressStyle::Quiet : ProgressStyle::Line), stop);
  const auto names = qualities();
  const auto quality = std::find(names.begin(), names.end(), a.quality) - names.begin();
  const auto dense = runDense(*job, {.quality = static_cast<DenseQuality>(quality), .spacing = a.spacing}, line.part(0, 0.97));
  if (!dense.ok()) return failWith(dense.error());
  const std::filesystem::path path = std::filesystem::path(a.folder) / kDenseFile;
  if (const Status written = writeDensePly(path, dense->cloud, job->scene, line.part(0.97, 1)); !written.ok()) return failWith(written.error());
  if (a.json) printJson(*dense, path);
  if (!a.quiet && !a.json) {
    printText(*dense, path);
    if (!job->current) fmt::print("note      settings were changed since this solve: the points are of the solve as it was\n");
  }
  return kSolved;
}

}  // namespace

void addDense(CLI::App& app, std::stop_token stop, int& code) {
  auto* command = app.add_subcommand(
      "dense",
      "Dense points of a solved project: depth maps of keyframes, made from the frames that see the same from elsewhere, and fused where they agree.\n"
      "Writes DIR/dense.ply: x y z, normal, colour, confidence, sigma, views; in the world of report.json.\n\n"
      "Exit codes: 0 written; 2 bad arguments or unreadable input, or a camera without parallax; 130 cancelled.");
  auto a = std::make_shared<Arguments>();
  command->add_option("PROJECT", a->project, "A solved project (.moth)")->required();
  command->add_option("-o,--output", a->folder, "The folder; made when it is missing")->required();
  command->add_option("--quality", a->quality, "Depth maps of a quarter of the footage's size (draft), half (good) or all of it (fine) (good)")
      ->check(CLI::IsMember(qualities()));
  command->add_option("--spacing", a->spacing, "At most one point in a cell of this size, the surest; scene units (0: all)")->check(CLI::NonNegativeNumber);
  command->add_flag("--json", a->json, "Prints what was made as JSON");
  command->add_flag("--quiet", a->quiet, "Prints nothing");
  command->add_option("--threads", a->threads, "At most so many (all)")->check(CLI::NonNegativeNumber);
  command->callback([a, stop, &code] { code = makeDensePoints(*a, stop); });
}

}  // namespace dusky::cli
