#pragma once
#include <QString>
#include <vector>

#include "apps/desktop/model/session.h"

namespace dusky::desktop {

/// What the rows of the error map are sorted by: what is suspicious first.
enum class RowOrder : std::uint8_t { Worst, Typical, Life, Start, Parallax, DepthSigma, Slides, Shared };
/// What stands together.
enum class RowGrouping : std::uint8_t { State, Kind, Label, Mask, Depth, Region };

/// Neighbouring rows that belong together.
struct RowGroup {
  QString name;
  int first = 0, count = 0;
};
struct MapRows {
  std::vector<int> tracks;  ///< Ids, one for each row.
  std::vector<RowGroup> groups;
};

/// All tracks of the session as rows. Within a group those that take part come first. What is not known of a track puts it behind the others.
MapRows rowsOf(const Session& session, RowOrder order, RowGrouping grouping);

}  // namespace dusky::desktop
