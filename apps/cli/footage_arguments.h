#pragma once
#include <CLI/CLI.hpp>
#include <optional>
#include <stop_token>

#include "core/base/progress.h"
#include "core/base/thread_limit.h"
#include "core/pipeline/workspace.h"

namespace dusky::cli {

/// What every command about footage takes: which frames of it, how features are looked for, how it runs and speaks.
struct FootageArguments {
  std::string footage, relink, tracks, size, frames, leave_out, masks, sizes = "medium,coarse", progress = "line";
  FollowOptions tracking;
  std::optional<int> step;
  int threads = 0;
  bool quiet = false, invert_masks = false, alpha = false;
  std::optional<std::string> curve, channel;
  std::optional<double> exposure, gamma, fps;
  std::optional<int> frame_offset;
  bool even_contrast = false;
  CLI::Option* footage_option = nullptr;
  std::vector<CLI::Option*> tracking_options;  ///< To know which were given: a project keeps its own otherwise.

  void addFootage(CLI::App& command);   ///< FOOTAGE, --frames.
  void addTracks(CLI::App& command);    ///< --tracks, --size: FOOTAGE may be left out then.
  void addChoice(CLI::App& command);    ///< --step, --leave-out.
  void addTracking(CLI::App& command);  ///< --max-tracks and how features are looked for, --threads.
  void addTone(CLI::App& command);      ///< --curve, --exposure, --gamma, --channel, --even-contrast, --fps, --frame-offset.
  void addMasks(CLI::App& command);     ///< --masks, --invert-masks.
  void addRunning(CLI::App& command);   ///< --quiet, --progress.

  /// Opens the footage, or the project with its settings, and puts the arguments into the workspace's document. Errors: one sentence naming the argument.
  Status prepare(Workspace& workspace) const;
  /// What is opened: FOOTAGE, or the file of tracks that stands in its place.
  const std::string& opened() const { return footage.empty() ? tracks : footage; }
  bool takesProject() const { return std::filesystem::path(footage).extension() == ".moth"; }
  /// Files and folders that are read.
  std::vector<std::filesystem::path> inputs() const;
  /// Puts --footage into the document; also part of prepare().
  Status relinkNow(Workspace& workspace) const;
  /// Brings --tracks in beside the footage; also part of prepare().
  Status putTracks(Workspace& workspace) const;
  /// Width and height of --size; 0, 0 when it was not given.
  Result<std::pair<int, int>> readSize() const;
  /// Puts --masks into the document; also part of prepare().
  Status putMasks(Workspace& workspace) const;
  /// Puts what was said about its values into the document; also part of prepare().
  Status putTone(Workspace& workspace) const;
  /// Puts the choice of frames into the document, as far as it was given; also part of prepare().
  Status putFrames(Workspace& workspace) const;
  /// Errors: InvalidInput when --frames is not a range like 10-80.
  Status readRange(FollowOptions& options) const;
  Progress makeProgress(std::stop_token stop) const;
};

/// Tracks the workspace's footage and takes the result; imported tracks (--tracks) stand in its place.
Status trackNow(Workspace& workspace, const Progress& progress);
/// Solves the workspace's tracks and takes the result.
Status solveNow(Workspace& workspace, const Progress& progress);
}  // namespace dusky::cli
