#include "core/base/staging_folder.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstring>

#include "core/base/atomic_file.h"
#include "core/base/temporary_file.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

Error cannotPlace(const fs::path& path, std::string_view why) { return cannotWrite(fmt::format("Cannot write {}: {}.", path.string(), why)); }

/// What a link leads to; itself where it is none, or leads nowhere.
fs::path targetOf(const fs::path& path) {
  std::error_code failed;
  const fs::path target = fs::is_symlink(path, failed) ? fs::weakly_canonical(path, failed) : path;
  return failed ? path : target;
}

/// One thing that is being placed, and how it is undone.
struct Move {
  fs::path from, to, old;
  bool replaces = false;
};

/// Why the other cannot take its place; 0: nothing.
int whyNot(const fs::path& path) { return ::access(path.c_str(), F_OK) == 0 && ::access(path.c_str(), W_OK) != 0 ? errno : 0; }

/// A device or a pipe: nothing can take its place.
Status writeInto(const Move& move) {
  const auto bytes = readFile(move.from);
  return bytes.ok() ? writeFileAtomically(move.to, *bytes) : Status(bytes.error());
}

Status doMove(Move& move) {
  if (const int why = whyNot(move.to); why != 0) return cannotPlace(move.to, std::strerror(why));
  struct stat before {};
  if (::lstat(move.to.c_str(), &before) == 0) {
    if (!S_ISREG(before.st_mode) && !S_ISDIR(before.st_mode)) return writeInto(move);
    if (::rename(move.to.c_str(), move.old.c_str()) != 0) return cannotPlace(move.to, std::strerror(errno));
    move.replaces = true;
    if (S_ISREG(before.st_mode)) (void)::chmod(move.from.c_str(), before.st_mode & 07777);
  }
  if (::rename(move.from.c_str(), move.to.c_str()) == 0) return Done{};
  if (errno != EXDEV) return cannotPlace(move.to, std::strerror(errno));
  std::error_code failed;
  fs::copy(move.from, move.to, fs::copy_options::recursive, failed);
  return failed ? Status(cannotPlace(move.to, failed.message())) : Status(Done{});
}

void undoMove(const Move& move) {
  std::error_code failed;
  if (fs::exists(move.to, failed) && !fs::exists(move.from, failed)) fs::rename(move.to, move.from, failed);
  if (move.replaces) fs::rename(move.old, move.to, failed);
}

}  // namespace

Result<StagingFolder> StagingFolder::in(const fs::path& final_folder) {
  static std::atomic<int> count = 0;
  removeLeftovers(final_folder);
  constexpr int kTries = 100;
  for (int i = 0; i < kTries; ++i) {
    const fs::path path = final_folder / hiddenName(++count);
    if (::mkdir(path.c_str(), 0755) != 0) {
      if (errno == EEXIST) continue;
      return cannotPlace(final_folder, std::strerror(errno));
    }
    const int descriptor = ::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (descriptor >= 0) (void)::flock(descriptor, LOCK_EX | LOCK_NB);  // where a file system has none, leftovers stay
    return StagingFolder(path, descriptor);
  }
  return cannotPlace(final_folder, std::strerror(EEXIST));
}

StagingFolder::StagingFolder(StagingFolder&& other) noexcept : path_(std::move(other.path_)), descriptor_(std::exchange(other.descriptor_, -1)) {
  other.path_.clear();
}

StagingFolder::~StagingFolder() {
  std::error_code failed;
  if (!path_.empty()) fs::remove_all(path_, failed);
  if (descriptor_ >= 0) ::close(descriptor_);
}

Status writeUnsynced(const fs::path& path, std::string_view bytes) {
  const int file = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
  if (file < 0) return cannotPlace(path, std::strerror(errno));
  while (!bytes.empty()) {
    const auto written = ::write(file, bytes.data(), bytes.size());
    if (written < 0 && errno == EINTR) continue;
    if (written < 0) {
      const int why = errno;
      ::close(file);
      return cannotPlace(path, std::strerror(why));
    }
    bytes.remove_prefix(static_cast<std::size_t>(written));
  }
  return ::close(file) == 0 ? Status(Done{}) : Status(cannotPlace(path, std::strerror(errno)));
}

Status StagingFolder::place(const std::vector<fs::path>& names) const {
  if (descriptor_ >= 0 && ::syncfs(descriptor_) != 0) return cannotPlace(path_.parent_path(), std::strerror(errno));
  std::vector<Move> moves;
  for (const fs::path& name : names) {
    const fs::path to = targetOf(path_.parent_path() / name);
    // What stood there waits beside its target: that may lie on another disk.
    moves.push_back({path_ / name, to, to.parent_path() / hiddenName(static_cast<int>(moves.size()), "-old"), false});
  }
  for (std::size_t k = 0; k < moves.size(); ++k) {
    const Status done = doMove(moves[k]);
    if (done.ok()) continue;
    for (std::size_t j = k + 1; j-- > 0;) undoMove(moves[j]);
    return done;
  }
  std::error_code failed;
  for (const Move& move : moves) {
    if (move.replaces) fs::remove_all(move.old, failed);
  }
  return Done{};
}

Status StagingFolder::placeAllAs(const fs::path& name) {
  const fs::path to = path_.parent_path() / name;
  std::error_code failed;
  fs::remove_all(to, failed);
  if (!failed) fs::rename(path_, to, failed);
  if (failed) return cannotPlace(to, failed.message());
  path_.clear();
  return Done{};
}

}  // namespace dusky
