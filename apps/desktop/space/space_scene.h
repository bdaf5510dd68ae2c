#pragma once
#include <QString>
#include <QVector3D>
#include <vector>

#include "apps/desktop/model/session.h"
#include "apps/desktop/paint/track_glyphs.h"

namespace dusky::desktop {

/// A corner of a line or of a solid.
struct SpaceVertex {
  float x, y, z;
  float r, g, b, a;
};

/// A point of the set, with its state as shape.
struct SpacePoint {
  float x, y, z;
  float r, g, b, a;
  float shape, size;  ///< Glyph as a number; px.
};

/// What Space draws in every frame alike, in scene coordinates.
struct SpaceContents {
  std::vector<SpaceVertex> lines;
  std::vector<SpacePoint> points;
  std::vector<int> point_ids;                    ///< Track of each point.
  std::vector<std::pair<QString, Vec3>> labels;  ///< Names of planes and lines, and where they stand.
  QVector3D middle;                              ///< Of the nearer points and the path.
  float reach = 10;                              ///< About their radius.
  float behind_rad = 0;                          ///< Turn about Y at which one looks the way the camera looks.
  double grid_spacing = 1;
  QString scale;  ///< What the colours of points mean, where they are a measure's.
};

/// `through`: seen through the camera itself, so without its path and frusta.
SpaceContents buildSpace(const Session& session, bool through);
/// A corner of the picture in the frustum, and where it is in the picture (0 to 1, y down).
struct SpaceCorner {
  float x, y, z;
  float u, v;
};

/// The camera of the frame that is shown; of both runs that are compared. The picture stands in the first one, as two triangles.
struct CameraNow {
  std::vector<SpaceVertex> lines;
  std::vector<SpaceCorner> picture;
};
CameraNow buildCameraNow(const Session& session, const SpaceContents& contents, bool through);
/// Test objects and their shadows.
std::vector<SpaceVertex> buildSolids(const Session& session);

/// The points that are selected, over the others, with the ellipsoids of their deviation.
struct SpaceMarked {
  std::vector<SpacePoint> points;
  std::vector<SpaceVertex> ellipsoids;  ///< Ends of lines.
  double enlarged = 1;                  ///< How many times an ellipsoid is larger than one standard deviation.
};
SpaceMarked buildMarked(const Session& session, const SpaceContents& contents);

}  // namespace dusky::desktop
