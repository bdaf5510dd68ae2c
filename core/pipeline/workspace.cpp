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
  const bool later = static_cast<bool>(write_listener_);
  // Results may follow; imported tracks are there before the document that speaks of them.
  const auto filled = [this, later](ProjectStore::Filling& filling) { return later ? fillImported(filling) : fill(filling); };
  auto store = path.ok() ? ProjectStore::create(*path, document_, filled) : Result<std::unique_ptr<ProjectStore>>(path.error());
  if (store.ok()) {
    useStore(std::move(*store), std::make_unique<KeptFile>(*path));
    if (later) fillLater();
    return;
  }
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
  readLedger(warning);
  recall();
  if (warning && !damaged_.empty())
    *warning += fmt::format("{}Damaged in the project, and left out: {}. Run that again.", warning->empty() ? "" : " ", fmt::join(damaged_, ", "));
  return Done{};
}

Status Workspace::saveAs(const std::filesystem::path& path) {
  if (file_.writer) (void)file_.writer->flush();
  std::error_code failed;
  const bool over_itself = file_.store && std::filesystem::equivalent(path, file_.store->path(), failed);
  auto store = ProjectStore::create(path, document_, [this](ProjectStore::Filling& filling) { return fill(filling); });
  if (!store.ok()) return store.error();
  if (over_itself && file_.kept) file_.kept->leave();
  if (file_.store && !over_itself) carryDense(file_.store->path(), path);
  useStore(std::move(*store));
  return Done{};
}

Status Workspace::saveInto(const std::filesystem::path& path) {
  auto store = ProjectStore::open(path);
  if (!store.ok()) return store.error();
  if (!(*store)->writable()) return cannotWrite((*store)->readOnlyBecause());
  Document document = document_;
  if (const Status added = addTo(**store, document); !added.ok()) return added;
  if (const Status saved = (*store)->saveDocument(document); !saved.ok()) return saved;
  document_ = std::move(document);
  useStore(std::move(*store));
  ledger_ = Ledger(file_.store->runs());
  const Run* shown = ledger_.withKey(solution_keys_.own);
  shown_run_ = shown ? shown->id : 0;
  refreshPicks();
  return Done{};
}

Status Workspace::afterChange() {
  if (document_.footage_path != seen_.footage_path) lookAgain();
  if (hasFootage()) footage_ = seenAs(file_info_, shotViewOf(document_));
  if (document_.masks.mattes.folder != printed_mattes_) prints_ = keptWhereGone(filePrintsOf(document_)), printed_mattes_ = document_.masks.mattes.folder;
  recall();
  keepUnsaved();
  if (!storing()) return Done{};
  return saveDocument();
}

Status Workspace::saveDocument() {
  const auto save = [document = document_](ProjectStore& store) {
    const Status stored = storeImported(document.work, store);
    return stored.ok() ? store.saveDocument(document) : stored;
  };
  if (!write_listener_) return save(*file_.store);
  file_.writer->writeNewest(save);
  return Done{};
}

void Workspace::readImported(std::string* warning) {
  for (ImportedTracks& import : document_.work.imported) {
    const auto read = importedFrom(*file_.store, import);
    if (read.ok())
      import.tracks = *read;
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
}  // namespace dusky
