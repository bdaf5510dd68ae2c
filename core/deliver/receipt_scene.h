#pragma once
#include "core/deliver/delivery_view.h"
#include "core/deliver/read_back.h"

namespace dusky {

/// What a receipt holds files against: the solve and the tracks that it was made from, never what the writers made of them.
class ReceiptTruth {
 public:
  ReceiptTruth(const DeliveryInput& input, const DeliveryChoices& choices);

  /// A sighting that the solve used.
  struct Sighting {
    int frame = 0, track = 0;  ///< The footage's number.
    Vec2 seen = Vec2::Zero();  ///< As it was measured: normalised, undistorted.
    double focal_px = 0;       ///< Of the undistorted picture in that frame.
    Vec2 off = Vec2::Zero();   ///< By the solve itself: from there to where its point is.
  };
  const std::vector<Sighting>& sightings() const { return sightings_; }
  double pixelAspect() const { return input_.solution.lens().pixel_aspect; }
  double shutter_px() const { return shutter_px_; }  ///< What goes lost with a rolling shutter that files cannot tell, RMS.
  int firstFrame() const { return first_; }          ///< As files tell it.
  double fps() const { return fps_; }
  int shift() const { return shift_; }  ///< Of frame numbers, from the footage's.
  double keyTolerance() const { return tolerance_; }
  const DeliveryInput& input() const { return input_; }
  const SolvedTrack* track(int id) const { return input_.solution.find(id); }

 private:
  const DeliveryInput& input_;
  std::vector<Sighting> sightings_;
  double shutter_px_ = 0, fps_ = 0, tolerance_ = 0;
  int first_ = 0, shift_ = 0;
};

/// Drift, frame offset, up axis and handedness, rate, colours: of one file's camera (or the camera of another) with its points. `name`: the file's.
std::vector<ReceiptCheck> checkScene(const ReceiptTruth& truth, const std::string& name, const ReadScene& cameras, const ReadScene& points, char up,
                                     Receipt& receipt);

/// The picture that a camera is said to fit.
struct FittedPicture {
  int width = 0, height = 0;
  double focal_px = 0;  ///< 0: in each frame that of the solve, or what was chosen.
  double pixel_aspect = 1;
};
/// RMS and largest distance between where a camera sees points in a picture and where tracks were measured, `offset` frames later, px of it.
struct Drift {
  double rms_px = kUnknown, max_px = kUnknown;
  double own_px = kUnknown;  ///< RMS of the solve itself, over the same.
  int count = 0;
};
Drift driftOf(const ReceiptTruth& truth, const ReadScene& cameras, const std::map<int, Vec3>& points, const FittedPicture& picture, int offset);
std::map<int, Vec3> placesOf(const ReadScene& scene);
/// Where a place is seen in a picture, px; nothing behind the camera.
std::optional<Vec2> seenBy(const ReadScene::Key& key, const Vec3& place, int width, int height);

/// A check that came out or did not, and one of a figure that has a limit.
ReceiptCheck checked(const std::string& file, std::string what, bool passed, std::string sentence);
ReceiptCheck measured(const std::string& file, std::string what, double value, double limit, std::string unit, std::string sentence);
/// Whether a drift is that of the solve itself.
ReceiptCheck checkDrift(const ReceiptTruth& truth, const std::string& name, const Drift& drift);

}  // namespace dusky
