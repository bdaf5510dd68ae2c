#pragma once
#include <vector>

#include "core/adjust/bundle.h"
#include "core/lens/lens_curve.h"

namespace dusky {

/// One standard deviation of everything that a bundle found.
struct CameraUncertainty {
  std::vector<double> centre;                           ///< Root of the mean variance along the three axes, the bundle's units.
  std::vector<double> rotation_rad;                     ///< The same about the three axes.
  std::vector<double> focal_px;                         ///< Of a zoom's cameras; empty else.
  std::vector<Mat3> points;                             ///< Covariance of each, the bundle's units squared; unknown for directions.
  std::vector<Eigen::MatrixXd> shapes;                  ///< Covariance of the unknowns of each shape of the set (set_beliefs.h).
  std::vector<LensParameters> lens;                     ///< Of every lens; unknown for fixed parameters.
  std::vector<double> lens_px;                          ///< Of where each lens puts a fixed ray, RMS over the picture; unknown where nothing was free.
  std::vector<std::vector<LensCurvePoint>> lens_curve;  ///< Of every lens.
  double readout = kUnknown;
  double slip_px = kUnknown;  ///< Of where points of the set land in the pictures, RMS (insert_slip.h): from the covariance of all that was found.
};

/// Covariance at a solved bundle, with the spread that the residuals show. Errors along one track go together; the correlation
/// between neighbouring frames says how many sightings count as one. What all tracks share (a wrong lens model, say) is not in it.
/// The world's position, rotation and scale are taken out (the least-norm gauge over the cameras), so a number says how well something is
/// known relative to the rest of the path. Unknown everywhere where the system is singular beyond that.
/// Sources: correlated sightings: Bayley and Hammersley, J. R. Stat. Soc. Suppl. 8(2), 1946; gauge: Morris, Kanatani and Kanade, "Gauge freedoms and
/// uncertainty modeling for 3D computer vision", CVPR 2001.
/// Stopped: what is not worked out yet stays unknown.
CameraUncertainty cameraUncertainty(const Bundle& bundle, const BundleOptions& options, const Progress& progress = {});

/// Variance of one coordinate of a sighting that the residuals show, times how many sightings count as one, px^2.
double correlatedVariance(const Bundle& bundle, const BundleOptions& options);

/// Root of the mean variance along the three axes; unknown where the covariance is.
double meanDeviation(const Mat3& covariance);

/// How many sightings of a track count as one, as the residuals show it; 1 or more.
double sightingsPerIndependentOne(const Bundle& bundle, const BundleOptions& options);
}  // namespace dusky
