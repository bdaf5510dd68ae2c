#include "core/solve/solve_options.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dusky {

static bool isLensParameter(const std::string& name) {
  for (const LensModel model : {LensModel::Brown, LensModel::Fisheye, LensModel::Anamorphic}) {
    const auto names = lensParameterNames(model);
    if (std::find(names.begin(), names.end(), name) != names.end()) return true;
  }
  return false;
}

Status SolveOptions::check() const {
  const bool needs_focal = focal == FocalKnowledge::Near || focal == FocalKnowledge::Locked;
  if (needs_focal && !known_lens && !(focal_px > 0)) return invalidInput(fmt::format("The focal length must be over 0 px, not {}.", focal_px));
  if (!(focal_tolerance > 0 && focal_tolerance <= 1))
    return invalidInput(fmt::format("The focal length's tolerance must be 0 to 100 %, not {} %.", 100 * focal_tolerance));
  if (!(pixel_aspect >= 0.1 && pixel_aspect <= 10)) return invalidInput(fmt::format("The pixel aspect must be 0.1 to 10, not {}.", pixel_aspect));
  if (!(readout >= -1 && readout <= 1)) return invalidInput(fmt::format("The readout must be -1 to 1 frame intervals, not {}.", readout));
  if (!(holdout_share >= 0 && holdout_share <= 0.5)) return invalidInput(fmt::format("The holdout share must be 0 to 0.5, not {}.", holdout_share));
  for (const auto& [name, known] : known_values) {
    if (!std::isfinite(known.value) || !(known.sigma >= 0))
      return invalidInput(fmt::format("The known value of {} must be a number, and its deviation 0 or more.", name));
    if (!isLensParameter(name))
      return invalidInput(fmt::format("No lens has a parameter \"{}\". It can be focal_px, cx_px, cy_px or a coefficient such as k1.", name));
  }
  if (max_rounds < 1 || max_rounds > 50) return invalidInput(fmt::format("Rounds must be 1 to 50, not {}.", max_rounds));
  return Done{};
}

const std::vector<LensGroup>& lensGroups(LensModel model) {
  static const std::vector<LensGroup> none = {{"principal point", {1, 2}}};
  static const std::vector<LensGroup> brown = {{"k1", {3}}, {"k2", {4}}, {"principal point", {1, 2}}, {"decentring", {6, 7}}, {"k3", {5}}};
  static const std::vector<LensGroup> fisheye = {{"k1", {3}}, {"k2", {4}}, {"principal point", {1, 2}}, {"k3", {5}}, {"k4", {6}}};
  static const std::vector<LensGroup> anamorphic = {
      {"squeeze", {3}}, {"degree 2", {5, 6, 10, 11}}, {"rotation", {4}}, {"principal point", {1, 2}}, {"degree 4", {7, 8, 9, 12, 13, 14}}};
  switch (model) {
    case LensModel::None: return none;
    case LensModel::Brown: return brown;
    case LensModel::Fisheye: return fisheye;
    case LensModel::Anamorphic: return anamorphic;
  }
  return none;
}

const KnownValue* knownValueOf(const SolveOptions& options, LensModel model, int parameter) {
  const auto names = lensParameterNames(model);
  if (parameter >= static_cast<int>(names.size())) return nullptr;
  const auto found = options.known_values.find(std::string(names[static_cast<std::size_t>(parameter)]));
  return found != options.known_values.end() ? &found->second : nullptr;
}

void putKnownValues(const SolveOptions& options, Lens& lens) {
  LensParameters values = lens.parameters();
  for (int k = 0; k < kMostLensParameters; ++k) {
    if (const KnownValue* known = knownValueOf(options, lens.model, k)) values[k] = known->value;
  }
  lens.setParameters(values);
}

LensFreedom withoutKnown(const SolveOptions& options, LensModel model, LensFreedom freedom) {
  for (int k = 0; k < kMostLensParameters; ++k) {
    const KnownValue* known = knownValueOf(options, model, k);
    if (known && known->sigma == 0) freedom[k] = false;
  }
  return freedom;
}

}  // namespace dusky
