#pragma once
#include "core/dense/dense.h"
#include "core/pipeline/steps.h"

namespace dusky {

/// Dense points of a solved shot. `spacing` of the options is in scene units here. Errors: as makeDense(); InvalidInput: the shot is 2D tracks without
/// pictures.
Result<DenseResult> runDense(const DeliveryJob& job, DenseOptions options, const Progress& progress);

}  // namespace dusky
