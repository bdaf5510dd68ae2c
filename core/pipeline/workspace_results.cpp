#include <fmt/chrono.h>
#include <fmt/format.h>

#include "core/pipeline/workspace.h"
#include "core/project/document_changes.h"
#include "core/project/edits.h"
#include "core/project/result_codec.h"
#include "core/solve/remeasure.h"

namespace dusky {
namespace {

std::string utcNow() { return fmt::format("{:%Y-%m-%dT%H:%M:%SZ}", std::chrono::floor<std::chrono::seconds>(std::chrono::system_clock::now())); }

}  // namespace

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

std::vector<int> Workspace::tracksCalled(std::string_view text) const {
  std::vector<int> ids;
  if (!tracks_) return ids;
  for (const Track& track : tracks_->tracks) {
    const TrackLabel* label = labelOf(track.id);
    if (std::to_string(track.id) == text || nameOf(track.id) == text || (label && !label->group.empty() && label->group == text)) ids.push_back(track.id);
  }
  return ids;
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
  if (tracks_) {
    const int offset = document_.footage.frame_offset;
    const auto& edits = document_.work.edits;
    // Most changes leave picks and tracks as they were.
    if (carried_.to != tracks_ || carried_.key != tracks_key_ || carried_.frame_offset != offset || carried_.picks != document_.picks ||
        carried_.edits != edits) {
      carried_ = {document_.picks, edits, tracks_, tracks_key_, offset, {}, 0};
      carried_.result = picksAsMade().carriedTo(*tracks_, tracks_key_, offset, &carried_.lost);
    }
    seen_.picks = carried_.result, lost_picks_ = carried_.lost;
  }
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
  for (const auto& [key, tracks] : tracksToStore()) writeTracks(key, tracks);
}

void Workspace::writeTracks(const std::string& key, const TrackSetPtr& tracks) {
  file_.writer->write([key, tracks](ProjectStore& store) { return store.saveResult("tracks", key, encode(*tracks)); });
}

void Workspace::writeRun(const Run& run, const SolutionPtr& solution) {
  file_.writer->write([run, solution](ProjectStore& store) { return store.saveRun(run, encode(*solution)); });
}

/// The results that fill() puts into a new file, by the writer: nobody waits for them.
void Workspace::fillLater() {
  std::set<std::string> needed;
  for (const Run& run : ledger_.runs()) {
    const SolutionPtr made = document_.ledger.isDropped(run.id) ? nullptr : made_solutions_.find(run.keys.own);
    if (!made) continue;
    writeRun(run, made);
    needed.insert(run.keys.tracks);
  }
  for (const std::string& key : needed) {
    if (const TrackSetPtr made = made_tracks_.find(key)) writeTracks(key, made);
  }
  saveTracks();
}

/// The solve is encoded and written in the background, together with its line in the ledger.
void Workspace::saveRun(int id) { writeRun(*ledger_.find(id), newest_solution_); }

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

void Workspace::readLedger(std::string* warning) {
  int damaged = 0;
  ledger_ = Ledger(file_.store->runs(&damaged));
  if (damaged > 0 && warning)
    *warning += fmt::format("{}{} of the ledger {} damaged, and left out.", warning->empty() ? "" : " ",
                            damaged == 1 ? "A run" : fmt::format("{} runs", damaged), damaged == 1 ? "is" : "are");
  forgetDropped();
}

/// When a project is opened nothing can be undone any more.
void Workspace::forgetDropped() {
  LedgerMarks& marks = document_.ledger;
  if (marks.dropped.empty() || !storing()) return;
  for (const int id : marks.dropped) {
    if (!file_.store->dropRun(id).ok()) return;
    ledger_.remove(id);
    marks.names.erase(id);
    std::erase(marks.kept, id);
  }
  marks.dropped.clear();
  // Where that fails it is done the next time.
  (void)file_.store->saveDocument(document_);
}

std::vector<std::string> Workspace::changesOf(const Run& run) const {
  const Run* parent = ledger_.find(run.parent);
  if (!parent) return {};
  const auto before = documentFromJson(parent->document), after = documentFromJson(run.document);
  return before.ok() && after.ok() ? changesBetween(*before, *after) : std::vector<std::string>();
}

Result<RunSource> Workspace::runSource(int id) const {
  const Run* run = ledger_.find(id);
  if (!run) return invalidInput(fmt::format("There is no run {}.", id));
  RunSource source{.run = *run, .solution = made_solutions_.find(run->keys.own), .followed = made_tracks_.find(run->keys.tracks), .footage = footage_};
  source.store = file_.store, source.writer = file_.writer, source.imported = document_.work.imported;
  if (!source.followed && run->keys.tracks == tracks_key_) source.followed = followed_;
  return source;
}

Status Workspace::restoreRun(int id) {
  const auto source = runSource(id);
  if (!source.ok()) return source.error();
  const auto run = source->read();
  return run.ok() ? restoreRun(*run) : Status(run.error());
}

Status Workspace::restoreRun(const RunResult& run) {
  made_solutions_.keep(run.run.keys.own, run.solution);
  if (run.followed) made_tracks_.keep(run.run.keys.tracks, run.followed);
  Document then = run.document;
  then.footage_path = document_.footage_path;
  then.footage.moved_print = document_.footage.moved_print, then.footage.made_print = document_.footage.made_print;
  then.delivery = document_.delivery;
  then.ledger = document_.ledger;
  then.ledger.shown = run.run.id;
  const Picks now = picksAsMade().carriedTo(*run.tracks, run.run.keys.tracks, then.footage.frame_offset);
  then.picks.scene = now.scene, then.picks.objects = now.objects;
  const Status restored = this->run(replaceDocument(fmt::format("Go back to {}", document_.ledger.nameOf(run.run.id)), std::move(then)));
  // Where the files are others than they were, it answers no question that could be asked now: it is shown as it was, and as stale.
  if (shown_run_ == run.run.id && tracks_key_ == run.run.keys.tracks) return restored;
  followed_ = run.followed, tracks_key_ = run.run.keys.tracks;
  newest_solution_ = run.solution, solution_keys_ = run.run.keys, shown_run_ = run.run.id;
  refreshTracks();
  refreshPicks();
  showSolution();
  return restored;
}

/// A solve of this session, or stored; nullptr: it is lost.
SolutionPtr Workspace::madeSolution(const Run& run) {
  if (SolutionPtr made = made_solutions_.find(run.keys.own)) return made;
  const auto read = runSource(run.id)->read();
  if (!read.ok()) damaged_.insert("solve");
  return read.ok() ? made_solutions_.keep(run.keys.own, read->solution) : nullptr;
}

/// The newest solve of these tracks that was not dropped; nullptr: there is none.
static const Run* newestOf(const Ledger& ledger, const std::string& tracks_key, const LedgerMarks& marks) {
  const auto fits = [&](const Run& run) {
    return run.keys.tracks == tracks_key && std::find(marks.dropped.begin(), marks.dropped.end(), run.id) == marks.dropped.end();
  };
  const auto found = std::find_if(ledger.runs().rbegin(), ledger.runs().rend(), fits);
  return found != ledger.runs().rend() ? &*found : nullptr;
}

/// The solve to show for what the document asks now, where there is one; of a project that was left with settings that were not solved yet the newest, as
/// stale.
void Workspace::recallSolution() {
  const Run* run = ledger_.answering(asked_solve_key_, document_.ledger);
  if (!run) adoptOldAnswer();
  if (!run && !newest_solution_) run = newestOf(ledger_, tracks_key_, document_.ledger);
  if (!run) return;
  if (newest_solution_ && run->id == shown_run_) return;
  if (SolutionPtr made = madeSolution(*run)) newest_solution_ = std::move(made), solution_keys_ = run->keys, shown_run_ = run->id;
}

/// Projects once had no ledger, but the own key of the solve made last under the key of what was asked.
void Workspace::adoptOldAnswer() {
  const std::string& asked = asked_solve_key_;
  if (!file_.store || !tracks_ || (newest_solution_ && asked == solution_keys_.asked)) return;
  const std::string own = stored("answer", asked).value_or(asked);
  const auto bytes = stored("solve", own);
  if (!bytes) return;
  const auto decoded = decodeSolution(*bytes);
  if (!decoded.ok() || !remeasure(**decoded, *tracks_).ok()) {
    damaged_.insert("solve");
    return;
  }
  newest_solution_ = made_solutions_.keep(own, *decoded);
  solution_keys_ = {.tracks = solvedTracksKey(), .asked = asked, .own = own};
  shown_run_ = newRun(seen_, solution_keys_, {});
  if (storing()) saveRun(shown_run_);
}

int Workspace::newRun(const Document& document, const SolveKeys& keys, const RunOrigin& origin) {
  Document asked = document;
  asked.ledger = {}, asked.delivery = {};
  return ledger_.add({.parent = origin.parent,
                      .carried_on = origin.carried_on,
                      .made = utcNow(),
                      .keys = keys,
                      .document = documentToJson(asked),
                      .summary = summaryOf(*newest_solution_)});
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

void Workspace::takeSolution(SolutionPtr solution, const SolveKeys& keys, const RunOrigin& origin) {
  keepUnsaved();
  newest_solution_ = made_solutions_.keep(keys.own, std::move(solution));
  forgetOldResults();
  solution_keys_ = keys;
  shown_run_ = newRun(origin.document.value_or(seen_), keys, origin);
  showNewest();
  if (storing()) saveRun(shown_run_);
  recallSolution();
  showSolution();
}

Status Workspace::takePruned(const Pruned& pruned) {
  if (pruned.choice.empty()) return Done{};
  const int parent = shownRun();
  const std::string own = solution_keys_.own;
  const Status changed = run(setAsideChosen(seen_, pruned.choice));
  takeSolution(pruned.after, solveKeys(seen_, footage_, tracks_key_, own), {.document = seen_, .parent = parent, .carried_on = true});
  return changed;
}

/// Taking a solve is no edit: it is there to be chosen again, whatever is undone.
void Workspace::showNewest() {
  LedgerMarks marks = document_.ledger;
  marks.shown = shown_run_;
  std::erase(marks.dropped, shown_run_);
  if (marks == document_.ledger) return;
  document_.ledger = seen_.ledger = marks;
  if (!storing()) return;
  (void)saveDocument();  // the next change would tell
}

/// A long session makes many. Without a file they are nowhere else.
void Workspace::forgetOldResults() {
  constexpr std::size_t kInMemory = 4;
  if (!storing()) return;
  made_tracks_.shrinkTo(kInMemory);
  made_solutions_.shrinkTo(kInMemory);
}

Status Workspace::fillImported(ProjectStore::Filling& filling) const {
  for (const ImportedTracks& import : document_.work.imported) {
    if (!import.tracks) continue;
    if (const Status put = filling.result(stepOfImport(import), import.key, encode(*import.tracks)); !put.ok()) return put;
  }
  return Done{};
}

/// Everything that a new file must hold beside the document: from memory, or from the file that was open.
Status Workspace::fill(ProjectStore::Filling& filling) const {
  if (const Status put = fillImported(filling); !put.ok()) return put;
  std::set<std::string> needed;
  for (const Run& run : ledger_.runs()) {
    if (document_.ledger.isDropped(run.id)) continue;
    const auto bytes = bytesOf(run);
    if (!bytes) continue;  // what is damaged is not carried along
    if (const Status put = filling.run(run); !put.ok()) return put;
    if (const Status put = filling.result("solve", run.keys.own, *bytes); !put.ok()) return put;
    if (!run.keys.tracks.empty()) needed.insert(run.keys.tracks);
  }
  // The newest last: of those that nothing is made from the oldest go.
  for (const auto& [key, tracks] : tracksToStore()) needed.erase(key);
  for (const std::string& key : needed) {
    const auto bytes = tracksBytes(key);
    if (!bytes) continue;
    if (const Status put = filling.result("tracks", key, *bytes); !put.ok()) return put;
  }
  for (const auto& [key, tracks] : tracksToStore()) {
    if (const Status put = filling.result("tracks", key, encode(*tracks)); !put.ok()) return put;
  }
  return Done{};
}

std::optional<std::string> Workspace::bytesOf(const Run& run) const {
  if (const SolutionPtr made = made_solutions_.find(run.keys.own)) return encode(*made);
  return stored("solve", run.keys.own);
}

std::optional<std::string> Workspace::tracksBytes(const std::string& key) const {
  if (const TrackSetPtr made = made_tracks_.find(key)) return encode(*made);
  return stored("tracks", key);
}

/// Adds what that project does not have yet: its runs get numbers of their own there, and what it says about its runs stays.
Status Workspace::addTo(ProjectStore& store, Document& document) const {
  if (const Status saved = storeImported(document_.work, store); !saved.ok()) return saved;
  for (const auto& [key, tracks] : tracksToStore()) {
    if (const Status saved = store.saveResult("tracks", key, encode(*tracks)); !saved.ok()) return saved;
  }
  const auto there = store.document();
  document.ledger = there.ok() ? there->ledger : LedgerMarks();
  Ledger ledger(store.runs());
  std::map<int, int> number;  // there, by the number here
  for (const Run& run : ledger_.runs()) {
    if (document_.ledger.isDropped(run.id)) continue;
    const bool known = ledger.withKey(run.keys.own) != nullptr;
    Run added = run;
    added.parent = number.contains(run.parent) ? number[run.parent] : 0;
    number[run.id] = added.id = ledger.add(added);
    if (run.id == shown_run_) document.ledger.shown = added.id;
    if (known) continue;
    const auto bytes = bytesOf(run);
    if (!bytes) continue;
    if (const auto tracks = run.keys.tracks.empty() || store.has("tracks", run.keys.tracks) ? std::nullopt : tracksBytes(run.keys.tracks)) {
      if (const Status saved = store.saveResult("tracks", run.keys.tracks, *tracks); !saved.ok()) return saved;
    }
    if (const Status saved = store.saveRun(added, *bytes); !saved.ok()) return saved;
  }
  return Done{};
}

}  // namespace dusky
