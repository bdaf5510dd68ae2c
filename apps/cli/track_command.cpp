#include <fmt/format.h>

#include <filesystem>
#include <map>

#include "apps/cli/cli.h"
#include "apps/cli/footage_arguments.h"
#include "core/base/atomic_file.h"
#include "core/track/track_files.h"

namespace dusky::cli {
namespace {

struct TrackArguments : FootageArguments {
  std::string output;
};

void printTracks(const TrackSet& tracks, const std::string& output) {
  const TrackSummary& s = tracks.summary;
  std::map<StopReason, int> reasons;
  for (const Track& track : tracks.tracks) ++reasons[track.stop];
  fmt::print("tracks   {}, median life {:.0f} frames, {} joined again\n", tracks.tracks.size(), tracks.medianLife(), s.rejoined);
  for (const auto& [reason, count] : reasons) fmt::print("         {:5} {}\n", count, describe(reason));
  fmt::print("time     {:.1f} s ({:.1f} frames/s)\nfile     {}\n", s.total_s, s.frames / s.total_s, output);
}

int track(const TrackArguments& a, std::stop_token stop) {
  const std::string ending = std::filesystem::path(a.output).extension().string();
  if (ending != ".json" && ending != ".csv") return failWith(invalidInput(fmt::format("-o takes a name that ends in .json or .csv, not \"{}\".", a.output)));
  if (const Status fine = checkOutputFile(a.output, a.inputs()); !fine.ok()) return failWith(fine.error());
  const ThreadLimit limit(a.threads);
  Workspace workspace;
  if (const Status ready = a.prepare(workspace); !ready.ok()) return failWith(ready.error());
  const Progress progress = a.makeProgress(stop);
  if (const Status tracked = trackNow(workspace, progress); !tracked.ok()) return failWith(tracked.error());
  const TrackSet& tracks = *workspace.tracks();
  if (tracks.tracks.empty()) return failWith(cannotSolve("No feature could be followed: the pictures hold too little texture, or the masks leave nothing."));
  const Status written = writeFileAtomically(a.output, ending == ".csv" ? tracksToCsv(tracks) : tracksToJson(tracks));
  if (!written.ok()) return failWith(written.error());
  progress.report(1, "done");
  if (!a.quiet) printTracks(tracks, a.output);
  return kSolved;
}

}  // namespace

void addTrack(CLI::App& app, std::stop_token stop, int& code) {
  auto* command = app.add_subcommand("track", "Finds features, follows them, and writes the 2D tracks as JSON or CSV (docs/formats.md).");
  auto a = std::make_shared<TrackArguments>();
  a->addFootage(*command);
  a->addChoice(*command);
  command->add_option("-o,--output", a->output, "File for the tracks: .json holds all, .csv the places alone")->required();
  a->addMasks(*command);
  a->addTracking(*command);
  a->addTone(*command);
  a->addRunning(*command);
  command->callback([a, stop, &code] { code = track(*a, stop); });
}

}  // namespace dusky::cli
