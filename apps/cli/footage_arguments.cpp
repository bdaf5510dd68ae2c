#include "apps/cli/footage_arguments.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <sstream>

#include "apps/cli/cli.h"
#include "apps/cli/progress_line.h"
#include "core/base/json_text.h"
#include "core/base/paths.h"
#include "core/image/frame_ranges.h"
#include "core/project/edits.h"
#include "core/track/track_files.h"

namespace dusky::cli {
namespace {

Status readSizes(const std::string& text, FeatureSizes& sizes) {
  sizes = {false, false, false};
  std::istringstream words(text);
  for (std::string word; std::getline(words, word, ',');) {
    if (word != "fine" && word != "medium" && word != "coarse") {
      return invalidInput(fmt::format("--sizes takes fine, medium and coarse, with commas between, not \"{}\".", text));
    }
    (word == "fine" ? sizes.fine : word == "medium" ? sizes.medium : sizes.coarse) = true;
  }
  return Done{};
}

/// "7,12-15": single frames and ranges; those within the footage, ascending.
Result<std::vector<int>> readLeftOut(const std::string& text, const FootageInfo& footage) {
  const auto ranges = readRanges(text);
  if (!ranges.ok()) return invalidInput("--leave-out: " + ranges.error().message);
  std::vector<int> frames;
  for (const FrameRange& r : *ranges) {
    for (int frame = std::max(r.first, footage.first); frame <= std::min(r.last, footage.last); ++frame) frames.push_back(frame);
  }
  return frames;
}
}  // namespace

void FootageArguments::addFootage(CLI::App& command) {
  footage_option = command.add_option(
      "FOOTAGE", footage, "A movie, one picture of a sequence, a folder with one sequence, or a project (.moth) with its settings, masks and tracks by hand");
  footage_option->required();
  command.add_option("--footage", relink, "Where a project's footage lies now, when it was moved; its tracks and its solve stay");
  command.add_option("--frames", frames, "Only this range, like 10-80 (the footage's own numbers)");
}

void FootageArguments::addTracks(CLI::App& command) {
  footage_option->required(false);
  command.add_option("--tracks", tracks, "2D tracks (.json, or .csv with the columns track,frame,x_px,y_px) in place of tracking; FOOTAGE may be left out");
  command.add_option("--size", size, "Width and height of the picture that the tracks lie in, like 1920x1080; for .csv without FOOTAGE");
}

Result<std::pair<int, int>> FootageArguments::readSize() const {
  if (size.empty()) return std::pair(0, 0);
  int width = 0, height = 0;
  char rest = 0;
  if (std::sscanf(size.c_str(), "%dx%d%c", &width, &height, &rest) != 2 || width < 16 || height < 16)
    return invalidInput(fmt::format("--size takes width and height like 1920x1080, not \"{}\".", size));
  return std::pair(width, height);
}

Status FootageArguments::putTracks(Workspace& workspace) const {
  if (tracks.empty() || footage.empty()) return Done{};
  const FootageInfo& info = workspace.footage();
  auto read = readTrackFile(tracks, info.width, info.height);
  if (!read.ok()) return read.error();
  if (const Status fine = checkInFootage(*read, info); !fine.ok()) return Error{fine.error().kind, fmt::format("Tracks {}: {}", tracks, fine.error().message)};
  return workspace.run(importTracks(workspace.document(), std::move(*read), std::filesystem::path(tracks).stem().string()));
}

void FootageArguments::addChoice(CLI::App& command) {
  command.add_option("--step", step, "Every n-th frame of the range");
  command.add_option("--leave-out", leave_out, "Frames not looked at, like 7,12-15; they get no camera");
}

void FootageArguments::addTracking(CLI::App& command) {
  const auto given = [this](CLI::Option* option) { tracking_options.push_back(option); };
  given(command.add_option("--max-tracks", tracking.features, "Features followed at one time, 20 to 20000")->capture_default_str());
  given(command.add_option("--sizes", sizes, "Sizes of features looked for: fine, medium, coarse, with commas between")->capture_default_str());
  given(command.add_option("--strength", tracking.min_strength, "Least corner strength, (grey levels / px)^2")->capture_default_str());
  given(command.add_option("--spacing", tracking.min_distance_px, "Least distance between features, px")->capture_default_str());
  given(command.add_option("--edge-margin", tracking.edge_margin_px, "No features nearer to the picture's edge, px")->capture_default_str());
  given(command.add_option("--patch-radius", tracking.patch_radius, "Half side of the piece of picture that is followed, px")->capture_default_str());
  given(command.add_option("--min-life", tracking.min_life, "Shorter tracks are dropped, frames")->capture_default_str());
  given(command.add_flag("!--one-way", tracking.both_ways, "Follow forward only; faster, shorter tracks"));
  given(command.add_flag("!--no-rejoin", tracking.rejoin, "Do not join tracks that are hidden and come back"));
  command.add_option("--threads", threads, "0: all cores; the result does not depend on it")->capture_default_str();
}

void FootageArguments::addTone(CLI::App& command) {
  command.add_option("--curve", curve, "How values are meant: display, log, linear")->check(CLI::IsMember({"display", "log", "linear"}));
  command.add_option("--exposure", exposure, "Brighter by so many stops, -10 to 10");
  command.add_option("--gamma", gamma, "Over 1 lifts the darks, 0.2 to 5");
  command.add_option("--channel", channel, "What is tracked: luma, red, green, blue, best")->check(CLI::IsMember({"luma", "red", "green", "blue", "best"}));
  command.add_flag("--even-contrast", even_contrast, "Bring brightness and contrast to one level all over the picture for tracking");
  command.add_option("--fps", fps, "Frames a second, over what the file says");
  command.add_option("--frame-offset", frame_offset, "Added to the footage's frame numbers; give it before ranges in the new numbers");
}

Status FootageArguments::putTone(Workspace& workspace) const {
  if (frame_offset) {
    if (const Status done = workspace.run(changeFrameOffset(workspace.document(), *frame_offset)); !done.ok()) return done;
  }
  FootageSettings settings = workspace.document().footage;
  Tone& tone = settings.tone;
  if (curve) tone.curve = *curve == "log" ? ToneCurve::Log : *curve == "linear" ? ToneCurve::Linear : ToneCurve::Display;
  if (channel) {
    constexpr std::array<std::string_view, 5> kNames = {"luma", "red", "green", "blue", "best"};
    tone.channel = static_cast<Channel>(std::find(kNames.begin(), kNames.end(), *channel) - kNames.begin());
  }
  tone.exposure_stops = exposure.value_or(tone.exposure_stops);
  tone.gamma = gamma.value_or(tone.gamma);
  tone.even_contrast = tone.even_contrast || even_contrast;
  settings.fps = fps.value_or(settings.fps);
  if (const Status fine = ShotView{settings.fps, settings.frame_offset, tone}.check(); !fine.ok()) return fine;
  return workspace.run(setMember("Set tone", &Document::footage, settings));
}

void FootageArguments::addMasks(CLI::App& command) {
  command.add_option("--masks", masks, "Folder of mattes, one a frame by its number: what is light is left out");
  command.add_flag("--alpha", alpha, "Leave out what is transparent in the footage's own alpha");
  command.add_flag("--invert-masks", invert_masks, "What is dark is left out: only what the mattes show is tracked");
}

Status FootageArguments::putMasks(Workspace& workspace) const {
  if (masks.empty() && invert_masks) return invalidInput("--invert-masks needs --masks DIR.");
  if (masks.empty() && !alpha) return Done{};
  if (!isUtf8(masks)) return unreadable("--masks: the folder's name holds bytes that are no text (UTF-8). Rename it.");
  MaskSettings settings = workspace.document().masks;
  settings.alpha.used = settings.alpha.used || alpha;
  // A project may be opened from anywhere.
  if (!masks.empty()) settings.mattes = {.folder = wholePath(masks).string(), .inverted = invert_masks};
  return workspace.run(setMember("Use masks", &Document::masks, settings));
}

void FootageArguments::addRunning(CLI::App& command) {
  command.add_flag("--quiet", quiet, "No progress and no summary");
  command.add_option("--progress", progress, "line, or json: one object a line on standard error")
      ->check(CLI::IsMember({"line", "json"}))
      ->capture_default_str();
}

Status FootageArguments::readRange(FollowOptions& options) const {
  if (frames.empty()) return Done{};
  int first = 0, last = 0;
  char rest = 0;
  if (std::sscanf(frames.c_str(), "%d-%d%c", &first, &last, &rest) != 2 || first > last) {
    return invalidInput(fmt::format("--frames takes a range like 10-80, not \"{}\".", frames));
  }
  if (first == 0 && last == 0) return invalidInput("--frames 0-0: frame 0 alone cannot be asked for; give 0-1.");
  options.first_frame = first;
  options.last_frame = last;
  return Done{};
}

std::vector<std::filesystem::path> FootageArguments::inputs() const { return {footage, tracks, masks}; }

Status FootageArguments::relinkNow(Workspace& workspace) const {
  if (relink.empty()) return Done{};
  if (!takesProject()) return invalidInput("--footage is for a project (.moth) whose footage was moved.");
  if (workspace.footageInFile().width == 0) return invalidInput("The project does not remember its footage: open it once where the footage lies.");
  const auto found = lookForFootage(workspace.footageInFile(), relink);
  return found.ok() ? workspace.relinkFootage(*found) : Status(found.error());
}

Status FootageArguments::prepare(Workspace& workspace) const {
  if (threads < 0 || threads > 1024) return invalidInput(fmt::format("--threads must be 0 (all) to 1024, not {}.", threads));
  if (footage.empty() && tracks.empty()) return invalidInput("Name the FOOTAGE, or give --tracks FILE.");
  const bool project = takesProject();
  const auto picture = readSize();
  if (!picture.ok()) return picture.error();
  if (picture->first > 0 && !footage.empty()) return invalidInput("--size is for tracks without footage: FOOTAGE says how large its picture is.");
  std::string gone;
  // What the command line changes is not the artist's project.
  const Status opened =
      project ? workspace.openProject(footage, &gone, ProjectStore::Access::Read) : workspace.openFootage(this->opened(), picture->first, picture->second);
  if (!opened.ok()) return opened;
  if (const std::string damage = workspace.readOnlyBecause(); !damage.empty()) fmt::print(errors(), "moth: note: {}\n", damage);
  if (const Status found = relinkNow(workspace); !found.ok()) return found;
  // What was tracked in it can be solved all the same.
  if (workspace.footageGone() && !workspace.tracks())
    return unreadable("The project's footage cannot be read. " + gone + " --footage FILE says where it lies now.");
  if (const Status fine = putTone(workspace); !fine.ok()) return fine;
  if (const Status fine = putMasks(workspace); !fine.ok()) return fine;
  const auto was_given = [](const CLI::Option* option) { return option->count() > 0; };
  if (const auto found = std::find_if(tracking_options.begin(), tracking_options.end(), was_given); project && found != tracking_options.end()) {
    return invalidInput(
        fmt::format("{}: a project keeps its own tracking settings. Change them in the window, or give the footage instead.", (*found)->get_name()));
  }
  if (!project) {
    FollowOptions options = tracking;
    if (const Status fine = readSizes(sizes, options.sizes); !fine.ok()) return fine;
    if (const Status fine = options.check(); !fine.ok()) return fine;
    if (const Status done = workspace.run(setMember("Set tracking", &Document::tracking, options)); !done.ok()) return done;
  }
  if (const Status fine = putFrames(workspace); !fine.ok()) return fine;
  return putTracks(workspace);
}

Status FootageArguments::putFrames(Workspace& workspace) const {
  FollowOptions options = workspace.document().tracking;
  if (const Status fine = readRange(options); !fine.ok()) return fine;
  FootageSettings settings = workspace.document().footage;
  if (step && (*step < 1 || *step > 1000)) return invalidInput(fmt::format("--step must be 1 to 1000, not {}.", *step));
  settings.step = step.value_or(settings.step);
  if (!leave_out.empty()) {
    auto frames_left_out = readLeftOut(leave_out, workspace.footage());
    if (!frames_left_out.ok()) return frames_left_out.error();
    settings.left_out = std::move(*frames_left_out);
  }
  if (const Status done = workspace.run(setMember("Set range", &Document::tracking, options)); !done.ok()) return done;
  return workspace.run(setMember("Set frames", &Document::footage, settings));
}

Progress FootageArguments::makeProgress(std::stop_token stop) const {
  return {progressListener(quiet ? ProgressStyle::Quiet : progress == "json" ? ProgressStyle::Json : ProgressStyle::Line), stop};
}

Status trackNow(Workspace& workspace, const Progress& progress) {
  if (!workspace.document().work.imported.empty() && !workspace.followed()) return Done{};
  if (workspace.followed() && workspace.status(Step::Tracks).state == StepState::Current) return Done{};
  const std::string key = tracksKey(workspace.document(), workspace.footage(), workspace.filePrints(), runsOf(workspace.document()));
  const auto tracks = runTracks(workspace.document(), progress, {}, workspace.tracksStart());
  if (!tracks.ok()) return tracks.error();
  workspace.takeTracks(*tracks, key);
  return Done{};
}
Status solveNow(Workspace& workspace, const Progress& progress) {
  const SolveKeys keys = solveKeys(workspace.document(), workspace.footage(), workspace.followedKey());
  const auto solved = runSolve(workspace.document(), workspace.footage(), *workspace.tracks(), progress);
  if (!solved.ok()) return solved.error();
  workspace.takeSolution(*solved, keys, {.document = workspace.document(), .parent = workspace.shownRun()});
  return Done{};
}
}  // namespace dusky::cli
