#include "core/pipeline/dense_step.h"

#include "core/pipeline/mask_of_shot.h"
#include "core/track/track_files.h"

namespace dusky {

Result<DenseResult> runDense(const DeliveryJob& job, DenseOptions options, const Progress& progress) {
  if (isTrackFile(job.document.footage_path)) return invalidInput("There are no dense points of this shot: it is 2D tracks without pictures.");
  options.spacing /= job.scene.scene_from_solve.scale;
  const DenseInput input{*job.solution, [&job] { return openFootageOf(job.document); }, maskOfShot(job.document, job.footage)};
  return makeDense(input, options, progress);
}

}  // namespace dusky
