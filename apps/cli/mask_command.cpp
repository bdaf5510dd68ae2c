#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "apps/cli/cli.h"
#include "apps/cli/footage_arguments.h"
#include "core/base/atomic_file.h"
#include "core/mask/preview.h"
#include "core/media/footage.h"
#include "core/media/write_picture.h"

namespace dusky::cli {
namespace {

struct MaskArguments : FootageArguments {
  std::string folder;
};

/// A project brings its masks along, and is left alone; footage takes those of --masks.
Status open(const MaskArguments& a, Workspace& workspace) {
  if (!a.takesProject()) return a.prepare(workspace);
  std::string warning;
  if (const Status opened = workspace.openProject(a.footage, &warning, ProjectStore::Access::Read); !opened.ok()) return opened;
  if (const Status found = a.relinkNow(workspace); !found.ok()) return found;
  if (workspace.footageGone()) return unreadable(warning + " --footage FILE says where it lies now.");
  if (const Status fine = a.putMasks(workspace); !fine.ok()) return fine;
  return a.putFrames(workspace);
}

/// Pictures of masks among those of the footage or of the mattes would be taken for them.
Status checkFolder(const MaskArguments& a, const Document& document) {
  if (const Status fine = checkOutputFolder(a.folder); !fine.ok()) return fine;
  const std::filesystem::path footage = document.footage_path;
  std::error_code failed;
  for (const std::filesystem::path& read :
       {footage, isPictureFile(footage) ? footage.parent_path() : footage, std::filesystem::path(document.masks.mattes.folder)}) {
    if (!read.empty() && std::filesystem::is_directory(read, failed) && std::filesystem::equivalent(read, a.folder, failed))
      return invalidInput(fmt::format("{} holds the pictures that are read; choose another folder for --preview.", a.folder));
  }
  return Done{};
}

Status preview(const MaskArguments& a, const Workspace& workspace, const Progress& progress) {
  const Document& document = workspace.document();
  if (!document.masks.any()) return invalidInput("There are no masks: give --masks DIR or --alpha, or a project that has some.");
  auto source = openFootageOf(document);
  if (!source.ok()) return source.error();
  const auto frames = framesToFollow((*source)->info(), document.tracking, {.step = document.footage.step, .left_out = document.footage.left_out});
  if (!frames.ok()) return frames.error();
  const auto masks = makeMasks(document.masks, (*source)->info(), document.footage.frame_offset, *frames);
  if (!masks.ok()) return masks.error();
  if (const Status made = makeFolder(a.folder); !made.ok()) return made;
  double left_out_share = 0;
  for (std::size_t i = 0; i < frames->size(); ++i) {
    const auto frame = (*source)->read((*frames)[i]);
    if (!frame.ok()) return frame.error();
    const auto left_out = (*masks)->leftOut((*frames)[i]);
    if (!left_out.ok()) return left_out.error();
    const auto count = std::count_if(left_out->data.begin(), left_out->data.end(), [](std::uint8_t v) { return v != 0; });
    left_out_share += static_cast<double>(count) / static_cast<double>(left_out->data.size()) / static_cast<double>(frames->size());
    const auto path = std::filesystem::path(a.folder) / fmt::format("mask.{:04d}.png", (*frames)[i]);
    if (const Status written = writePicture(path, previewOf(frame->picture, *left_out)); !written.ok()) return written;
    progress.report(static_cast<double>(i + 1) / static_cast<double>(frames->size()), fmt::format("drawing frame {}", (*frames)[i]));
    if (progress.stopRequested()) return cancelled();
  }
  if (!a.quiet) fmt::print("{} pictures in {}; {:.1f} % of the picture is left out on average\n", frames->size(), a.folder, 100 * left_out_share);
  return Done{};
}

int mask(const MaskArguments& a, std::stop_token stop) {
  if (a.folder.empty()) return failWith(invalidInput("Say where to: --preview DIR writes a picture of every frame with what is left out dimmed."));
  Workspace workspace;
  if (const Status ready = open(a, workspace); !ready.ok()) return failWith(ready.error());
  if (const Status fine = checkFolder(a, workspace.document()); !fine.ok()) return failWith(fine.error());
  if (const Status done = preview(a, workspace, a.makeProgress(stop)); !done.ok()) return failWith(done.error());
  return kSolved;
}
}  // namespace

void addMask(CLI::App& app, std::stop_token stop, int& code) {
  auto* command =
      app.add_subcommand("mask", "Shows what masks leave out, frame by frame. FOOTAGE may be a project (.moth); its shapes and mattes are used then.");
  auto a = std::make_shared<MaskArguments>();
  a->addFootage(*command);
  a->addChoice(*command);
  a->addMasks(*command);
  command->add_option("--preview", a->folder, "Folder for the pictures mask.0001.png ...; made when missing");
  a->addRunning(*command);
  command->callback([a, stop, &code] { code = mask(*a, stop); });
}
}  // namespace dusky::cli
