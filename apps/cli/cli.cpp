#include "apps/cli/cli.h"

#include <fmt/format.h>

#include <cstdio>
#include <filesystem>
#include <new>

#include "core/base/json_text.h"
#include "core/base/log.h"
#include "core/base/version.h"

namespace dusky::cli {

namespace {
std::FILE*& errorStream() {
  static std::FILE* stream = stderr;
  return stream;
}
}  // namespace

std::FILE* errors() { return errorStream(); }
void setErrors(std::FILE* stream) { errorStream() = stream; }

int failWith(const Error& error) {
  logProblem(error.message);
  fmt::print(errors(), "moth: {}\n", error.message);
  switch (error.kind) {
    case ErrorKind::CannotSolve: return kCouldNotSolve;
    case ErrorKind::Cancelled: return kCancelled;
    case ErrorKind::InvalidInput:
    case ErrorKind::Unreadable:
    case ErrorKind::CannotWrite: return kBadInput;
  }
  return kBadInput;
}

int run(int argc, const char* const* argv, std::stop_token stop) {
  CLI::App app(
      "moth finds the camera that shot a piece of footage: position, orientation, focal length and lens for every frame,\n"
      "and 3D points of the set.\n\n"
      "  moth info FOOTAGE                 what is in a file\n"
      "  moth frames FOOTAGE --check       blurred and repeated frames, cuts\n"
      "  moth mask FOOTAGE --preview DIR   what masks leave out\n"
      "  moth track FOOTAGE -o FILE        2D tracks as JSON or CSV\n"
      "  moth solve FOOTAGE -o DIR         footage in, camera and points out\n"
      "  moth sweep PROJECT --parameter P  what the footage tells about a scalar\n"
      "  moth prune PROJECT --auto         bad tracks out of a solve, by rules or by itself\n"
      "  moth scene PROJECT                how the world is placed, and what known distances and a survey say of it\n"
      "  moth review PROJECT -o FILE.mp4   a movie of the plate with what the camera says of it\n"
      "  moth dense PROJECT -o DIR         dense points of the set\n"
      "  moth deliver PROJECT -o DIR       files for 3D, compositing and splat training, read back and checked\n"
      "  moth runs PROJECT                 every solve of a project, and what it came to\n"
      "  moth compare REPORT TRUTH         how far a solve is from a known truth\n\n"
      "`moth COMMAND --help` explains each. The window is dusky-moth.",
      "moth");
  app.require_subcommand(1);
  app.set_version_flag("--version", fmt::format("moth {}", kVersionText));
  app.fallthrough();  // what all commands take may stand behind them
  std::string log_file;
  app.add_option("--log", log_file, "Write what happens, and what libraries say, into this file");
  app.parse_complete_callback([&] {
    if (log_file.empty()) return;
    if (const Status opened = openLog(log_file, LogKind::Whole); !opened.ok()) throw CLI::ValidationError("--log", opened.error().message);
    logLine(fmt::format("moth {}: {}", kVersionText, fmt::join(argv, argv + argc, " ")));
  });
  int code = kSolved;
  std::error_code gone;
  (void)std::filesystem::current_path(gone);
  if (gone) return failWith(invalidInput("The working directory is gone. Change into another one."));
  addSolve(app, stop, code);
  addTrack(app, stop, code);
  addSweep(app, stop, code);
  addFrames(app, stop, code);
  addMask(app, stop, code);
  addCompare(app, code);
  addInfo(app, code);
  addRuns(app, code);
  addPrune(app, stop, code);
  addReview(app, stop, code);
  addDeliver(app, stop, code);
  addDense(app, stop, code);
  addScene(app, code);
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& problem) {
    if (problem.get_exit_code() == 0) return app.exit(problem);
    fmt::print(errors(), "moth: {}\nRun `moth --help`, or `moth COMMAND --help`, to see what it takes.\n", problem.what());
    return kBadInput;
  } catch (const std::bad_alloc&) {
    return failWith(unreadable("Memory is full. Give fewer frames or --max-tracks, or close other programs; a picture of an absurd size does this too."));
  } catch (const std::exception& problem) {
    return failWith(unreadable(
        fmt::format("Something went wrong that should not ({}). Nothing was half-written. Please report it with what you ran.", whyUnreadable(problem))));
  }
  // What is printed may go to a file on a full disk.
  if (std::fflush(stdout) != 0 || std::ferror(stdout)) return failWith(cannotWrite("The output could not be written: the disk is full, or nobody reads it."));
  logLine(fmt::format("ended with {}", code));
  return code;
}

}  // namespace dusky::cli
