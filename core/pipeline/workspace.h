#pragma once
#include <map>
#include <memory>

#include "core/pipeline/steps.h"
#include "core/project/project_store.h"
#include "core/project/undo_stack.h"

namespace dusky {

enum class Step { Footage, Masks, Tracks, Solve, Scene, Deliver };
enum class StepState { NotRun, Current, Stale };

struct StepStatus {
  StepState state = StepState::NotRun;
  std::string line;  ///< One line: the result, what changed, or what is missing.
};

/// One shot being worked on: document, undo, project file and the results that belong to the present settings. Not for several threads;
/// jobs take copies and hand their results back.
class Workspace {
 public:
  /// Starts anew with this footage. Errors: as openFootage; the workspace stays as it was then.
  Status openFootage(const std::string& path);
  /// Opens a project and the stored results of its settings. A project whose footage is gone opens all the same; `warning` says so.
  Status openProject(const std::filesystem::path& path, std::string* warning = nullptr);
  /// Writes everything to a new file and goes on with it.
  Status saveAs(const std::filesystem::path& path);
  /// Goes on without the project file: what is changed from here on is not saved in it.
  void letGoOfFile() { store_.reset(); }
  bool hasFile() const { return store_ != nullptr; }
  std::filesystem::path filePath() const { return store_ ? store_->path() : std::filesystem::path(); }

  /// What the artist decided, in the numbers of tracks(): picks made on other tracks are carried over by place.
  const Document& document() const { return seen_; }
  /// Picked tracks that tracks() have no counterpart of. The picks are kept until other picks are made.
  int lostPicks() const { return lost_picks_; }
  const FootageInfo& footage() const { return footage_; }
  bool hasFootage() const { return footage_.width > 0; }
  const UndoStack& undoStack() const { return undo_; }

  /// Changes the document; saved at once when there is a file. Errors: CannotWrite (the change stands all the same).
  Status run(std::unique_ptr<Edit> edit);
  Status undo();
  Status redo();

  /// The newest results. They may be stale: status() says so. A solution always belongs to tracks(), which hold what was done by hand as well.
  const TrackSetPtr& tracks() const { return tracks_; }
  /// The tracks as they were followed, and the key they were made under: what edits of tracks speak of.
  const TrackSetPtr& followed() const { return followed_; }
  const std::string& followedKey() const { return tracks_key_; }
  /// What is there already for the next run of tracking to go on from.
  TracksStart tracksStart() const;
  /// The picks as they were made.
  PicksOnTracks picksAsMade() const;
  /// What a track is called: the name an artist gave it, else its number.
  std::string nameOf(int track) const;
  /// The name and group an artist gave a track; nullptr: none.
  const TrackLabel* labelOf(int track) const;
  const SolutionPtr& solution() const { return solution_; }
  /// Takes a finished job's result, made under `key`.
  Status takeTracks(TrackSetPtr tracks, const std::string& key);
  Status takeSolution(SolutionPtr solution, const std::string& key);

  StepStatus status(Step step) const;
  /// The world as picked or guessed; an error when a pick cannot be used.
  Result<SceneFrame> scene() const;
  /// Everything a delivery needs, or why there is none. `total_s` is the wall time to report, when it is known.
  Result<DeliveryJob> deliveryJob(double total_s = kUnknown) const;

 private:
  Status afterChange();
  void recall();
  void refreshTracks();
  void refreshPicks();
  TrackSetPtr madeTracks(const std::string& key) const;
  Status saveTracks();
  void holdSolution(SolutionPtr solution, const std::string& key);
  void dropForeignSolution();
  std::optional<std::string> stored(const std::string& step, const std::string& key) const;

  Document document_;  ///< As it is saved and undone.
  Document seen_;      ///< The same with its picks as numbers of tracks_.
  int lost_picks_ = 0;
  FootageInfo file_info_, footage_;  ///< As the file has it; as the document takes it.
  UndoStack undo_;
  std::unique_ptr<ProjectStore> store_;
  TrackSetPtr followed_, tracks_;
  SolutionPtr solution_;
  std::string tracks_key_, solution_key_;           ///< Under which they were made.
  std::string solution_tracks_key_;                 ///< Of the tracks that the solution was made from.
  std::string asked_tracks_key_, asked_solve_key_;  ///< Of what the document asks for now.
  TrackWork shown_work_;                            ///< That tracks_ were made with, from shown_from_.
  TrackSetPtr shown_from_;
  mutable std::map<std::string, TrackSetPtr> made_tracks_;
  std::map<std::string, SolutionPtr> made_solutions_;
};
}  // namespace dusky
