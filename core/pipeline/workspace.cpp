#include "core/pipeline/workspace.h"

#include <fmt/format.h>

#include "core/base/paths.h"
#include "core/media/footage.h"
#include "core/project/edits.h"
#include "core/project/result_codec.h"
#include "core/track/track_files.h"

namespace dusky {

Status Workspace::openFootage(const std::string& path, int width, int height) {
  const auto info = lookAtFootage(path, width, height);
  if (!info.ok()) return info.error();
  *this = Workspace();
  file_info_ = footage_ = *info;
  document_.footage.width = width, document_.footage.height = height;
  // A project may be opened from anywhere.
  document_.footage_path = wholePath(path).string();
  prints_ = filePrintsOf(document_);
  looked_at_[document_.footage_path] = {file_info_, prints_.footage};
  recall();
  return Done{};
}

void Workspace::useStore(std::unique_ptr<ProjectStore> store, std::unique_ptr<KeptFile> kept) {
  File file;
  file.kept = std::move(kept), file.store = std::move(store);
  if (file.store->writable()) file.writer = std::make_shared<ResultWriter>(file.store, write_listener_);
  file_ = std::move(file);
  remember();
}

/// Before the first change of a shot that has no file. A folder that takes nothing is asked once.
void Workspace::keepUnsaved() {
  if (file_.store || unsaved_folder_.empty() || !hasFootage()) return;
  const auto path = newKeptFile(unsaved_folder_, shotName(document_.footage_path));
  auto store = path.ok() ? ProjectStore::create(*path, document_, resultsToStore()) : Result<std::unique_ptr<ProjectStore>>(path.error());
  if (store.ok()) return useStore(std::move(*store), std::make_unique<KeptFile>(*path));
  unsaved_folder_.clear();
  if (write_listener_) write_listener_(store.error());
}

Status Workspace::openUnsaved(const std::filesystem::path& kept, std::string* warning) {
  if (const Status opened = openProject(kept, warning); !opened.ok()) return opened;
  // One that another program has taken up meanwhile is only looked at.
  if (storing()) file_.kept = std::make_unique<KeptFile>(kept);
  return Done{};
}

/// What the footage is like, in the project, for when it is gone.
void Workspace::remember() {
  if (!storing() || footage_gone_ || file_info_.width == 0) return;
  const std::string record = footageRecordToJson({file_info_, prints_.footage});
  // That it is not remembered hurts nobody now.
  if (file_.store->note("footage") != record) (void)file_.store->saveNote("footage", record);
}

/// The print of footage that is gone stays as it was.
FilePrints Workspace::keptWhereGone(FilePrints prints) const {
  if (footage_gone_) prints.footage = prints_.footage;
  return prints;
}

/// After the footage's place changed: what is known of the new one.
void Workspace::lookAgain() {
  const auto known = looked_at_.find(document_.footage_path);
  if (known != looked_at_.end()) file_info_ = known->second.info;
  std::error_code failed;
  footage_gone_ = !std::filesystem::exists(document_.footage_path, failed);
  prints_ = filePrintsOf(document_);
  if (footage_gone_ && known != looked_at_.end()) prints_.footage = known->second.print;
  remember();
}

Status Workspace::relinkFootage(const FootageRecord& found) {
  looked_at_[found.info.path] = found;
  return run(replaceDocument("Relink footage", withFootageAt(document_, found, prints_.footage)));
}

void Workspace::onWriteProblem(ResultWriter::Listener listener) {
  write_listener_ = std::move(listener);
  if (storing()) file_.writer.reset(), file_.writer = std::make_shared<ResultWriter>(file_.store, write_listener_);
}

Status Workspace::openProject(const std::filesystem::path& path, std::string* warning, ProjectStore::Access access) {
  auto store = ProjectStore::open(path, access);
  if (!store.ok()) return store.error();
  auto document = (*store)->document();
  if (!document.ok()) return document.error();
  *this = Workspace();
  useStore(std::move(*store));
  document_ = std::move(*document);
  prints_ = filePrintsOf(document_), printed_mattes_ = document_.masks.mattes.folder;
  const auto info = lookAtFootage(document_.footage_path, document_.footage.width, document_.footage.height);
  if (info.ok()) {
    file_info_ = *info;
  } else {
    const auto note = file_.store->note("footage");
    const auto record = note ? footageRecordFromJson(*note) : Result<FootageRecord>(info.error());
    footage_gone_ = true;
    if (record.ok()) file_info_ = record->info, prints_.footage = record->print;
    if (warning) *warning = info.error().message;
  }
  if (file_info_.width > 0) footage_ = seenAs(file_info_, shotViewOf(document_)), looked_at_[document_.footage_path] = {file_info_, prints_.footage};
  remember();
  readImported(warning);
  recall();
  if (warning && !damaged_.empty())
    *warning += fmt::format("{}Damaged in the project, and left out: {}. Run that again.", warning->empty() ? "" : " ", fmt::join(damaged_, ", "));
  return Done{};
}

namespace {
std::string stepOfImport(const ImportedTracks& import) { return "imported " + import.key; }
}  // namespace

/// Everything that a new file must hold beside the document.
std::vector<StoredResult> Workspace::resultsToStore() const {
  std::vector<StoredResult> results;
  for (const ImportedTracks& import : document_.work.imported) {
    if (import.tracks) results.push_back({stepOfImport(import), import.key, encode(*import.tracks)});
  }
  for (const auto& [key, tracks] : tracksToStore()) results.push_back({"tracks", key, encode(*tracks)});
  if (!newest_solution_) return results;
  results.push_back({"solve", solution_keys_.own, encode(*newest_solution_)});
  results.push_back({"answer", solution_keys_.asked, solution_keys_.own});
  return results;
}

Status Workspace::saveAs(const std::filesystem::path& path) {
  const std::vector<StoredResult> results = resultsToStore();
  std::error_code failed;
  // An open database would take the log of the one that replaces it for its own.
  const bool over_itself = file_.store && std::filesystem::equivalent(path, file_.store->path(), failed);
  if (over_itself) file_.writer.reset(), file_.store.reset();
  if (over_itself && file_.kept) file_.kept->leave();
  auto store = ProjectStore::create(path, document_, results);
  if (store.ok()) {
    useStore(std::move(*store));
    return Done{};
  }
  if (over_itself) {
    if (auto back = ProjectStore::open(path); back.ok()) useStore(std::move(*back));
  }
  return store.error();
}

Status Workspace::saveInto(const std::filesystem::path& path) {
  auto store = ProjectStore::open(path);
  if (!store.ok()) return store.error();
  if (!(*store)->writable()) return cannotWrite((*store)->readOnlyBecause());
  for (const StoredResult& result : resultsToStore()) {
    if (const Status saved = (*store)->saveResult(result.step, result.key, result.bytes); !saved.ok()) return saved;
  }
  if (const Status saved = (*store)->saveDocument(document_); !saved.ok()) return saved;
  useStore(std::move(*store));
  return Done{};
}

Status Workspace::afterChange() {
  if (document_.footage_path != seen_.footage_path) lookAgain();
  if (hasFootage()) footage_ = seenAs(file_info_, shotViewOf(document_));
  if (document_.masks.mattes.folder != printed_mattes_) prints_ = keptWhereGone(filePrintsOf(document_)), printed_mattes_ = document_.masks.mattes.folder;
  recall();
  keepUnsaved();
  if (!storing()) return Done{};
  if (const Status saved = storeImported(); !saved.ok()) return saved;
  return file_.store->saveDocument(document_);
}

/// The places of imported tracks are no result that could be made again: they are in the file before the document speaks of them, each kept
/// as long as the file.
Status Workspace::storeImported() {
  for (const ImportedTracks& import : document_.work.imported) {
    if (!import.tracks || file_.store->has(stepOfImport(import), import.key)) continue;
    if (const Status saved = file_.store->saveResult(stepOfImport(import), import.key, encode(*import.tracks)); !saved.ok()) return saved;
  }
  return Done{};
}

void Workspace::readImported(std::string* warning) {
  for (ImportedTracks& import : document_.work.imported) {
    const auto bytes = stored(stepOfImport(import), import.key);
    auto read = bytes ? decodeTracks(*bytes) : Result<TrackSetPtr>(unreadable("they are not in the project file"));
    if (read.ok())
      import.tracks = numberedFrom(**read, (*read)->tracks.empty() ? kFirstImportedId : (*read)->tracks.front().id);
    else if (warning)
      *warning += fmt::format("{}The imported tracks \"{}\" are lost: {}.", warning->empty() ? "" : " ", import.label.group, read.error().message);
  }
}

Status Workspace::run(std::unique_ptr<Edit> edit) {
  if (!undo_.run(document_, std::move(edit))) return Done{};
  return afterChange();
}

Status Workspace::undo() {
  undo_.undo(document_);
  return afterChange();
}

Status Workspace::redo() {
  undo_.redo(document_);
  return afterChange();
}

std::optional<std::string> Workspace::stored(const std::string& step, const std::string& key) const {
  if (!file_.store) return std::nullopt;
  auto bytes = file_.store->result(step, key);
  if (!bytes && file_.store->has(step, key)) damaged_.insert(step);
  return bytes;
}

template <class T>
std::shared_ptr<const T> Workspace::storedAs(const std::string& step, const std::string& key,
                                             Result<std::shared_ptr<const T>> (*decode)(const std::string&)) const {
  const auto bytes = stored(step, key);
  if (!bytes) return nullptr;
  auto decoded = decode(*bytes);
  if (!decoded.ok()) damaged_.insert(step);
  return decoded.ok() ? *decoded : nullptr;
}

/// Tracks made under a key, in this session or stored; nullptr: none.
TrackSetPtr Workspace::madeTracks(const std::string& key) const {
  if (TrackSetPtr made = made_tracks_.find(key)) return made;
  TrackSetPtr made = storedAs("tracks", key, decodeTracks);
  return made ? made_tracks_.keep(key, std::move(made)) : nullptr;
}

TracksStart Workspace::tracksStart() const {
  for (int runs = runsOf(document_); runs > 0; --runs) {
    if (TrackSetPtr made = madeTracks(tracksKey(document_, footage_, prints_, runs))) return {std::move(made), runs};
  }
  return {};
}

const TrackLabel* Workspace::labelOf(int track) const {
  const bool ours = keepsItsNumber(track) || document_.work.edited_key == tracks_key_;
  const TrackLabel* label = ours ? document_.work.labelOf(track) : nullptr;
  if (label) return label;
  const ImportedTracks* import = document_.work.importOf(track);
  return import ? &import->label : nullptr;
}

std::string Workspace::nameOf(int track) const {
  const TrackLabel* label = labelOf(track);
  if (const HandTrack* by_hand = document_.work.find(track)) return by_hand->name;
  return label && !label->name.empty() ? label->name : std::to_string(track);
}

/// The followed tracks with what was done by hand; made anew only when either changed.
void Workspace::refreshTracks() {
  if (tracks_ && shown_from_ == followed_ && shown_work_ == document_.work) return;
  shown_from_ = followed_, shown_work_ = document_.work;
  tracks_ = withHandWork(followed_, tracks_key_, document_, footage_);
}

PicksOnTracks Workspace::picksAsMade() const {
  const Picks& picks = document_.picks;
  if (picks.key == tracks_key_) return {picks, tracks_};
  TrackSetPtr from = madeTracks(picks.key);
  if (from && document_.work.edited_key == picks.key) from = applyTrackWork(*from, document_.work, true);
  return {picks, from};
}

/// The key of the followed tracks that a solve would be made from now; empty: from imported ones alone.
std::string Workspace::solvedTracksKey() const { return followed_ || document_.work.imported.empty() ? asked_tracks_key_ : std::string(); }

/// The picks as numbers of the tracks shown.
void Workspace::refreshPicks() {
  seen_ = document_;
  lost_picks_ = 0;
  if (tracks_) seen_.picks = picksAsMade().carriedTo(*tracks_, tracks_key_, document_.footage.frame_offset, &lost_picks_);
  asked_solve_key_ = solveKey(seen_, footage_, solvedTracksKey());
}

/// Results are stored newest last and the oldest go: tracks that picks speak of must not.
std::vector<std::pair<std::string, TrackSetPtr>> Workspace::tracksToStore() const {
  std::vector<std::pair<std::string, TrackSetPtr>> sets;
  const TrackSetPtr picked = document_.picks.key != tracks_key_ && document_.picks != Picks() ? madeTracks(document_.picks.key) : nullptr;
  if (picked) sets.emplace_back(document_.picks.key, picked);
  if (followed_) sets.emplace_back(tracks_key_, followed_);
  return sets;
}

void Workspace::saveTracks() {
  for (const auto& [key, tracks] : tracksToStore()) file_.writer->write("tracks", key, [tracks = tracks] { return encode(*tracks); });
}

void Workspace::saveSolution() {
  file_.writer->write("solve", solution_keys_.own, [solution = newest_solution_] { return encode(*solution); });
  file_.writer->write("answer", solution_keys_.asked, [own = solution_keys_.own] { return own; });
}

/// Going back to earlier settings finds their results again.
void Workspace::recall() {
  seen_ = document_;
  if (!hasFootage()) return;
  asked_tracks_key_ = tracksKey(document_, footage_, prints_, runsOf(document_));
  if (asked_tracks_key_ != tracks_key_) {
    if (TrackSetPtr made = madeTracks(asked_tracks_key_)) followed_ = std::move(made), tracks_key_ = asked_tracks_key_;
  }
  refreshTracks();
  refreshPicks();
  recallSolution();
  showSolution();
}

/// A solve made under its own key, in this session or stored; nullptr: none.
SolutionPtr Workspace::madeSolution(const std::string& own_key) {
  if (SolutionPtr made = made_solutions_.find(own_key)) return made;
  SolutionPtr made = storedAs("solve", own_key, decodeSolution);
  return made ? made_solutions_.keep(own_key, std::move(made)) : nullptr;
}

/// The solve made last for what the document asks now, where there is one.
void Workspace::recallSolution() {
  const std::string& asked = asked_solve_key_;
  if (newest_solution_ && asked == solution_keys_.asked) return;
  auto answer = answers_.find(asked);
  if (answer == answers_.end()) answer = answers_.emplace(asked, stored("answer", asked).value_or(asked)).first;
  if (SolutionPtr made = madeSolution(answer->second)) {
    newest_solution_ = std::move(made);
    solution_keys_ = {.tracks = solvedTracksKey(), .asked = asked, .own = answer->second};
  }
}

/// A solve names tracks by their ids; shown with other tracks it would tell lies about them.
void Workspace::showSolution() { solution_ = solution_keys_.tracks == tracks_key_ ? newest_solution_ : nullptr; }

void Workspace::takeTracks(TrackSetPtr tracks, const std::string& key) {
  keepUnsaved();
  followed_ = std::move(tracks);
  tracks_key_ = key;
  made_tracks_.keep(key, followed_);
  forgetOldResults();
  refreshTracks();
  refreshPicks();
  showSolution();
  if (storing()) saveTracks();
}

void Workspace::takeSolution(SolutionPtr solution, const SolveKeys& keys) {
  keepUnsaved();
  newest_solution_ = made_solutions_.keep(keys.own, std::move(solution));
  forgetOldResults();
  solution_keys_ = keys;
  answers_[keys.asked] = keys.own;
  if (storing()) saveSolution();
  recallSolution();
  showSolution();
}

/// A long session makes many. Without a file they are nowhere else.
void Workspace::forgetOldResults() {
  constexpr std::size_t kInMemory = 4;
  if (!storing()) return;
  made_tracks_.shrinkTo(kInMemory);
  made_solutions_.shrinkTo(kInMemory);
}

bool Workspace::takeFilePrints(const FilePrints& prints) {
  std::error_code failed;
  const bool came_back = footage_gone_ && std::filesystem::exists(document_.footage_path, failed);
  if (came_back) footage_gone_ = false;
  const FilePrints now = keptWhereGone(prints);
  if (now == prints_) return came_back;
  prints_ = now;
  recall();
  return true;
}

const Result<SceneFrame>& Workspace::scene() const {
  static const Result<SceneFrame> none = invalidInput("There is no solved camera yet.");
  if (!solution_) return none;
  const SceneSettings& settings = seen_.picks.scene;
  if (!scene_ || scene_->solution != solution_ || scene_->settings != settings) scene_ = {solution_, settings, orientScene(*solution_, settings)};
  return scene_->frame;
}

static std::string lostLine(int lost) { return lost > 0 ? fmt::format(" · {} picked {} not here", lost, lost == 1 ? "track is" : "tracks are") : ""; }

const std::optional<Verdict>& Workspace::verdict() const {
  if (judged_ != solution_) verdict_ = solution_ ? std::optional(judgeSolution(*solution_)) : std::nullopt, judged_ = solution_;
  return verdict_;
}

StepStatus Workspace::status(Step step) const {
  if (!hasFootage()) return {StepState::NotRun, step == Step::Footage ? "none yet" : "not run"};
  const bool tracks_current = followed_ ? tracks_key_ == asked_tracks_key_ : tracks_ && !document_.work.imported.empty();
  const auto by_hand = document_.work.by_hand.size();
  std::size_t imported = 0;
  for (const ImportedTracks& import : document_.work.imported) imported += import.tracks ? import.tracks->tracks.size() - import.removed.size() : 0;
  const bool solve_current = solution_ && tracks_current && solution_keys_.asked == asked_solve_key_;
  switch (step) {
    case Step::Footage:
      return {footage_gone_ ? StepState::Stale : StepState::Current,
              fmt::format("{} frames · {}×{} · {:g} fps{}", footage_.frames(), footage_.width, footage_.height, footage_.fps,
                          footage_gone_                         ? " · not where it was"
                          : isTrackFile(document_.footage_path) ? " · tracks alone, no pictures"
                                                                : "")};
    case Step::Masks: {
      const MaskSettings& masks = document_.masks;
      if (!masks.any()) return {StepState::NotRun, "none"};
      std::string line = masks.shapes.empty() ? "" : fmt::format("{} {}", masks.shapes.size(), masks.shapes.size() == 1 ? "shape" : "shapes");
      if (!masks.mattes.folder.empty()) line += (line.empty() ? "mattes " : " · mattes ") + std::filesystem::path(masks.mattes.folder).filename().string();
      if (masks.alpha.used) line += line.empty() ? "alpha" : " · alpha";
      return {StepState::Current, line};
    }
    case Step::Tracks:
      if (!followed_) {
        if (imported > 0)
          return {StepState::Current, fmt::format("{} imported{}, none followed", imported, by_hand > 0 ? fmt::format(" · {} by hand", by_hand) : "")};
        return {StepState::NotRun, by_hand > 0 ? fmt::format("{} by hand, none followed yet", by_hand) : "not run"};
      }
      if (!tracks_current) return {StepState::Stale, "frames, masks or settings changed"};
      return {StepState::Current,
              fmt::format("{} · median life {:.0f} frames{}{}", tracks_->tracks.size(), tracks_->medianLife(),
                          by_hand > 0 ? fmt::format(" · {} by hand", by_hand) : "", imported > 0 ? fmt::format(" · {} imported", imported) : "") +
                  lostLine(lost_picks_)};
    case Step::Solve:
      if (!solution_) return solution_keys_.own.empty() ? StepStatus{StepState::NotRun, "not run"} : StepStatus{StepState::Stale, "tracks changed"};
      if (!tracks_current) return {StepState::Stale, "tracks changed"};
      if (!solve_current) return {StepState::Stale, "lens, track choice or tracks by hand changed"};
      return {StepState::Current, fmt::format("{:.2f} px · {} camera · {}", solution_->rms_px, describe(solution_->motion),
                                              verdict()->level == TrustLevel::Reject ? "do not use" : describe(verdict()->level))};
    case Step::Scene: {
      if (!solution_) return {StepState::NotRun, "not run"};
      const auto& frame = scene();
      if (!frame.ok()) return {StepState::Stale, frame.error().message};
      const std::string ground = !seen_.picks.scene.ground.empty() ? "ground set" : frame->ground_found ? "ground guessed" : "no ground found";
      return {solve_current ? StepState::Current : StepState::Stale, ground + (frame->metric ? " · 1 length" : " · no length yet")};
    }
    case Step::Deliver: return {StepState::NotRun, solution_ ? "ready" : "not run"};
  }
  return {};
}

Result<DeliveryJob> Workspace::deliveryJob(double total_s) const {
  const auto& frame = scene();
  if (!frame.ok()) return frame.error();
  DeliveryJob job{
      .footage = footage_, .solution = solution_, .scene = *frame, .timings = {.solve_s = solution_->summary.total_s, .total_s = total_s}, .warnings = {}};
  if (tracks_) {
    job.timings.decode_s = tracks_->summary.decode_s;
    job.timings.track_s = tracks_->summary.track_s;
    job.warnings = tracks_->summary.warnings;
  }
  return job;
}
}  // namespace dusky
