#include "apps/desktop/model/jobs.h"
#include "core/deliver/dense_ply.h"

namespace dusky::desktop {

std::optional<DenseJob> Jobs::denseJob() {
  auto job = model_.workspace().denseJob();
  if (job.ok()) return std::move(*job);
  states_[static_cast<std::size_t>(Step::Dense)].failure = QString::fromStdString(job.error().message);
  return std::nullopt;
}

void Jobs::makeDense() {
  ask(Step::Dense, "dense points", [this]() -> std::optional<Work> {
    auto job = denseJob();
    if (!job) return std::nullopt;
    emit denseBegun();
    return [this, job = std::move(*job)](std::stop_token stop) {
      const auto made = job.run(progressOf(Step::Dense, stop), [this](const FusedViewPtr& view) { post([this, view] { emit densePart(view); }); });
      post([this, made, job] {
        model_.lookAtDense();
        endQuietly(made.ok() ? Status(Done{}) : Status(made.error()));
        emit denseEnded(made.ok() ? *made : nullptr, job);
      });
    };
  });
}

void Jobs::makeSurface(const DenseResultPtr& dense) {
  ask(Step::Dense, "mesh of the dense points", [this, dense, folder = model_.workspace().denseFolder()]() -> std::optional<Work> {
    auto job = denseJob();
    if (!job || !dense || job->folder() != folder) return std::nullopt;
    return [this, dense, job = std::move(*job)](std::stop_token stop) {
      const Progress progress = progressOf(Step::Dense, stop);
      const auto cleaned = cleanedDense(dense->cloud, job.settings(), job.shot.scene.scene_from_solve, progress.part(0, 0.2));
      auto surface = cleaned.ok() ? job.surface(**cleaned, 0, progress.part(0.2, 1)) : Result<Surface>(cleaned.error());
      const Status status = surface.ok() ? Status(Done{}) : Status(surface.error());
      const auto made = surface.ok() ? std::make_shared<const Surface>(std::move(*surface)) : nullptr;
      post([this, made, status, job] {
        if (made) emit surfaceMade(made, job);
        endQuietly(status);
      });
    };
  });
}

void Jobs::useSurfaceAsMesh(const std::shared_ptr<const Surface>& surface) {
  if (!surface) return;
  ask(Step::Dense, "keep the mesh", [this, surface]() -> std::optional<Work> {
    const std::filesystem::path project = model_.workspace().filePath();
    const auto& scene = model_.workspace().scene();
    if (project.empty() || !scene.ok()) {
      states_[static_cast<std::size_t>(Step::Dense)].failure =
          project.empty() ? tr("Save the project first: its mesh is kept beside it.") : QString::fromStdString(scene.error().message);
      return std::nullopt;
    }
    const std::filesystem::path path = project.parent_path() / (project.stem().string() + "-mesh.ply");
    const FileWorld world{scene->scene_from_solve, UpAxis::Y, scene->metric ? "metres" : "units", scene->metric ? 1.0 : 0.0};
    return [this, surface, path, world](std::stop_token) {
      const Status written = writeSurface(path, surface->mesh, Similarity{}, world, {});
      post([this, written, path] {
        if (written.ok()) {
          model_.set("Use as mesh of the set", &Document::mesh, MeshSettings{.path = path.string(), .metres = 1, .up = UpAxis::Y});
          emit meshWritten();
        }
        endQuietly(written);
      });
    };
  });
}

}  // namespace dusky::desktop
