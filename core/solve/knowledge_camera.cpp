// What is known of the camera.
#include <fmt/format.h>

#include <numbers>

#include "core/knowledge/statements.h"
#include "core/solve/knowledge_builder.h"

namespace dusky {

Status KnowledgeBuilder::addCamera(const KnownCamera& camera) {
  SolvedStatement solved{.kind = StatementKind::Camera, .name = nameOf(camera), .exact = camera.sigma == 0, .turns = camera.fact == CameraFact::Rotation};
  const std::vector<int> frames = framesOf(camera);
  const std::size_t least = camera.fact == CameraFact::Position || camera.fact == CameraFact::Rotation ? 1 : camera.fact == CameraFact::Still ? 2 : 3;
  if (frames.size() < least)
    return invalidInput(fmt::format("What is known of the {}: {} of these frames have a camera; it needs {} or more.", nameOf(camera), frames.size(), least));
  solved.undetermined = whyNothing(camera);
  const bool takes_part = solved.undetermined.empty();
  const int k = addStatement(std::move(solved));
  if (takes_part) addCameraBeliefs(camera, frames, k);
  return Done{};
}

/// Empty: it says something.
std::string KnowledgeBuilder::whyNothing(const KnownCamera& camera) const {
  if (!moves_ && camera.fact != CameraFact::Rotation) return "the camera only rotates: where it stands is not looked for";
  if (camera.fact == CameraFact::Position && !whole_world_)
    return "nothing else that is known says where the world lies: a survey, or three known positions would";
  return camera.fact == CameraFact::Rotation && !turnKnown() ? "nothing else that is known says how the world lies" : "";
}

void KnowledgeBuilder::addOn(int shape, const std::vector<int>& frames, double weight, int k) {
  for (const int f : frames) out_.beliefs.on.push_back({work_.frame_numbers[static_cast<std::size_t>(f)], shape, weight, true, k});
}

void KnowledgeBuilder::addCameraBeliefs(const KnownCamera& camera, const std::vector<int>& frames, int k) {
  constexpr double kDegree = std::numbers::pi / 180;
  constexpr double kOfCamera = 0.1 * kExactShare;  // all tracks together say where a camera stands
  std::vector<Vec3> centres;
  for (const int f : frames) centres.push_back(work_.poses[static_cast<std::size_t>(f)]->centre);
  const PrincipalAxes axes = principalAxes(centres);
  SetBeliefs& beliefs = out_.beliefs;
  const double weight = weightOf(camera.sigma / scale(), kOfCamera * reach());
  const auto number = [&](std::size_t at) { return work_.frame_numbers[static_cast<std::size_t>(frames[at])]; };
  switch (camera.fact) {
    case CameraFact::Straight: return addOn(addShape(SetLine{axes.along(), axes.middle}), frames, weight, k);
    case CameraFact::Still: return addOn(addShape(SetPlace{axes.middle}), frames, weight, k);
    case CameraFact::Level: {
      const int plane = addShape(levelPlane(centres));
      addOn(plane, frames, weight, k);
      return addLevel(plane, k);
    }
    case CameraFact::Position:
      for (std::size_t i = 0; i < frames.size(); ++i)
        beliefs.in_world.push_back({number(i), camera.at, Vec3::Constant(weightOf(camera.sigma, kOfCamera * scale() * reach())), true, k});
      return;
    case CameraFact::Rotation:
      for (std::size_t i = 0; i < frames.size(); ++i) beliefs.turns.push_back({number(i), camera.rotation, weightOf(camera.sigma * kDegree, kOfCamera), k});
      return;
    case CameraFact::Smooth:
      for (std::size_t i = 1; i + 1 < frames.size(); ++i) {
        const double share = static_cast<double>(number(i) - number(i - 1)) / (number(i + 1) - number(i - 1));
        beliefs.even.push_back({number(i - 1), number(i), number(i + 1), share, weight, k});
      }
  }
}

/// The plane of a camera at one height lies as everything that is level.
void KnowledgeBuilder::addLevel(int plane, int k) {
  const double firmly = weightOf(0, kExactShare);
  if (turnKnown())
    out_.beliefs.axes.push_back({plane, Vec3::UnitY(), std::copysign(1.0, (world()->world_from_solve.rotation * axis(plane)).y()), firmly, k});
  else if (up_ >= 0)
    out_.beliefs.angles.push_back({plane, up_, std::copysign(1.0, axis(plane).dot(axis(up_))), firmly, k});
}

/// Of a path that lies in no plane by itself: the one that lies as what is up.
SetPlane KnowledgeBuilder::levelPlane(const std::vector<Vec3>& centres) const {
  const Vec3 up = up_ >= 0 ? axis(up_) : Vec3((turnKnown() ? world()->world_from_solve : scene_).rotation.conjugate() * Vec3::UnitY());
  return {.normal = up, .offset = up.dot(principalAxes(centres).middle)};
}

}  // namespace dusky
