#pragma once
#include <array>
#include <cstdint>
#include <string_view>

namespace dusky {

/// The stages of the work, in order.
enum class Step : std::uint8_t { Footage, Masks, Tracks, Solve, Prune, Scene, Dense, Deliver };

/// What programs call a step.
struct StepInfo {
  Step step;
  std::string_view id;       ///< In logs and reports.
  std::string_view name;     ///< On the screen.
  std::string_view purpose;  ///< In a sentence.
};

inline constexpr std::array<StepInfo, 8> kSteps = {{
    {Step::Footage, "footage", "Footage", "The movie or image sequence, and the range of frames."},
    {Step::Masks, "masks", "Masks", "What is left out of the picture: people, vehicles, anything that moves."},
    {Step::Tracks, "tracks", "Tracks", "Features found in the picture and followed through the frames."},
    {Step::Solve, "solve", "Solve", "Camera path, lens and points from the tracks."},
    {Step::Prune, "prune", "Prune", "What the solve should do without, by limits; before and after."},
    {Step::Scene, "scene", "Scene", "Ground, origin, direction and real size of the world; test objects."},
    {Step::Dense, "dense", "Dense", "The set itself as coloured points and a mesh, cleaned up."},
    {Step::Deliver, "deliver", "Deliver", "Camera and points as files."},
}};

constexpr const StepInfo& stepInfo(Step step) { return kSteps[static_cast<std::size_t>(step)]; }

}  // namespace dusky
