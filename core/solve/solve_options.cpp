#include "core/solve/solve_options.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dusky {

namespace {

bool has(LensModel model, const std::string& name) {
  const auto names = lensParameterNames(model);
  return std::find(names.begin(), names.end(), name) != names.end();
}

/// The model that the chosen lens is sought among first.
LensModel modelOf(LensChoice choice) {
  return choice == LensChoice::None         ? LensModel::None
         : choice == LensChoice::Fisheye    ? LensModel::Fisheye
         : choice == LensChoice::Anamorphic ? LensModel::Anamorphic
                                            : LensModel::Brown;
}

Status checkKnown(const std::string& name, const KnownValue& known, const SolveOptions& options) {
  const bool any = has(LensModel::Brown, name) || has(LensModel::Fisheye, name) || has(LensModel::Anamorphic, name);
  if (!any) return invalidInput(fmt::format("No lens has a parameter \"{}\". It can be focal_px, cx_px, cy_px or a coefficient such as k1.", name));
  const LensModel model = options.known_lens ? options.known_lens->model : modelOf(options.lens);
  if (!has(model, name))
    return invalidInput(fmt::format("A {} lens has no \"{}\": what is known of it would change nothing. Choose the lens that has it, or leave it out.",
                                    model == LensModel::None ? "distortion-free" : describe(model), name));
  const ValueRange range = rangeOfParameter(name);
  if (!range.holds(known.value)) return invalidInput(fmt::format("{} can be {:g} to {:g}, not {:g}.", name, range.least, range.most, known.value));
  if (!(known.sigma >= 0 && known.sigma <= range.most))
    return invalidInput(fmt::format("How well {} is known must be 0 to {:g}, not {:g}.", name, range.most, known.sigma));
  return Done{};
}

}  // namespace

ValueRange rangeOfParameter(std::string_view name) {
  if (name == "focal_px") return {10, 1e6};
  if (name == "cx_px" || name == "cy_px") return {-1e5, 1e5};
  if (name == "readout_ms") return {-1000, 1000};
  return {-100, 100};
}

double weightOfTrack(const std::vector<TrackWeight>& weights, int track) {
  const auto found = std::ranges::lower_bound(weights, track, {}, &TrackWeight::track);
  return found != weights.end() && found->track == track ? found->weight : 1;
}

Status SolveOptions::check() const {
  const bool needs_focal = focal == FocalKnowledge::Near || focal == FocalKnowledge::Locked;
  if (const ValueRange focals = rangeOfParameter("focal_px"); needs_focal && !known_lens && !focals.holds(focal_px))
    return invalidInput(fmt::format("The focal length must be {:g} to {:g} px, not {:g}.", focals.least, focals.most, focal_px));
  if (!(focal_tolerance > 0 && focal_tolerance <= 1))
    return invalidInput(fmt::format("The focal length's tolerance must be 0 to 100 %, not {} %.", 100 * focal_tolerance));
  if (!(pixel_aspect >= 0.1 && pixel_aspect <= 10)) return invalidInput(fmt::format("The pixel aspect must be 0.1 to 10, not {}.", pixel_aspect));
  if (!(readout >= -1 && readout <= 1)) return invalidInput(fmt::format("The readout must be -1 to 1 frame intervals, not {}.", readout));
  if (!(holdout_share >= 0 && holdout_share <= 0.5)) return invalidInput(fmt::format("The holdout share must be 0 to 0.5, not {}.", holdout_share));
  for (const auto& [name, known] : known_values) {
    if (const Status fine = checkKnown(name, known, *this); !fine.ok()) return fine;
  }
  for (const TrackWeight& one : weights) {
    if (!(one.weight >= kLeastTrackWeight && one.weight <= kMostTrackWeight))
      return invalidInput(fmt::format("A track's weight must be {:g} to {:g}, not {:g} (track {}). One that shall not count at all is set aside.",
                                      kLeastTrackWeight, kMostTrackWeight, one.weight, one.track));
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
