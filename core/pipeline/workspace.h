#pragma once
#include <map>
#include <memory>
#include <set>

#include "core/pipeline/dense_step.h"
#include "core/pipeline/footage_record.h"
#include "core/pipeline/prune_step.h"
#include "core/pipeline/recent_results.h"
#include "core/pipeline/run_source.h"
#include "core/pipeline/step_table.h"
#include "core/pipeline/steps.h"
#include "core/pipeline/unsaved_shots.h"
#include "core/project/ledger.h"
#include "core/project/undo_stack.h"
#include "core/review/verdict.h"

namespace dusky {

enum class StepState { NotRun, Current, Stale };

struct StepStatus {
  StepState state = StepState::NotRun;
  std::string line;  ///< One line: the result, what changed, or what is missing.
};

/// One shot being worked on: document, undo, project file and the results that belong to the present settings. Not for several threads;
/// jobs take copies and hand their results back.
class Workspace {
 public:
  /// Starts anew with this footage, or with a file of 2D tracks alone (`width`, `height`: see readTrackFile). Errors: as lookAtFootage(); the
  /// workspace stays as it was then.
  Status openFootage(const std::string& path, int width = 0, int height = 0);
  /// Opens a project and the stored results of its settings. A project whose footage is gone opens all the same; `warning` says so. With Access::Read nothing
  /// that is changed from here on is saved in it; nor where another program has it open, see readOnlyBecause().
  Status openProject(const std::filesystem::path& path, std::string* warning = nullptr, ProjectStore::Access access = ProjectStore::Access::Write);
  /// A shot that has no project file is, from its first change on, kept in one of its own in this folder until it is saved or closed; a program that is killed
  /// leaves it there (unsavedShots). Who could not be told otherwise hears by onWriteProblem() when that fails.
  void keepUnsavedIn(const std::filesystem::path& folder) { unsaved_folder_ = folder; }
  /// Goes on with a shot that was kept so; it still has no project file. Errors: as openProject.
  Status openUnsaved(const std::filesystem::path& kept, std::string* warning = nullptr);
  /// Whether what is done here is kept only until the program ends well.
  bool keptUnsaved() const { return file_.kept != nullptr; }
  /// Writes document and results to a new file and goes on with it. Errors: as ProjectStore::create; the file that was open stays so.
  Status saveAs(const std::filesystem::path& path);
  /// Adds the results to a project that is there, puts the document into it, and goes on with it. Errors: as ProjectStore::open and its saves.
  Status saveInto(const std::filesystem::path& path);
  /// Notes that the file holds what a command made; see ProjectStore::markMadeByCommand.
  Status markMadeByCommand() { return file_.store ? file_.store->markMadeByCommand() : Status(Done{}); }
  /// Whether the footage is not where the project says: what was tracked and solved from it is shown all the same.
  bool footageGone() const { return footage_gone_; }
  /// Goes on with the same footage at another place, as lookForFootage() found it; its results stay current.
  Status relinkFootage(const FootageRecord& found);
  /// As the file has it, or had it.
  const FootageInfo& footageInFile() const { return file_info_; }
  /// Who hears, from another thread, what could not be written into the project file. With a listener, changes are written later too (flush()), and run(),
  /// undo() and redo() return no errors of writing.
  void onWriteProblem(ResultWriter::Listener listener);
  /// Waits until all results are written. Errors: CannotWrite: the first that was not, since the last call.
  Status flush() { return file_.writer ? file_.writer->flush() : Status(Done{}); }
  /// What writes results into the project file: who opens that file anew waits for it. nullptr without a file.
  std::shared_ptr<ResultWriter> writer() const { return file_.writer; }
  /// Whether there is a project file that changes are saved in.
  bool hasFile() const { return storing() && !file_.kept; }
  /// The project file, also one that is only read; empty: none.
  std::filesystem::path filePath() const { return file_.store && !file_.kept ? file_.store->path() : std::filesystem::path(); }
  /// Why changes are not saved in the file that is open: a sentence; empty when they are, or when there is no file.
  std::string readOnlyBecause() const { return file_.store ? file_.store->readOnlyBecause() : std::string(); }
  /// Whether another program changed the project file under this one.
  bool fileChangedOutside() const { return file_.store && !file_.kept && file_.store->changedOutside(); }

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
  /// Tracks by their number, by their name, or by the group they are in; ascending.
  std::vector<int> tracksCalled(std::string_view text) const;
  const SolutionPtr& solution() const { return solution_; }
  /// What solution() is worth, judged once; nothing without one.
  const std::optional<Verdict>& verdict() const;
  /// What solution() was made under; empty keys without one.
  const SolveKeys& solutionKeys() const { return solution_keys_; }
  /// Every solve of this shot, oldest first; also dropped ones, which go when the project is opened next.
  const Ledger& ledger() const { return ledger_; }
  /// The run that solution() is; 0: none.
  int shownRun() const { return solution_ ? shown_run_ : 0; }
  /// What was changed for a run since its parent, in words; see changesBetween().
  std::vector<std::string> changesOf(const Run& run) const;
  /// What each run takes in the project file, bytes; those that are not written yet are missing.
  std::map<int, std::int64_t> runBytes() const { return file_.store ? file_.store->runBytes() : std::map<int, std::int64_t>(); }
  /// What is needed to read a run, on any thread. Errors: InvalidInput: there is no such run.
  Result<RunSource> runSource(int id) const;
  /// Goes back to what a run was asked, as an edit, and shows it. Scene, test objects and delivery stay as they are now.
  Status restoreRun(const RunResult& run);
  /// Reads the run as well; it may take a while. Errors: as runSource and RunSource::read.
  Status restoreRun(int id);
  /// Takes a finished job's result, made under `key`; written into the project file in the background.
  void takeTracks(TrackSetPtr tracks, const std::string& key);
  /// The same, as a run of the ledger. It is shown when the tracks that it was made from are; else it waits until they are again.
  void takeSolution(SolutionPtr solution, const SolveKeys& keys, const RunOrigin& origin = {});

  /// Sets aside, as an edit, what a pruning of the solve that is shown took out, and takes the solve that came of it. Nothing where nothing went.
  /// Errors: as run().
  Status takePruned(const Pruned& pruned);

  /// The files as they were when they were last looked at.
  const FilePrints& filePrints() const { return prints_; }
  /// Takes what a look at the files found: where they are others, results made from them are stale.
  /// True when anything changed by it.
  bool takeFilePrints(const FilePrints& prints);

  StepStatus status(Step step) const;
  /// The world as picked or guessed; an error when a pick cannot be used. Worked out once for a solve and its picks.
  const Result<SceneFrame>& scene() const;
  /// Everything a delivery needs, or why there is none. `total_s` is the wall time to report, when it is known.
  Result<DeliveryJob> deliveryJob(double total_s = kUnknown) const;
  /// Everything that dense points of this solve need, or why there are none.
  /// `quality`: in place of the document's.
  Result<DenseJob> denseJob(const std::optional<DenseSettings>& settings = {}) const;
  /// Where its dense points are kept at the document's quality; empty: nowhere.
  std::filesystem::path denseFolder() const;
  /// The dense points that are there of solution() at the document's quality.
  const DenseSummary& dense() const;
  /// Looks for them again: they were made.
  void lookAtDense() { dense_.reset(), verdict_.reset(); }

 private:
  /// The file that the shot is stored in: its project, or one that it is kept in until it has one. Assigning ends what wrote into the old one before the
  /// old one goes.
  struct File {
    std::unique_ptr<KeptFile> kept;
    std::shared_ptr<ProjectStore> store;
    std::shared_ptr<ResultWriter> writer;
    File() = default;
    File(File&&) = default;
    File& operator=(File&& other) noexcept {
      writer.reset(), store.reset(), kept.reset();
      kept = std::move(other.kept), store = std::move(other.store), writer = std::move(other.writer);
      return *this;
    }
  };
  bool storing() const { return file_.store && file_.store->writable(); }
  void keepUnsaved();
  Status afterChange();
  void lookAgain();
  FilePrints keptWhereGone(FilePrints prints) const;
  void remember();
  void recall();
  void refreshTracks();
  Status saveDocument();
  void readImported(std::string* warning);
  void refreshPicks();
  std::string solvedTracksKey() const;
  void useStore(std::unique_ptr<ProjectStore> store, std::unique_ptr<KeptFile> kept = nullptr);
  TrackSetPtr madeTracks(const std::string& key) const;
  std::vector<std::pair<std::string, TrackSetPtr>> tracksToStore() const;
  Status fill(ProjectStore::Filling& filling) const;
  Status fillImported(ProjectStore::Filling& filling) const;
  void fillLater();
  void writeTracks(const std::string& key, const TrackSetPtr& tracks);
  void writeRun(const Run& run, const SolutionPtr& solution);
  Status addTo(ProjectStore& store, Document& document) const;
  std::optional<std::string> bytesOf(const Run& run) const;
  std::optional<std::string> tracksBytes(const std::string& key) const;
  void saveTracks();
  void saveRun(int id);
  void readLedger(std::string* warning);
  void forgetDropped();
  void recallSolution();
  void adoptOldAnswer();
  SolutionPtr madeSolution(const Run& run);
  int newRun(const Document& document, const SolveKeys& keys, const RunOrigin& origin);
  void showNewest();
  void showSolution();
  void forgetOldResults();
  std::optional<std::string> stored(const std::string& step, const std::string& key) const;
  /// Decodes what is stored under a key; nullptr: none, or damaged, which is noted.
  template <class T>
  std::shared_ptr<const T> storedAs(const std::string& step, const std::string& key, Result<std::shared_ptr<const T>> (*decode)(const std::string&)) const;

  Document document_;  ///< As it is saved and undone.
  Document seen_;      ///< The same with its picks as numbers of tracks_.
  int lost_picks_ = 0;
  /// Picks as numbers of other tracks, as they were carried over last.
  struct Carried {
    Picks picks;
    std::vector<TrackEdit> edits;  ///< Of the tracks that they speak of.
    TrackSetPtr to;
    std::string key;
    int frame_offset = 0;
    Picks result;
    int lost = 0;
  } carried_;
  FootageInfo file_info_, footage_;  ///< As the file has it; as the document takes it.
  FilePrints prints_;
  std::string printed_mattes_;  ///< The folder that prints_ are of.
  bool footage_gone_ = false;
  std::map<std::string, FootageRecord> looked_at_;  ///< By path: footage that was looked at, here or when the project was made.
  UndoStack undo_;
  ResultWriter::Listener write_listener_;
  File file_;
  std::filesystem::path unsaved_folder_;  ///< Empty: shots are not kept, or it failed.
  TrackSetPtr followed_, tracks_;
  SolutionPtr newest_solution_, solution_;          ///< The newest; the same where its tracks are shown.
  std::string tracks_key_;                          ///< Under which followed_ were made.
  SolveKeys solution_keys_;                         ///< Of the newest solution.
  std::string asked_tracks_key_, asked_solve_key_;  ///< Of what the document asks for now.
  TrackWork shown_work_;                            ///< That tracks_ were made with, from shown_from_.
  TrackSetPtr shown_from_;
  mutable std::set<std::string> damaged_;  ///< Steps of which a stored result could not be read.
  mutable RecentResults<TrackSet> made_tracks_;
  mutable RecentResults<Solution> made_solutions_;  ///< By their own keys.
  Ledger ledger_;
  int shown_run_ = 0;  ///< The run that newest_solution_ is.

  /// The world of a solve under some picks.
  struct MadeScene {
    SolutionPtr solution;
    SceneSettings settings;
    Knowledge knowledge;
    Result<SceneFrame> frame;
  };
  mutable std::optional<MadeScene> scene_;
  /// Dense points in a folder, as they were found there.
  struct FoundDense {
    std::filesystem::path folder;
    DenseSummary summary;
  };
  std::filesystem::path denseFolder(const DenseSettings& settings) const;
  mutable std::optional<FoundDense> dense_;
  mutable SolutionPtr judged_;                 ///< That verdict_ is of.
  mutable std::filesystem::path judged_with_;  ///< Of dense points that it heard.
  mutable std::optional<Verdict> verdict_;
};
}  // namespace dusky
