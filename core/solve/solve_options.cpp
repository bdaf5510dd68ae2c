#include "core/solve/solve_options.h"

#include <fmt/format.h>

namespace dusky {

Status SolveOptions::check() const {
  const bool needs_focal = focal == FocalKnowledge::Near || focal == FocalKnowledge::Locked;
  if (needs_focal && !known_lens && !(focal_px > 0)) return invalidInput(fmt::format("The focal length must be over 0 px, not {}.", focal_px));
  if (!(focal_tolerance > 0 && focal_tolerance <= 1))
    return invalidInput(fmt::format("The focal length's tolerance must be 0 to 100 %, not {} %.", 100 * focal_tolerance));
  if (!(pixel_aspect >= 0.1 && pixel_aspect <= 10)) return invalidInput(fmt::format("The pixel aspect must be 0.1 to 10, not {}.", pixel_aspect));
  if (!(readout >= -1 && readout <= 1)) return invalidInput(fmt::format("The readout must be -1 to 1 frame intervals, not {}.", readout));
  if (!(holdout_share >= 0 && holdout_share <= 0.5)) return invalidInput(fmt::format("The holdout share must be 0 to 0.5, not {}.", holdout_share));
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

}  // namespace dusky
