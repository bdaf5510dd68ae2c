#pragma once
#include "core/image/plane.h"

namespace dusky {

/// How the values of footage are meant.
enum class ToneCurve : std::uint8_t {
  Display,  ///< As for a screen: shown as they are.
  Log,      ///< Ten stops on a logarithmic scale, as cameras record them.
  Linear,   ///< Proportional to the light.
};

/// What tracking and screen look at.
enum class Channel : std::uint8_t { Luma, Red, Green, Blue, Best };

/// How pictures are turned into what is looked at, on the screen and by the tracker alike.
struct Tone {
  ToneCurve curve = ToneCurve::Display;
  double exposure_stops = 0;  ///< -10 to 10.
  double gamma = 1;           ///< Over 1: darks are lifted; 0.2 to 5.
  Channel channel = Channel::Luma;
  bool even_contrast = false;  ///< For tracking only: brightness and contrast made alike all over the picture.
  bool operator==(const Tone&) const = default;

  bool changesValues() const { return curve != ToneCurve::Display || exposure_stops != 0 || gamma != 1; }
};

/// Values 0 to 255 under curve, exposure and gamma; display-referred afterwards.
FloatPlane toned(FloatPlane values, const Tone& tone);
Picture toned(Picture picture, const Tone& tone);

/// One channel as a plane, 0 to 255. Luma and Best: Rec. 709 luma.
FloatPlane channelOf(const Picture& picture, Channel channel);
/// The channel with most fine detail over its noise: red, green, blue, or luma where none is clearly better.
Channel bestChannel(const Picture& picture);
/// The same channel in all three, for the screen. Luma and Best: as it is.
Picture onlyChannel(Picture picture, Channel channel);

/// Mean and contrast of every place's surroundings (about `radius` px each way) brought to 128 and 40 grey levels; where there is next to no
/// contrast it is left weak, so that noise is not lifted. Source: local normalisation by box sums: Crow, SIGGRAPH 1984.
FloatPlane evenContrast(const FloatPlane& values, int radius);

}  // namespace dusky
