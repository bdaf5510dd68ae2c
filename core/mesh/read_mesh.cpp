// Files of geometry, read by a program of our own: it may die of a damaged one, and can be stopped.
#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>

#include "core/base/paths.h"
#include "core/mesh/mesh_stream.h"
#include "core/mesh/set_mesh.h"

extern char** environ;

namespace dusky {
namespace {

/// Beside the programs where they are installed, else where it was built.
std::filesystem::path readerProgram() {
  std::error_code none;
  const auto here = std::filesystem::read_symlink("/proc/self/exe", none).parent_path();
  for (const auto& program : {here / ".." / "lib" / "dusky-moth" / "dusky-read-mesh", here / "dusky-read-mesh"}) {
    if (access(program.c_str(), X_OK) == 0) return program;
  }
  return DUSKY_MESH_READER;
}

/// A program that is running, and what it says.
class Reader {
 public:
  Reader(const std::filesystem::path& file, std::uintmax_t memory) {
    std::array<int, 2> ends{};
    if (pipe2(ends.data(), O_CLOEXEC) != 0) return;
    out_ = ends[0];
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, ends[1], STDOUT_FILENO);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
    std::string program = readerProgram().string(), limit = std::to_string(memory), path = wholePath(file).string();
    std::array<char*, 4> arguments = {program.data(), limit.data(), path.data(), nullptr};
    if (posix_spawn(&child_, program.c_str(), &actions, nullptr, arguments.data(), environ) != 0) child_ = 0;
    posix_spawn_file_actions_destroy(&actions);
    close(ends[1]);
  }
  ~Reader() {
    if (out_ >= 0) close(out_);
    if (child_ > 0) kill(child_, SIGKILL), waitpid(child_, nullptr, 0);
  }
  Reader(const Reader&) = delete;
  Reader& operator=(const Reader&) = delete;

  bool runs() const { return child_ > 0; }
  /// All that it says to its end; nothing where it was stopped or took too long.
  std::optional<std::string> listen(const Progress& progress, double seconds, double expected_bytes) {
    std::string said;
    std::vector<char> piece(std::size_t{1} << 20);
    const Stopwatch watch;
    while (!progress.stopRequested() && watch.seconds() < seconds) {
      constexpr int kLook_ms = 50;
      pollfd look{out_, POLLIN, 0};
      if (poll(&look, 1, kLook_ms) <= 0) continue;
      const ssize_t got = read(out_, piece.data(), piece.size());
      if (got == 0) return said;
      if (got < 0) return std::nullopt;
      said.append(piece.data(), static_cast<std::size_t>(got));
      progress.report(std::min(0.95, 0.5 + 0.5 * static_cast<double>(said.size()) / expected_bytes), "reading the mesh");
    }
    return std::nullopt;
  }

 private:
  int out_ = -1;
  pid_t child_ = 0;
};

template <class T>
void take(std::vector<T>& values, std::uint64_t count, const char*& at) {
  values.resize(count);
  if (count > 0) std::memcpy(static_cast<void*>(values.data()), at, count * sizeof(T));
  at += count * sizeof(T);
}

/// Nothing where the answer is torn.
std::optional<SetMesh> meshOf(const std::string& said) {
  MeshStreamHead head;
  if (said.size() < sizeof(head)) return std::nullopt;
  std::memcpy(&head, said.data(), sizeof(head));
  const std::size_t left = said.size() - sizeof(head);
  if (head.mark != MeshStreamHead::kMesh || head.points > left / 12 || head.triangles > left / 12 || head.colors > left / 3) return std::nullopt;
  if (12 * head.points + 12 * head.triangles + 3 * head.colors != left) return std::nullopt;
  SetMesh mesh;
  const char* at = said.data() + sizeof(head);
  take(mesh.points, head.points, at), take(mesh.triangles, head.triangles, at), take(mesh.colors, head.colors, at);
  return mesh;
}

/// Why it was refused, in what the library says of it.
std::string whyOf(const std::string& said) {
  MeshStreamHead head;
  if (said.size() <= sizeof(head)) return "it is damaged";
  std::memcpy(&head, said.data(), sizeof(head));
  return head.mark == MeshStreamHead::kRefusal ? said.substr(sizeof(head)) : "it is damaged";
}

Status fit(const SetMesh& mesh) {
  if (mesh.points.empty()) return invalidInput("It holds neither triangles nor points.");
  if (!std::all_of(mesh.points.begin(), mesh.points.end(), [](const Eigen::Vector3f& p) { return p.allFinite(); }))
    return invalidInput("Some of its coordinates are not numbers.");
  const double size = (mesh.high() - mesh.low()).norm(), away = std::max(mesh.high().cwiseAbs().maxCoeff(), mesh.low().cwiseAbs().maxCoeff());
  if (!(size > 0)) return invalidInput("All of its points are one.");
  const double step = away * std::numeric_limits<float>::epsilon();
  constexpr double kCoarse = 1e-4;
  if (step > kCoarse * size)
    return invalidInput(
        fmt::format("It lies {:.3g} from its origin: its numbers are only true to {:.2g} there. Export it moved to near its origin.", away, step));
  return Done{};
}

}  // namespace

Result<SetMeshPtr> readSetMesh(const std::filesystem::path& path, const Progress& progress) {
  const auto refused = [&path](const Error& error) { return Error{error.kind, fmt::format("{}: {}", path.string(), error.message)}; };
  std::error_code none;
  if (!std::filesystem::is_regular_file(path, none)) return refused(unreadable("There is no such file."));
  const std::string ending = endingOf(path);
  if (ending != "obj" && ending != "ply" && ending != "gltf" && ending != "glb") return refused(unreadable("A mesh is an OBJ, PLY or glTF file."));
  const auto bytes = static_cast<double>(std::filesystem::file_size(path, none));
  constexpr double kMemory = 3e9, kMemoryOfByte = 40, kSeconds = 8, kSecondsOfByte = 1e-6;
  Reader reader(path, static_cast<std::uintmax_t>(kMemory + kMemoryOfByte * bytes));
  if (!reader.runs()) return refused(unreadable("The program that reads meshes is not there: install Dusky Moth again."));
  progress.report(0, "reading the mesh");
  const auto said = reader.listen(progress, kSeconds + kSecondsOfByte * bytes, bytes);
  if (progress.stopRequested()) return cancelled();
  if (!said) return refused(unreadable("It cannot be read as a mesh: reading it does not end."));
  auto mesh = meshOf(*said);
  if (!mesh) return refused(unreadable(fmt::format("It cannot be read as a mesh: {}.", whyOf(*said))));
  if (const Status fine = fit(*mesh); !fine.ok()) return refused(fine.error());
  progress.report(1, "reading the mesh");
  return std::make_shared<const SetMesh>(std::move(*mesh));
}

}  // namespace dusky
