#pragma once
#include <QObject>
#include <QString>
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
  TrackSetPtr tracks() const { return partial_tracks_ ? partial_tracks_ : workspace_.tracks(); }
  SolutionPtr solution() const { return partial_solution_ ? partial_solution_ : partial_tracks_ ? nullptr : workspace_.solution(); }
  bool partial() const { return partial_tracks_ || partial_solution_; }
  /// The world of solution(); nothing without one or when a pick cannot be used.
  const std::optional<SceneFrame>& scene() const { return scene_; }
  QString sceneProblem() const { return scene_problem_; }
  /// Of solution(); nothing of one that is on its way.
  const std::optional<Verdict>& verdict() const;

  void showPartial(TrackSetPtr tracks);
  /// A solve on its way, in its world, of the followed tracks under a key: shown while those are.
  void showPartial(SolutionPtr solution, const std::optional<SceneFrame>& scene, const std::string& tracks_key);
  void dropPartial();
  void takeTracks(TrackSetPtr tracks, const std::string& key);
  void takeSolution(SolutionPtr solution, const SolveKeys& keys);
  void takeFilePrints(const FilePrints& prints);
  void relinkFootage(const FootageRecord& found);
  /// Lets every view look again.
  void tellAll();

 signals:
  void opened();           ///< Other footage or another project.
  void documentChanged();  ///< Settings, picks, undo state, file.
  void resultsChanged();   ///< tracks(), solution() or scene() are others.
  void problem(const QString& sentence);

 private:
  void report(const Status& status);
  void refreshScene();
  void dropForeignPartial();
  void listenToWrites();
  void setPartial(TrackSetPtr tracks, SolutionPtr solution);

  Workspace workspace_;
  TrackSetPtr partial_tracks_;
  SolutionPtr partial_solution_;
  std::optional<SceneFrame> partial_scene_;
  std::string partial_tracks_key_;  ///< Of the tracks that the partial solution is made from.
  std::optional<SceneFrame> scene_;
  QString scene_problem_;
  bool touched_ = false;
};

}  // namespace dusky::desktop
