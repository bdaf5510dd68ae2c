#pragma once
#include <QObject>
#include <QString>
#include <algorithm>
#include <memory>
#include <optional>

#include "core/pipeline/workspace.h"
#include "core/review/verdict.h"

namespace dusky::desktop {

/// The shot being worked on, as a QObject: every change goes through it, every view hears it. Interface thread only.
class DocumentModel : public QObject {
  Q_OBJECT
 public:
  explicit DocumentModel(QObject* parent = nullptr) : QObject(parent) {}

  const Workspace& workspace() const { return workspace_; }
  const Document& document() const { return workspace_.document(); }
  bool hasFootage() const { return workspace_.hasFootage(); }
  /// First and last frame that the document works on.
  int firstFrame() const;
  int lastFrame() const;

  /// Goes on with another footage or project.
  void adopt(Workspace workspace);
  bool saveAs(const QString& path);
  /// Whether closing would lose anything: there is work and no file that takes it.
  bool unsaved() const { return touched_ && (!workspace_.hasFile() || workspace_.fileChangedOutside()); }

  /// Changes the document through an edit; a refusal goes out as problem().
  void run(std::unique_ptr<Edit> edit);
  template <class T>
  void set(const char* name, T Document::*member, std::type_identity_t<T> value) {
    run(setMember<T>(name, member, std::move(value)));
  }
  void undo();
  void redo();

  /// What the views show: of a running job as it grows, else the newest.
  TrackSetPtr tracks() const { return partial_tracks_ ? partial_tracks_ : peek_ ? peek_->tracks : workspace_.tracks(); }
  SolutionPtr solution() const { return partial_solution_ ? partial_solution_ : partial_tracks_ ? nullptr : peek_ ? peek_->solution : workspace_.solution(); }
  bool partial() const { return partial_tracks_ || partial_solution_; }
  /// The world of solution(); nothing without one or when a pick cannot be used.
  const std::optional<SceneFrame>& scene() const { return scene_; }
  /// Shows the scene like this until told otherwise, or the document changes.
  void previewScene(std::optional<SceneFrame> scene);
  QString sceneProblem() const { return scene_problem_; }
  /// Of solution(); nothing of one that is on its way.
  const std::optional<Verdict>& verdict() const;

  void showPartial(TrackSetPtr tracks);
  /// A solve on its way, in its world, of the followed tracks under a key: shown while those are.
  void showPartial(SolutionPtr solution, const std::optional<SceneFrame>& scene, const std::string& tracks_key);
  void dropPartial();
  void takeTracks(TrackSetPtr tracks, const std::string& key);
  void takeSolution(SolutionPtr solution, const SolveKeys& keys, const RunOrigin& origin = {});
  void takePruned(const Pruned& pruned);
  void restoreRun(const RunResult& run);
  /// Shows another run in the place of the one that is shown, to compare; nothing is changed by it. Ends with peekEnd(), and by any change.
  void peek(const RunResult& run);
  void peekEnd();
  /// The run that is looked at in that way; 0: none.
  int peeked() const { return peek_ ? peek_->run.id : 0; }
  /// Tracks that would go by the rules that are looked at, ascending; views show them so.
  void setGoing(const std::vector<int>& tracks);
  bool isGoing(int track) const { return std::binary_search(going_.begin(), going_.end(), track); }
  void takeFilePrints(const FilePrints& prints);
  /// Dense points were made.
  void lookAtDense();
  void relinkFootage(const FootageRecord& found);
  /// Lets every view look again, whatever changed.
  void redrawAll();

 signals:
  void opened();           ///< Other footage or another project.
  void documentChanged();  ///< Settings, picks, undo state, file, status of a step.
  void tracksChanged();    ///< tracks() are others.
  void solutionChanged();  ///< solution() is another.
  void sceneChanged();     ///< scene() or the test objects are others.
  void scenePreviewed();   ///< scene() is shown in another way for now.
  void marksChanged();     ///< What was said of single tracks: set aside, pinned, weights, names, groups.
  void resultsChanged();   ///< One of the four above, after them.
  void ledgerChanged();    ///< Runs, what is said of them, or which is shown.
  void problem(const QString& sentence);

 private:
  void report(const Status& status);
  /// Tells what changed since views were told last, or everything.
  void tell(bool everything = false);
  void tellResults(bool everything = false);
  void refreshScene();
  void dropForeignPartial();
  void listenToWrites();
  void setPartial(TrackSetPtr tracks, SolutionPtr solution);

  Workspace workspace_;
  TrackSetPtr partial_tracks_;
  SolutionPtr partial_solution_;
  std::optional<SceneFrame> partial_scene_;
  std::optional<RunResult> peek_;
  std::optional<Verdict> peek_verdict_;
  std::string partial_tracks_key_;  ///< Of the tracks that the partial solution is made from.
  std::optional<SceneFrame> scene_;
  QString scene_problem_;
  std::vector<int> going_;
  bool touched_ = false;
  /// What the views were told last.
  struct Told {
    TrackSetPtr tracks;
    SolutionPtr solution;
    std::optional<SceneSettings> scene;  ///< Nothing: none could be made.
    Knowledge knowledge;                 ///< A survey in it places the scene.
    std::vector<TestObject> objects;
    std::vector<int> set_aside, pinned;
    std::vector<TrackWeight> weights;
    std::vector<TrackLabel> labels;
    std::string followed_key;
    int shown_run = 0;
    std::size_t runs = 0;
    LedgerMarks ledger;
  };
  Told told_;
};

}  // namespace dusky::desktop
