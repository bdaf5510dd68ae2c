#pragma once
#include <QString>
#include <vector>

#include "apps/desktop/model/session.h"

namespace dusky::desktop {

/// What can be drawn of each frame under the error map.
enum class FrameCurve : std::uint8_t { Errors, Worst, Kept, Explained, Sharpness, Count };
constexpr int kFrameCurves = static_cast<int>(FrameCurve::Count);

QString nameOf(FrameCurve curve);
QString tipOf(FrameCurve curve);
/// Its value in a frame with its unit; empty where it is not known.
QString valueOf(const Session& session, FrameCurve curve, int frame);

/// One or two curves on one scale that begins at 0.
struct CurveSet {
  struct Point {
    int frame = 0;
    double value = 0;  ///< Not a number: not known there.
  };
  std::vector<Point> main, second;  ///< The second is drawn dashed.
  double top = 1;
  double bend = 0;  ///< 0: the scale is linear; else it grows like a logarithm from about this value on, because few frames stand far out.
  QString top_text;
  QString missing;  ///< Why there is nothing to see; empty where there is.

  /// Height of a value, 0 to 1.
  double heightOf(double value) const;
  const Point* at(int frame) const;
};
CurveSet curvesOf(const Session& session, FrameCurve curve);

}  // namespace dusky::desktop
