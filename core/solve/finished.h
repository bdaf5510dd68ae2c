#pragma once
#include "core/solve/stages.h"

namespace dusky {

/// A finished state and what it is worth as a solution.
struct Finished {
  SolveState state;
  Solution solution;
  std::vector<Eigen::MatrixXd> shape_covariance;  ///< Of what is known of the set, as it lies in the state.
};

/// Adjusts a state to the end and says what came of it. Errors: CannotSolve when that is no camera. Cancelled.
Result<Finished> finished(SolveState state, const SolveTask& task, const Progress& progress);

/// The same of a state that is adjusted to the end, as it stands.
Result<Finished> concluded(SolveState state, const SolveTask& task);

}  // namespace dusky
