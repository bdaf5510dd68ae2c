#include <fmt/format.h>
#include <fmt/ranges.h>

#include <thread>

#include "apps/cli/cli.h"
#include "apps/cli/progress_line.h"
#include "apps/cli/project_output.h"
#include "apps/cli/receipt_lines.h"
#include "core/base/thread_limit.h"
#include "core/deliver/exporter.h"
#include "core/media/write_picture.h"

namespace dusky::cli {
namespace {

struct Arguments {
  std::string project, folder, preset, fit, filter, plates, unit, up, camera, points;
  std::vector<std::string> what;
  std::optional<double> focal_px, scale, fps, key_tolerance_px;
  std::optional<int> start, splat_size, splat_pictures, test_every, stills, mesh_texture;
  bool all_points = false, no_masks = false, splat_dense = false, receipt = false, no_receipt = false, quiet = false, json = false;
  int threads = 0;
};

const std::vector<std::string> kFits = {"frame", "whole"}, kFilters = {"linear", "cubic", "lanczos"}, kFormats = {"png", "exr", "jpeg", "movie"},
                               kUps = {"y", "z"};

template <class Enum>
void readChoice(const std::string& text, const std::vector<std::string>& names, Enum& choice) {
  if (!text.empty()) choice = static_cast<Enum>(std::find(names.begin(), names.end(), text) - names.begin());
}

template <class T, class U>
void take(const std::optional<T>& given, U& value) {
  if (given) value = *given;
}

/// The project's own choices or a preset's, changed by what was said.
Result<DeliveryChoices> choicesOf(const Arguments& a, const Document& document) {
  DeliveryChoices choices = document.delivery.choices;
  if (!a.preset.empty()) {
    auto preset = presetNamed(document, a.preset);
    if (!preset.ok()) return preset.error();
    choices = std::move(*preset);
  }
  if (!a.what.empty()) choices.what = a.what;
  readChoice(a.fit, kFits, choices.plates.fit), readChoice(a.filter, kFilters, choices.plates.filter), readChoice(a.plates, kFormats, choices.plates.format);
  take(a.focal_px, choices.plates.focal_px);
  WorldOptions& world = choices.world;
  if (!a.up.empty()) world.up = a.up == "z" ? UpAxis::Z : UpAxis::Y;
  if (!a.unit.empty()) world.unit = a.unit;
  if (!a.camera.empty()) world.camera = a.camera;
  if (!a.points.empty()) world.points = a.points;
  take(a.scale, world.scale), take(a.fps, world.fps), take(a.start, world.start), take(a.key_tolerance_px, world.key_tolerance_px);
  world.all_points = world.all_points || a.all_points;
  take(a.splat_size, choices.splat.reduced), take(a.splat_pictures, choices.splat.most_pictures), take(a.test_every, choices.splat.test_every);
  take(a.stills, choices.review.stills), take(a.mesh_texture, choices.mesh_texture_px);
  choices.splat.masks = choices.splat.masks && !a.no_masks;
  choices.splat.dense = choices.splat.dense || a.splat_dense;
  choices.receipt = (choices.receipt || a.receipt) && !a.no_receipt;
  return choices;
}

int deliverProject(const Arguments& a, std::stop_token stop) {
  const ThreadLimit limit(a.threads);
  const std::jthread loading = a.no_receipt ? std::jthread() : expectPictures();  // a receipt holds one
  Workspace workspace;
  if (const Status opened = openToRead(workspace, a.project); !opened.ok()) return failWith(opened.error());
  const auto choices = choicesOf(a, workspace.document());
  if (!choices.ok()) return failWith(choices.error());
  const auto job = workspace.deliveryJob();
  if (!job.ok()) return failWith(job.error());
  const Progress line(progressListener(a.quiet || a.json ? ProgressStyle::Quiet : ProgressStyle::Line), stop);
  const auto delivered = job->run(a.folder, *choices, line);
  if (!delivered.ok()) return failWith(delivered.error());
  if (a.json && delivered->receipt) fmt::print("{}", delivered->receipt->json());
  if (!a.quiet && !a.json) {
    printFiles(delivered->files);
    if (delivered->receipt) printReceipt(*delivered->receipt);
    if (!job->current) fmt::print("note     settings were changed since this solve: the delivery is of the solve as it was\n");
  }
  return exitCodeOf(*delivered, kSolved);
}

}  // namespace

void addDeliver(CLI::App& app, std::stop_token stop, int& code) {
  std::vector<std::string> names, presets;
  for (const Exporter& exporter : exporters()) names.push_back(fmt::format("  {:<12} {}", exporter.name, exporter.what));
  for (const DeliveryPreset& preset : deliveryPresets()) presets.push_back(preset.name);
  auto* command = app.add_subcommand(
      "deliver",
      fmt::format("Writes deliveries of a solved project, reads them back and checks them against solve and tracks (receipt.json, receipt.html).\n"
                  "All of it appears at once in DIR, or nothing does.\n\nWhat there is:\n{}\n\nExit codes: 0 delivered; 2 bad arguments or unreadable "
                  "input; 6 the receipt failed (the files are in DIR/failed-delivery); 130 cancelled.",
                  fmt::join(names, "\n")));
  auto a = std::make_shared<Arguments>();
  command->add_option("PROJECT", a->project, "A solved project (.moth)")->required();
  command->add_option("-o,--output", a->folder, "The folder; made when it is missing")->required();
  command->add_option("--what", a->what, "Names from the list above, with commas between (as the project has it)")->delimiter(',');
  command->add_option("--preset", a->preset, fmt::format("Choices under a name: the project's own, or {} ", fmt::join(presets, ", ")));
  command->add_option("--fit", a->fit, "Undistorted pictures and cameras: as large as the footage (frame), or so that nothing of it is cut (whole)")
      ->check(CLI::IsMember(kFits));
  command->add_option("--focal-px", a->focal_px, "Focal length of undistorted pictures, px (the solve's own)");
  command->add_option("--filter", a->filter, "That resamples pictures (cubic)")->check(CLI::IsMember(kFilters));
  command->add_option("--plates", a->plates, "Undistorted plates as 16-bit PNG, EXR (half), JPEG or an H.264 movie (png)")->check(CLI::IsMember(kFormats));
  command->add_option("--up", a->up, "Up axis of what is no glTF, which has Y up (as the scene has it)")->check(CLI::IsMember(kUps));
  command->add_option("--unit", a->unit, "Of length: m, cm, mm, ft or in, for a scene in metres");
  command->add_option("--scale", a->scale, "Everything larger by this (1)");
  command->add_option("--start", a->start, "The first frame's number (the footage's)");
  command->add_option("--fps", a->fps, "Frames a second (the footage's)");
  command->add_option("--key-tolerance", a->key_tolerance_px, "Leaves out keys that even motion tells within this, px (0: a key in every frame)");
  command->add_flag("--all-points", a->all_points, "Points that were set aside too");
  command->add_option("--camera-name", a->camera, "In 3D scenes (camera)");
  command->add_option("--points-name", a->points, "In 3D scenes (points)");
  command->add_option("--splat-size", a->splat_size, "Pictures of a splat set so many times smaller: 1, 2 or 4 (1)");
  command->add_option("--splat-pictures", a->splat_pictures, "At most so many (200)");
  command->add_option("--test-every", a->test_every, "Each such picture is for testing; 0: none (8)");
  command->add_flag("--splat-dense", a->splat_dense, "points.ply of a splat set holds the project's dense points too (moth dense makes them)");
  command->add_option("--mesh-texture", a->mesh_texture, "Side of the texture of meshes at most, px, 256 to 16384; 0: colours at their points (0)");
  command->add_flag("--no-masks", a->no_masks, "No masks in a splat set");
  command->add_option("--stills", a->stills, "So many single pictures of the review (5)");
  command->add_flag("--receipt", a->receipt, "Reads everything back and checks it (unless the project says otherwise, it does)");
  command->add_flag("--no-receipt", a->no_receipt, "Does not");
  command->add_flag("--json", a->json, "Prints the receipt as JSON");
  command->add_flag("--quiet", a->quiet, "Prints nothing");
  command->add_option("--threads", a->threads, "At most so many (all)")->check(CLI::NonNegativeNumber);
  command->callback([a, stop, &code] { code = deliverProject(*a, stop); });
}

}  // namespace dusky::cli
