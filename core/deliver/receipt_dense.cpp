#include "core/deliver/receipt_dense.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

#include "core/base/atomic_file.h"
#include "core/base/parallel.h"
#include "core/base/temporary_file.h"
#include "core/deliver/dense_ply.h"
#include "core/deliver/read_back.h"
#include "core/media/write_picture.h"
#include "core/mesh/mesh_surface.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

struct Probe {
  Vec3 place = Vec3::Zero();  ///< Of a track's point, in the file's world.
  double away = 1;            ///< From the nearest camera.
};

/// What of the set the cleaned-up points take up, in the solve.
Eigen::AlignedBox3d extentOf(const DenseCloud& cloud) {
  Eigen::AlignedBox3d box;
  for (const DensePoint& point : cloud.points) box.extend(point.at.cast<double>());
  return box;
}

/// Tracks' points where the file should have surface near: a region may hold few of the set.
std::vector<Probe> probesOf(const ReceiptTruth& truth, const Eigen::AlignedBox3d& extent, double scale, char up) {
  constexpr std::size_t kMost = 400;
  const DeliveryInput& input = truth.input();
  std::vector<Probe> probes;
  for (const SolvedTrack& track : input.solution.tracks) {
    if (track.state != TrackState::Kept || track.at_infinity || !extent.contains(track.point)) continue;
    const Vec3 scene = input.scene.scene_from_solve * track.point;
    Probe probe{scale * (up == 'Z' ? Vec3(scene.x(), -scene.z(), scene.y()) : scene), 1e30};
    for (const SolvedFrame& frame : input.solution.frames) {
      if (frame.placed) probe.away = std::min(probe.away, scale * (input.scene.scene_from_solve * frame.pose.centre - scene).norm());
    }
    probes.push_back(probe);
  }
  const std::size_t every = std::max<std::size_t>(1, probes.size() / kMost);
  std::vector<Probe> some;
  for (std::size_t k = 0; k < probes.size(); k += every) some.push_back(probes[k]);
  return some;
}

constexpr double kMostOff = 0.01;
constexpr double kNearShare = 0.2;  // of the tracks: cuts may have left little of what lies in the same extent

/// `off`: how far each probe is from what the file has, a share of its distance.
ReceiptCheck nearnessCheck(const std::string& name, std::vector<double> off, std::size_t count, const char* what) {
  if (off.empty()) return checked(name, "places", true, "no track has its point among them: there is nothing to hold them against.");
  const auto at = off.begin() + static_cast<std::ptrdiff_t>(kNearShare * static_cast<double>(off.size() - 1));
  std::nth_element(off.begin(), at, off.end());
  return measured(name, "places", *at, kMostOff, "of the distance",
                  *at <= kMostOff ? fmt::format("{} {} lie where the tracks have their points.", count, what)
                                  : fmt::format("its {} do not lie where the tracks have their points.", what));
}

ReceiptCheck checkPoints(const std::vector<Probe>& probes, const std::string& name, const ReadScene& read) {
  std::vector<double> off(probes.size());
  parallelFor(static_cast<int>(probes.size()), [&](int i) {
    const Probe& probe = probes[static_cast<std::size_t>(i)];
    double nearest = 1e300;
    for (const ReadScene::Point& point : read.points) nearest = std::min(nearest, (point.at - probe.place).squaredNorm());
    off[static_cast<std::size_t>(i)] = std::sqrt(nearest) / probe.away;
  });
  return nearnessCheck(name, std::move(off), read.points.size(), "points");
}

ReceiptCheck checkMesh(const std::vector<Probe>& probes, const std::string& name, const fs::path& path) {
  const auto mesh = readSetMesh(path, {});
  if (!mesh.ok()) return checked(name, "reading", false, mesh.error().message);
  const auto surface = MeshSurface::make(*mesh, {});
  if (!surface.ok()) return checked(name, "reading", false, surface.error().message);
  std::vector<double> off;
  for (const Probe& probe : probes) {
    const auto met = (*surface)->nearest(probe.place, probe.away);
    off.push_back(met ? met->away / probe.away : 1);
  }
  return nearnessCheck(name, std::move(off), (*mesh)->triangles.size(), "triangles");
}

/// What a mesh as text says of itself; its places as in the other formats of it.
ReceiptCheck checkUsda(const std::vector<Probe>& probes, const std::string& name, const fs::path& path, char up) {
  const auto text = readFile(path);
  if (!text.ok()) return checked(name, "reading", false, text.error().message);
  if (text->find(fmt::format("upAxis = \"{}\"", up)) == std::string::npos)
    return checked(name, "up axis", false, fmt::format("does not say that {} is up.", up));
  const std::size_t begins = text->find("point3f[] points = ["), ends = text->find(']', begins == std::string::npos ? 0 : begins + 20);
  if (begins == std::string::npos || ends == std::string::npos || !text->ends_with("}\n")) return checked(name, "reading", false, "is cut off.");
  ReadScene read;
  const char* at = text->c_str() + begins + 20;
  const char* const stop = text->c_str() + ends;
  while (at < stop) {
    Vec3 place;
    bool whole = true;
    for (int k = 0; k < 3; ++k) {
      while (at < stop && (*at == '(' || *at == ',' || *at == ' ')) ++at;
      char* next = nullptr;
      place[k] = std::strtod(at, &next);
      whole = whole && next != at && next <= stop;
      at = next;
    }
    if (!whole) return checked(name, "reading", false, "has a place that is none.");
    read.points.push_back({-1, place, {}});
    while (at < stop && (*at == ')' || *at == ',' || *at == ' ')) ++at;
  }
  return checkPoints(probes, name, read);
}

/// Whether a mesh, or the material beside it, names its texture's picture.
Status checkNaming(const fs::path& mesh) {
  const std::vector<fs::path> files = surfaceFiles(mesh, true);
  const auto naming = readFile(files[files.size() - 2]);
  if (!naming.ok()) return naming.error();
  const std::string name = files.back().filename().string();
  return naming->find(name) != std::string::npos ? Status(Done{}) : unreadable(fmt::format("does not name its picture {}.", name));
}

/// The picture that a mesh has within it.
Result<StoredPicture> packedPicture(const fs::path& mesh) {
  const auto bytes = pictureInGlb(mesh);
  if (!bytes.ok()) return bytes.error();
  const auto file = TemporaryFile::beside(mesh, ".png");
  if (!file.ok()) return file.error();
  if (const Status written = writeFileAtomically(file->path(), *bytes); !written.ok()) return written.error();
  return readThroughPicture(file->path());
}

ReceiptCheck checkPicture(const std::string& name, const Result<StoredPicture>& picture, int most_px) {
  if (!picture.ok()) return checked(name, "texture", false, picture.error().message);
  const std::string size = fmt::format("{} × {} px", picture->width, picture->height);
  if (std::max(picture->width, picture->height) > most_px)
    return checked(name, "texture", false, fmt::format("its picture has {}, and {} px were asked for.", size, most_px));
  return checked(name, "texture", true, "its picture has " + size + ".");
}

/// The pictures of meshes' textures: there, whole, and no larger than was asked for. Meshes that name theirs have one together.
std::vector<ReceiptCheck> checkTextures(const DeliveryChoices& choices, const fs::path& folder) {
  std::vector<ReceiptCheck> checks;
  std::optional<Result<StoredPicture>> beside;
  for (const char* name : {"mesh.obj", "mesh.usda"}) {
    if (!choices.wants(name)) continue;
    if (const Status named = checkNaming(folder / name); !named.ok()) {
      checks.push_back(checked(name, "texture", false, named.error().message));
      continue;
    }
    if (!beside) beside.emplace(readThroughPicture(surfaceFiles(folder / name, true).back()));
    checks.push_back(checkPicture(name, *beside, choices.mesh_texture_px));
  }
  if (choices.wants("mesh.glb")) checks.push_back(checkPicture("mesh.glb", packedPicture(folder / "mesh.glb"), choices.mesh_texture_px));
  return checks;
}

}  // namespace

std::vector<ReceiptCheck> checkDenseFiles(const ReceiptTruth& truth, const DeliveryChoices& choices, const fs::path& folder, double world_scale, char up) {
  std::vector<ReceiptCheck> checks;
  constexpr std::array<const char*, 5> kNames = {"dense.ply", "mesh.ply", "mesh.obj", "mesh.glb", "mesh.usda"};
  if (std::none_of(kNames.begin(), kNames.end(), [&](const char* name) { return choices.wants(name); })) return checks;
  const auto cloud = truth.input().open_dense({});
  if (!cloud.ok()) return {checked("dense points", "reading", false, cloud.error().message)};
  const Eigen::AlignedBox3d extent = extentOf(**cloud);
  const std::vector<Probe> probes = probesOf(truth, extent, world_scale, up);
  if (choices.wants("dense.ply")) {
    const auto read = readBackPly(folder / "dense.ply");
    if (!read.ok())
      checks.push_back(checked("dense.ply", "reading", false, read.error().message));
    else if (read->up != up)
      checks.push_back(checked("dense.ply", "up axis", false, fmt::format("says {} is up; it should be {}.", read->up, up)));
    else
      checks.push_back(checkPoints(probes, "dense.ply", *read));
  }
  for (const char* name : {"mesh.ply", "mesh.obj"}) {
    if (choices.wants(name)) checks.push_back(checkMesh(probes, name, folder / name));
  }
  if (choices.wants("mesh.glb")) checks.push_back(checkMesh(probesOf(truth, extent, world_scale, 'Y'), "mesh.glb", folder / "mesh.glb"));
  if (choices.wants("mesh.usda")) checks.push_back(checkUsda(probes, "mesh.usda", folder / "mesh.usda", up));
  if (choices.mesh_texture_px > 0) std::ranges::copy(checkTextures(choices, folder), std::back_inserter(checks));
  return checks;
}

}  // namespace dusky
