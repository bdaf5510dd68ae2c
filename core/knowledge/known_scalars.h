#pragma once
#include <optional>

#include "core/knowledge/knowledge.h"

namespace dusky {

// Values of what is known that a sweep can hold, by their names.

/// "angle of rear wall and hatch", degrees: between two planes or lines, whether or not a relation says anything of it.
std::string angleScalar(std::string_view a, std::string_view b);
/// "tilt of hatch", degrees: 0 level, 90 upright.
std::string tiltScalar(std::string_view set);
/// "offset of floor", scene units: along its normal from the world's origin.
std::string offsetScalar(std::string_view set);
/// "length of tracks 12 – 31", scene units.
std::string lengthScalar(int from, int to);

enum class ScalarKind : std::uint8_t { Angle, Tilt, Offset, Length };
/// Which of them a parameter has the form of; nothing: of none. And whether its unit is degrees.
std::optional<ScalarKind> kindOfScalar(std::string_view parameter);
inline bool isKnownScalar(std::string_view parameter) { return kindOfScalar(parameter).has_value(); }
bool isKnownAngle(std::string_view parameter);

/// Two axes nearer to parallel than this, degrees, are parallel for all that a solve can tell: no smaller angle can be known or held but 0.
inline constexpr double kLeastAngle_deg = 3;

/// Makes a value known, exactly: the relation, distance or offset that says so already gets it, else there is a new one. False where nothing says such a thing:
/// a tilt, a set that is not there, the offset of a plane whose normal is not given.
bool takeScalar(Knowledge& knowledge, std::string_view parameter, double value);

}  // namespace dusky
