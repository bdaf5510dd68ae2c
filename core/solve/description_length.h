#pragma once
#include <vector>

#include "core/solve/reconstruction.h"
#include "core/solve/sort_out.h"

namespace dusky {

/// What an explanation costs: the squared errors of all sightings, in noise, none counting more than an outlier does, and a price for every unknown.
struct DescriptionLength {
  double errors = 0, unknowns = 0;
  double count = 0;  ///< Of the unknowns.
  double total() const { return errors + unknowns; }
  /// Adds so many unknowns, each determined by so many independent sightings.
  void charge(double unknown, double independent);
  /// Adds unknowns whose likes tell most of each of them: the places of one camera's way, the depths of one set.
  void chargeTold(double unknown, double independent);
};

/// Measures what a reconstruction makes of the given frames (by index), over the same sightings for all that are compared: those of every track that lives
/// three of these frames or more, placed where this reconstruction would have it. Throwing a sighting out costs what an outlier costs. At most `most`
/// tracks, evenly taken, stand for all.
/// `nodal`: its camera only rotates; `sigma_px`: standard deviation of one coordinate; `correlated`: how many sightings of a track count as one.
/// Sources: Rissanen, Automatica 14, 1978; truncated errors: Torr, IJCV 50(1), 2002. An unknown costs the logarithm of the sightings that determine it, as if
/// nothing were known of it before. The places of a camera and the depths of its set cost no more than what they take of the errors by chance (Akaike, IEEE
/// Transactions on Automatic Control 19(6), 1974): ways are smooth and sets hang together, and where tracks live for short that must not speak for a camera
/// that only rotates.
DescriptionLength descriptionLength(const Reconstruction& work, bool nodal, const std::vector<int>& frames, double sigma_px,
                                    double correlated = kCorrelatedSightings, int most = 3000);

}  // namespace dusky
