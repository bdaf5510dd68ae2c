#include <fmt/format.h>

#include "apps/cli/cli.h"
#include "apps/cli/progress_line.h"
#include "apps/cli/project_output.h"
#include "core/base/atomic_file.h"
#include "core/base/thread_limit.h"
#include "core/image/frame_ranges.h"

namespace dusky::cli {
namespace {

struct Arguments {
  std::string project, file;
  ReviewOptions options;
  std::string frames;
  bool no_objects = false, no_whiskers = false, no_notes = false, quiet = false;
  int threads = 0;
};

int review(Arguments a, std::stop_token stop) {
  const ThreadLimit limit(a.threads);
  a.options.objects = !a.no_objects, a.options.whiskers = !a.no_whiskers, a.options.notes = !a.no_notes;
  if (const Status fine = a.options.check(); !fine.ok()) return failWith(fine.error());
  if (!a.frames.empty()) {
    const auto ranges = readRanges(a.frames);
    if (!ranges.ok()) return failWith(ranges.error());
    if (ranges->size() != 1) return failWith(invalidInput(fmt::format("--frames takes one range, like 10-50, not \"{}\".", a.frames)));
    a.options.frames = ranges->front();
  }
  Workspace workspace;
  if (const Status opened = openToRead(workspace, a.project); !opened.ok()) return failWith(opened.error());
  if (const Status fine = checkOutputFile(a.file, {a.project, workspace.document().footage_path}); !fine.ok()) return failWith(fine.error());
  const auto job = workspace.deliveryJob();
  if (!job.ok()) return failWith(job.error());
  const Progress line(progressListener(a.quiet ? ProgressStyle::Quiet : ProgressStyle::Line), stop);
  if (const Status written = job->review(a.file, a.options, line); !written.ok()) return failWith(written.error());
  if (!a.quiet) fmt::print("files    {}\n", a.file);
  if (!a.quiet && !job->current) fmt::print("note     settings were changed since this solve: the movie shows the solve as it was\n");
  return kSolved;
}

}  // namespace

void addReview(CLI::App& app, std::stop_token stop, int& code) {
  auto* command =
      app.add_subcommand("review",
                         "Writes an H.264 movie of the plate with what the camera says of it: test objects with their shadows, errors as whiskers,\n"
                         "ground grid or points, and shot, frame, error and verdict burnt in. It stands whole under its name or not at all.");
  auto a = std::make_shared<Arguments>();
  command->add_option("PROJECT", a->project, "A solved project (.moth)")->required();
  command->add_option("-o,--output", a->file, "The movie (.mp4)")->required();
  command->add_option("--frames", a->frames, "Only these, like 10-50 (all)");
  command->add_option("--height", a->options.height, "Of the movie in px, at most; never more than the footage's (1080)");
  command->add_flag("--grid", a->options.grid, "The ground grid");
  command->add_flag("--points", a->options.points, "Kept tracks where they were measured");
  command->add_option("--whisker", a->options.whisker, "How many times errors are enlarged (20)");
  command->add_flag("--no-whiskers", a->no_whiskers, "No errors");
  command->add_flag("--no-objects", a->no_objects, "No test objects");
  command->add_flag("--no-notes", a->no_notes, "Nothing burnt in");
  command->add_flag("--quiet", a->quiet, "No progress");
  command->add_option("--threads", a->threads, "At most so many (all)")->check(CLI::NonNegativeNumber);
  command->callback([a, stop, &code] { code = review(*a, stop); });
}

}  // namespace dusky::cli
