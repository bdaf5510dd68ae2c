#pragma once
#include "apps/desktop/space/space_scene.h"

namespace dusky::desktop {

/// The mesh of the set as Space draws it, in scene coordinates.
struct SpaceMesh {
  std::vector<SpaceVertex> faces;  ///< Corners of triangles; dark where they only hide what is behind them.
  std::vector<SpaceVertex> edges;  ///< Ends of lines.
  std::vector<SpacePoint> points;  ///< Of a cloud.
};

/// What a SpaceMesh is made from: it stays while this does.
struct SpaceMeshKey {
  MeshSurfacePtr surface;
  MeshSettings settings;
  bool shown = false;
  ViewSettings::MeshStyle style = ViewSettings::MeshStyle::HiddenLines;
  bool operator==(const SpaceMeshKey&) const = default;
};
SpaceMeshKey meshKeyOf(const Session& session);

/// Nothing where there is none, or it is not to be seen.
SpaceMesh buildMesh(const Session& session);

}  // namespace dusky::desktop
