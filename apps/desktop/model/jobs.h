#pragma once
#include <QObject>
#include <QSize>
#include <QString>
#include <array>
#include <deque>
#include <functional>
#include <optional>
#include <thread>
#include <vector>

#include "apps/desktop/model/document_model.h"
#include "core/media/frame_check.h"
#include "core/mesh/mesh_surface.h"
#include "core/pipeline/prune_step.h"
#include "core/review/solve_difference.h"

namespace dusky::desktop {

/// How a step's work stands, for its row.
struct JobState {
  bool running = false;
  bool waiting = false;  ///< For its turn.
  double fraction = 0;
  QString what;
  double seconds_left = kUnknown;
  QString failure;  ///< Why the last run ended without a result; empty when it did not.
};

/// Runs the steps on a worker thread, one job at a time; what is asked for meanwhile waits for its turn and then takes the shot as it is by then. A job works
/// on copies; its results and reports come back through the event loop, so everything here is called on the interface thread.
class Jobs : public QObject {
  Q_OBJECT
 public:
  Jobs(DocumentModel& model, const HandTrack& hand_defaults, QObject* parent = nullptr);
  ~Jobs() override;

  /// Whether something runs or waits.
  bool busy() const { return running_.has_value() || !waiting_.empty(); }
  const JobState& state(Step step) const { return states_[static_cast<std::size_t>(step)]; }
  const Delivered& delivered() const { return delivered_; }
  QString deliveredTo() const { return delivered_to_; }
  /// Whether what was delivered is what is shown now.
  bool deliveredIsCurrent() const {
    return !delivered_.files.empty() && delivered_solution_ == model_.solution() && delivered_scene_ == model_.document().picks.scene;
  }

  /// Opens footage, tracks without footage or a project (by its ending); the present shot stays until the new one is read. `picture`: the size
  /// behind tracks that do not say it.
  void open(const QString& path, const QSize& picture = {0, 0});
  /// Opens a shot that was kept unsaved when its program ended.
  void openUnsaved(const std::filesystem::path& kept);
  /// Goes on with the same footage at another place; what is found there is checked first.
  void relinkFootage(const QString& path);
  /// Brings tracks in from a file, as a group; writes those that are shown.
  void importTracks(const QString& path);
  void exportTracks(const QString& path);
  void runTracks();
  /// Puts a key of a track by hand, on the feature near the place when `snap`; track 0: a new one, which is selected.
  struct KeyPlace {
    int track = 0, frame = 0;
    Vec2 place = Vec2::Zero();
    bool snap = true;
  };
  void placeByHand(const KeyPlace& key);
  void followByHand(int track, const HandOptions& options);
  /// Appearance through the range for blurred, repeated and cut frames; see checkFrames.
  void checkFootage();
  const std::vector<CheckedFrame>& checked() const { return checked_; }
  /// Tracks first where they are missing or stale.
  void runSolve();
  /// Goes on from the solve that is shown: after deletions, new tracks or changed settings, and for frames without a camera.
  void carryOn();
  /// Holds scalars of the solve that is shown at each value of a range; see dusky::runSweep.
  void runSweep(const SweepOptions& asked);
  struct Sweep {
    SweepOptions asked;              ///< No parameter: none was made.
    std::vector<SweepPoint> points;  ///< By value; while it runs, those that are there.
    std::optional<SweepResult> result;
    QString problem;  ///< Why it ended without a result.
  };
  const Sweep& swept() const { return sweep_; }
  /// Goes back to a run of the ledger; see Workspace::restoreRun.
  void restoreRun(int run);
  /// Prunes by rules found from the solve that is shown, for as long as that helps; see pruneAutomatically. What went is set aside, the solve a run.
  void pruneWhileItHelps();
  /// What came of it; empty: it was not asked for.
  QString pruneNote() const { return prune_note_; }
  /// Reads two runs and works out how they differ; see differenceOf.
  void compareRuns(int first, int second);
  struct Comparison {
    std::optional<RunResult> first, second;  ///< Nothing: none was made.
    SolveDifference difference;
    bool same_tracks = false;
  };
  const Comparison& compared() const { return comparison_; }
  /// Lays the scene on the mesh; see dusky::layOnMesh. What came of it.
  void layOnMesh(const MeshSurfacePtr& surface, bool keep_scale);
  QString meshNote() const { return model_.document().picks.knowledge == laid_ ? mesh_note_ : QString(); }
  /// Dense points of the solve that is shown, made or taken from where they are kept.
  void makeDense();
  /// The surface of those that are shown, as they are cleaned up.
  void makeSurface(const DenseResultPtr& dense);
  /// Keeps it beside the dense points, as the mesh of the set.
  void useSurfaceAsMesh(const std::shared_ptr<const Surface>& surface);
  void deliver();
  /// Asks the running job to stop, which ends on its own a moment later; what waits is forgotten.
  void cancel();
  /// The same for the work of one step; the others go on.
  void cancel(Step step);
  void forgetFailures();
  /// Appearance, on a thread of its own, whether footage or mattes are other files than before; what was made from those is stale then.
  void lookAtFiles();

 signals:
  void changed();
  void finished(bool well);  ///< A job ended.
  void openFailed(const QString& sentence);
  void handNote(const QString& sentence);  ///< How following by hand went.
  void placedByHand(int track);
  void footageChecked();
  void sweepChanged();
  void comparisonChanged();
  void denseBegun();
  void densePart(const FusedViewPtr& view);                          ///< One of its depth maps is there.
  void denseEnded(const DenseResultPtr& made, const DenseJob& job);  ///< nullptr: without a result.
  void surfaceMade(const std::shared_ptr<const Surface>& surface, const DenseJob& from);
  void meshWritten();  ///< The file of the set's mesh may be another now, under its name.

 private:
  using Work = std::function<void(std::stop_token)>;
  /// Looks at the shot when the job's turn has come, on the interface thread; nothing: there is nothing to do any more.
  using Prepare = std::function<std::optional<Work>()>;
  struct Request {
    Step step;
    std::string what;
    Prepare prepare;
  };
  /// Runs it now, or when its turn comes. What runs for this very document, or waits already, is not done twice.
  void ask(Step step, std::string what, Prepare prepare);
  void beginNext();
  void begin(Step step, const std::string& what, Work work);
  using Opening = std::function<Status(Workspace&, std::string&)>;
  void openBy(Opening opening);
  void moveTo(Step step);
  Progress progressOf(Step step, std::stop_token stop);
  /// What tracking starts with, taken on the interface thread.
  struct TrackTask {
    Document document;
    FootageInfo footage;
    FilePrints files;
    std::string key;
    TracksStart start;
    PicksOnTracks picks;
  };
  TrackTask trackTask() const;
  /// Takes the files as they are now into a task; what was made from others is not gone on from.
  void lookAtFiles(TrackTask& task);
  bool track(const TrackTask& task, TrackSetPtr& tracks, std::stop_token stop);
  struct SolveTask {
    Document document;
    FootageInfo footage;
    std::string tracks_key;  ///< Of the followed tracks.
    SolutionPtr from;        ///< To carry on from; nullptr: from nothing.
    std::string from_key;    ///< Its own key.
    int parent = 0;          ///< The run that was shown.
  };
  std::optional<DenseJob> denseJob();
  void solve(const SolveTask& task, const TrackSet& tracks, std::stop_token stop);
  void endWith(const Status& status);
  /// The same for work that is not a step of its own: nothing moves on after it.
  void endQuietly(const Status& status);
  /// Runs on the interface thread, unless another job has begun since.
  void post(std::function<void()> action);

  DocumentModel& model_;
  const HandTrack& hand_defaults_;
  std::array<JobState, kSteps.size()> states_;
  std::optional<Step> running_;
  std::string running_what_;
  Document running_for_;  ///< As it was when that began.
  std::deque<Request> waiting_;
  std::vector<CheckedFrame> checked_;
  Sweep sweep_;
  Comparison comparison_;
  QString prune_note_, mesh_note_;
  Knowledge laid_;  ///< That the note speaks of.
  Delivered delivered_;
  QString delivered_to_;
  SolutionPtr delivered_solution_;
  SceneSettings delivered_scene_;
  int serial_ = 0;
  Stopwatch since_;       ///< The running job began.
  bool looking_ = false;  ///< looker_ is at it.
  std::jthread worker_, looker_;
};
}  // namespace dusky::desktop
