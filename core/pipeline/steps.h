#pragma once
#include <functional>

#include "core/deliver/delivery.h"
#include "core/deliver/review_movie.h"
#include "core/image/frame_source.h"
#include "core/media/shot_source.h"
#include "core/project/document.h"
#include "core/review/sweep.h"

namespace dusky {

// The steps of the work as plain functions of the document and of what came before. Both programs run them; each is safe to run on
// a worker thread with copies of its inputs.

/// How the document takes its footage, and the footage taken that way. Errors: as openShot.
ShotView shotViewOf(const Document& document);
Result<std::unique_ptr<FrameSource>> openFootageOf(const Document& document);

/// What is known of a shot of which there are tracks alone: no pictures can be read.
FootageInfo infoOfTracks(const TrackSet& tracks, const std::string& path);
/// Footage, or a file of tracks by its ending. `width`, `height`: see readTrackFile(). Errors: as openFootage and readTrackFile.
Result<FootageInfo> lookAtFootage(const std::string& path, int width = 0, int height = 0);

/// What is left out of a shot's frames, opened when it is first asked for; empty: nothing is masked. Speaks of the document and the footage while it lives.
std::function<Result<Plane<std::uint8_t>>(int frame)> maskOfShot(const Document& document, const FootageInfo& footage);

/// Runs of tracking that the document asks for: the first one and those added.
int runsOf(const Document& document);

/// The files of a document as they are at a moment: paths, sizes and times, hashed. To look at every file of a long sequence takes a while, so
/// it is done when a shot is opened and when a job begins, never on an edit.
struct FilePrints {
  std::string footage, mattes;
  bool operator==(const FilePrints&) const = default;
};
FilePrints filePrintsOf(const Document& document);

/// Keys: the same key means the same result. tracksKey is that of the tracks as they are followed, without what is done by hand; `runs`:
/// after so many runs only. Without prints it looks at the files.
std::string tracksKey(const Document& document, const FootageInfo& footage, const FilePrints& files, int runs);
std::string tracksKey(const Document& document, const FootageInfo& footage);
/// The keys of a solve that begins from nothing, by the key of the followed tracks.
std::string solveKey(const Document& document, const FootageInfo& footage, const std::string& followed);

/// What a solve is made under. `from`: the own key of the solve that is carried on from; empty: from nothing.
SolveKeys solveKeys(const Document& document, const FootageInfo& footage, const std::string& followed, const std::string& from = {});

/// Masks ready for these frames of the footage; `opened`: where mattes and alpha are read from, as an earlier set of the same folder and footage
/// opened them. Errors: as MaskSet::make, and what the folder of mattes says.
Result<std::unique_ptr<MaskSet>> makeMasks(const MaskSettings& settings, const FootageInfo& footage, int frame_offset, const std::vector<int>& frames,
                                           MaskSources opened = {});

/// The masks of one shot for a view that asks again and again while they are edited: what was opened for them stays open.
class LiveMasks {
 public:
  /// The set for these settings, made anew only when they changed; nullptr: nothing is left out. Errors: as makeMasks().
  Result<MaskSet*> of(const MaskSettings& settings, const FootageInfo& footage, int frame_offset);

 private:
  std::unique_ptr<MaskSet> set_;
  MaskSettings settings_;
  std::string footage_path_;
  int frame_offset_ = 0;
};

/// What is there already to go on from.
struct TracksStart {
  TrackSetPtr tracks;  ///< As followed.
  int runs = 0;        ///< Whose result they are; 0: none.
};

/// All runs of tracking, or those that are missing from `start`. Each adds; none changes what is there.
Result<TrackSetPtr> runTracks(const Document& document, const Progress& progress, const std::function<void(TrackSetPtr)>& on_partial = {},
                              const TracksStart& start = {});
/// The followed tracks (nullptr: none), made under `key`, with everything done by hand, as views and solve take them; nullptr when there are
/// none at all.
TrackSetPtr withHandWork(const TrackSetPtr& followed, const std::string& key, const Document& document, const FootageInfo& footage);

/// Picks and the tracks that they speak of; nullptr: not known any more.
struct PicksOnTracks {
  Picks picks;
  TrackSetPtr tracks;

  /// The picks as numbers of other tracks, those under `key`: carried over by place where it is not their own key. Without their tracks all
  /// but those of tracks by hand are dropped. `lost`: tracks spoken of that have no counterpart.
  Picks carriedTo(const TrackSet& to, const std::string& key, int frame_offset, int* lost = nullptr) const;
};

/// The features that tracking would begin with in a frame.
Result<std::vector<Feature>> findCandidates(FrameSource& source, LiveMasks& masks, const Document& document, int frame);

/// Follows a track by hand through the document's frames; see followByHand.
Result<HandTrack> runHandTrack(const Document& document, const HandTrack& track, const HandOptions& options, const Progress& progress,
                               std::string* note = nullptr);
/// A key near where the artist pointed: put on the feature when `snap`, with the colour of the picture there.
Result<HandTrack> placeKey(const Document& document, HandTrack track, int frame, const Vec2& pointed, bool snap);

/// Solves; `from`: carries on from an earlier solve of these tracks. Errors: as solveShot, and what a loaded lens says.
Result<SolutionPtr> runSolve(const Document& document, const FootageInfo& footage, const TrackSet& tracks, const Progress& progress,
                             const std::function<void(SolutionPtr)>& on_partial = {}, const SolutionPtr& from = nullptr);
/// Sweeps a scalar of the solve; see sweep(). Errors: the same.
Result<SweepResult> runSweep(const Document& document, const FootageInfo& footage, const TrackSet& tracks, const Solution& from, const SweepOptions& asked,
                             const Progress& progress, const std::function<void(const SweepPoint&)>& on_point = {});
/// A delivery as a value: safe to run on a worker thread while the artist goes on.
struct DeliveryJob {
  FootageInfo footage;
  SolutionPtr solution;
  SceneFrame scene;
  RunTimings timings;
  std::vector<std::string> warnings;  ///< Besides the solution's own.
  Document document;
  TrackSetPtr tracks;                         ///< What the solve was made from; nullptr: they are others by now.
  bool current = false;                       ///< Whether document and tracks are those of the solve: advice is worked out from them then, for the report.
  std::optional<std::vector<Advice>> advice;  ///< Where it is known already.
  std::filesystem::path dense_folder;         ///< Of the dense points of this solve at the document's quality; empty: none are kept.

  /// Errors: as deliver().
  Result<Delivered> run(const std::filesystem::path& folder, const DeliveryChoices& choices, const Progress& progress) const;
  /// The review movie alone. Errors: as writeReview(); InvalidInput: the shot is 2D tracks without pictures.
  Status review(const std::filesystem::path& path, const ReviewOptions& options, const Progress& progress) const;
  /// A surface of the dense points with a texture of the keyframes' pictures. Errors: as textured().
  Result<SetMesh> withTexture(SetMesh mesh, int side_px, const Progress& progress) const;

 private:
  DeliveryInput input() const;
  void addDense(DeliveryInput& made) const;
};

/// A preset by its name: the document's own, else one that is always there. Errors: InvalidInput naming those that there are.
Result<DeliveryChoices> presetNamed(const Document& document, const std::string& name);

/// What a shot is called after its footage: the file's or the folder's name without its ending, also of "." and of a path that ends in a slash.
std::string shotName(const std::filesystem::path& footage);

/// The folder that a delivery goes to when none is set: beside the footage, named after it.
std::filesystem::path defaultDeliveryFolder(const Document& document);

/// What solveShot is asked, from the document's millimetres and milliseconds. Errors: a loaded lens that cannot be read or does not fit.
Result<SolveOptions> solveOptionsOf(const Document& document, const FootageInfo& footage);
}  // namespace dusky
