#include "apps/desktop/model/mesh_store.h"

#include <QMetaObject>
#include <numbers>

namespace dusky::desktop {
namespace {

constexpr std::size_t kMostDrawn = 150000, kMostEdges = 40000;
constexpr double kCrease_rad = 6 * std::numbers::pi / 180;

Result<MeshStore::Mesh> read(const std::string& path, const Progress& progress) {
  const auto file = readSetMesh(path, progress.part(0, 0.5));
  if (!file.ok()) return file.error();
  auto surface = MeshSurface::make(*file, progress.part(0.5, 0.8));
  if (!surface.ok()) return surface.error();
  MeshStore::Mesh mesh{*surface, simplified(*file, kMostDrawn), {}};
  progress.report(0.9, "drawing the mesh");
  mesh.edges = creases(*mesh.drawn, kCrease_rad, kMostEdges);
  return mesh;
}

}  // namespace

MeshStore::MeshStore(DocumentModel& model, QObject* parent) : QObject(parent), model_(model) {
  connect(&model_, &DocumentModel::documentChanged, this, &MeshStore::look);
}

void MeshStore::look() {
  if (model_.document().mesh.path != path_) readAgain();
}

void MeshStore::readAgain() {
  path_ = model_.document().mesh.path;
  worker_ = std::jthread();  // stops the one before
  mesh_ = {}, problem_.clear(), fraction_ = 0;
  reading_ = !path_.empty();
  const int generation = ++generation_;
  if (reading_) {
    worker_ = std::jthread([this, generation, path = path_](std::stop_token stop) {
      const auto listener = [this, generation](const ProgressState& state) {
        QMetaObject::invokeMethod(
            this,
            [this, generation, fraction = state.fraction] {
              if (generation != generation_ || fraction - fraction_ < 0.05) return;
              fraction_ = fraction;
              emit changed();
            },
            Qt::QueuedConnection);
      };
      auto mesh = read(path, Progress(listener, stop));
      if (stop.stop_requested()) return;
      QMetaObject::invokeMethod(
          this, [this, generation, mesh = std::move(mesh)] { take(generation, mesh); }, Qt::QueuedConnection);
    });
  }
  emit changed();
}

void MeshStore::take(int generation, const Result<Mesh>& read) {
  if (generation != generation_) return;
  reading_ = false;
  if (read.ok())
    mesh_ = *read;
  else
    problem_ = QString::fromStdString(read.error().message);
  emit changed();
}

}  // namespace dusky::desktop
