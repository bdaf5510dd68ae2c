#include "core/solve/reconstruction.h"

#include "core/adjust/insert_slip.h"
#include "core/base/random.h"
#include "core/geometry/triangulation.h"
#include "core/solve/arm.h"

namespace dusky {

int Reconstruction::placedFrames() const {
  return static_cast<int>(std::count_if(poses.begin(), poses.end(), [](const auto& c) { return c.has_value(); }));
}

PathExtent pathExtent(const Reconstruction& work) {
  PathExtent path;
  for (const auto& pose : work.poses) path.middle += pose ? pose->centre : Vec3::Zero();
  path.middle /= std::max(1, work.placedFrames());
  for (const auto& pose : work.poses) path.reach = std::max(path.reach, pose ? (pose->centre - path.middle).norm() : 0);
  return path;
}

std::vector<int> Reconstruction::nearestPlaced() const {
  const int count = static_cast<int>(poses.size());
  std::vector<int> before(poses.size(), -1), nearest(poses.size(), -1);
  for (int f = 1; f < count; ++f) before[f] = poses[f - 1] ? f - 1 : before[f - 1];
  for (int f = count - 1, after = -1; f >= 0; --f) {
    nearest[f] = before[f] >= 0 && (after < 0 || f - before[f] <= after - f) ? before[f] : after;
    if (poses[f]) after = f;
  }
  return nearest;
}

int Reconstruction::indexOf(int frame) const {
  return static_cast<int>(std::lower_bound(frame_numbers.begin(), frame_numbers.end(), frame) - frame_numbers.begin());
}

double Reconstruction::focalBetween(int frame) const {
  const int frames = static_cast<int>(poses.size());
  int before = frame, after = frame;
  while (before >= 0 && !poses[before]) --before;
  while (after < frames && !poses[after]) ++after;
  if (before < 0 && after >= frames) return focal_px[frame];
  if (before < 0) return focal_px[after];
  if (after >= frames || before == after) return focal_px[before];
  const double t = static_cast<double>(frame - before) / (after - before);
  return focal_px[before] * std::pow(focal_px[after] / focal_px[before], t);
}

Lens Reconstruction::lensAt(int frame) const {
  Lens lens = lenses[static_cast<std::size_t>(lensOf(frame))];
  if (!focal_px.empty()) lens.focal_px = focal_px[static_cast<std::size_t>(frame)];
  return lens;
}

Reconstruction makeReconstruction(const TrackSet& tracks, const std::vector<int>& set_aside_ids, double holdout_share, std::uint64_t seed) {
  Reconstruction work;
  for (int i = 0; i < tracks.frames(); ++i) work.frame_numbers.push_back(tracks.frameAt(i));
  work.poses.resize(tracks.frames());
  for (const Track& track : tracks.tracks) {
    WorkTrack one;
    one.id = track.id;
    // Drawn by the track's own id: setting others aside does not change who judges.
    one.holdout = Random(seed * 1000003 + static_cast<std::uint64_t>(track.id)).uniform() < holdout_share;
    one.by_artist = std::binary_search(set_aside_ids.begin(), set_aside_ids.end(), track.id);
    for (const Observation& o : track.observations) one.observations.push_back({tracks.indexOf(o.frame), o.position, true});
    work.tracks.push_back(std::move(one));
  }
  return work;
}

Reconstruction thinnedFrames(const Reconstruction& work, int most) {
  Reconstruction thinned = work;
  const int placed = work.placedFrames();
  if (placed <= most) return thinned;
  int nth = 0, kept = 0;
  for (auto& camera : thinned.poses) {
    if (!camera) continue;
    const bool keep = nth * (most - 1) >= kept * (placed - 1);
    ++nth;
    if (keep)
      ++kept;
    else
      camera.reset();
  }
  return thinned;
}

Reconstruction turningRun(const Reconstruction& work, int count) {
  const int frames = static_cast<int>(work.poses.size());
  if (frames <= count) return work;
  std::vector<double> turned(static_cast<std::size_t>(frames) + 1, 0.0);
  for (int f = 0; f < frames; ++f) {
    const bool both = f > 0 && work.poses[f] && work.poses[f - 1];
    turned[f + 1] = turned[f] + (both ? work.poses[f]->world_from_camera.angularDistance(work.poses[f - 1]->world_from_camera) : 0);
  }
  int first = 0;
  for (int f = 0; f + count <= frames; ++f) {
    if (turned[f + count] - turned[f] > turned[first + count] - turned[first]) first = f;
  }
  Reconstruction run = work;
  for (int f = 0; f < frames; ++f) {
    if (f < first || f >= first + count) run.poses[f].reset();
  }
  return run;
}

Views::Views(const Reconstruction& work) : work_(work) {
  for (std::size_t f = 0; f < work.poses.size(); ++f) lenses_.push_back(work.lensAt(static_cast<int>(f)));
  if (work.readout == 0) return;
  const MappedBundle mapped = makeBundle(work);
  const std::vector<FrameMotion> motions = frameMotions(mapped.bundle);
  motions_.resize(work.poses.size());
  for (std::size_t c = 0; c < motions.size(); ++c) motions_[mapped.camera_frame[c]] = motions[c];
}

Pose Views::poseFor(const WorkObservation& o) const {
  const Pose& pose = *work_.poses[o.frame_index];
  if (work_.readout == 0) return pose;
  return movedWithin(pose, motions_[o.frame_index], work_.readout * rowTime(o.seen.y(), lenses_[o.frame_index].height));
}

std::optional<Vec2> Views::reproject(const WorkTrack& track, const WorkObservation& o) const {
  const Pose pose = poseFor(o);
  const Vec3 p = track.at_infinity ? Vec3(pose.world_from_camera.conjugate() * *track.point) : pose.toCamera(*track.point);
  if (p.z() < 1e-6) return std::nullopt;
  return lenses_[o.frame_index].distort(p.hnormalized());
}

double Views::error(const WorkTrack& track, const WorkObservation& o) const {
  const auto seen = reproject(track, o);
  return seen ? (*seen - o.seen).norm() : 1e9;
}

std::optional<Placed> placeTrack(const Reconstruction& work, const Views& views, const WorkTrack& track, bool only_used) {
  std::vector<Sighting> sightings;
  Vec3 direction = Vec3::Zero();
  for (const WorkObservation& o : track.observations) {
    if (!work.poses[o.frame_index] || (only_used && !o.used)) continue;
    const auto ray = views.ray(o.frame_index, o.seen);
    if (!ray) continue;
    sightings.push_back({views.poseFor(o), *ray});
    direction += sightings.back().camera.direction(*ray);
  }
  if (track.at_infinity) {
    if (sightings.size() < 2 || direction.norm() < 1e-6) return std::nullopt;
    return Placed{direction.normalized(), 0};
  }
  const auto found = triangulate(sightings, track.point);
  if (!found) return std::nullopt;
  return Placed{found->point, found->parallax_rad};
}

/// Holds the length of the path by its ends, where nothing else does: in a world that shrinks every plane would be flat.
static void holdScale(Bundle& bundle) {
  constexpr double kFirmly = 1e10;  // px^2 for the length of the path
  const Vec3& from = bundle.cameras.front().centre;
  const auto nearer = [&from](const Pose& a, const Pose& b) { return (a.centre - from).squaredNorm() < (b.centre - from).squaredNorm(); };
  const int far = static_cast<int>(std::max_element(bundle.cameras.begin(), bundle.cameras.end(), nearer) - bundle.cameras.begin());
  const double length = (bundle.cameras[far].centre - from).norm();
  if (!(length > 0)) return;
  const Vec3 along = (bundle.cameras[far].centre - from) / length;
  for (const int camera : {0, far})
    bundle.planes.push_back({.camera = camera, .normal = along, .offset = along.dot(bundle.cameras[camera].centre), .weight = kFirmly / (length * length)});
}

/// What speaks of no point or camera of the bundle waits.
static void addSet(const Reconstruction& work, const std::vector<int>& camera_of_frame, MappedBundle& mapped) {
  if (work.set.empty()) return;
  std::vector<int> point_of_track(work.tracks.size(), -1);
  for (std::size_t p = 0; p < mapped.point_track.size(); ++p) {
    if (!work.tracks[mapped.point_track[p]].at_infinity) point_of_track[mapped.point_track[p]] = static_cast<int>(p);
  }
  mapped.bundle.set = renumbered(
      work.set, [&](int track) { return point_of_track[track]; }, [&](int frame) { return camera_of_frame[frame]; });
  if (!mapped.bundle.cameras.empty() && mapped.bundle.planes.empty()) holdScale(mapped.bundle);
}

MappedBundle makeBundle(const Reconstruction& work, const FramePart& part) {
  MappedBundle mapped;
  Bundle& bundle = mapped.bundle;
  bundle.lenses = work.lenses;
  bundle.readout = work.readout;
  bundle.arm = work.arm;
  std::vector<int> camera_of_frame(work.poses.size(), -1);
  for (std::size_t f = 0; f < work.poses.size(); ++f) {
    if (!work.poses[f] || (!part.in.empty() && !part.in[f])) continue;
    if (!part.held.empty()) bundle.held.push_back(part.held[f]);
    camera_of_frame[f] = static_cast<int>(mapped.camera_frame.size());
    mapped.camera_frame.push_back(static_cast<int>(f));
    bundle.cameras.push_back(*work.poses[f]);
    bundle.time.push_back(work.frame_numbers[f]);
    if (!work.lens_of.empty()) bundle.lens_of.push_back(work.lens_of[f]);
    if (!work.focal_px.empty()) bundle.focal_px.push_back(work.focal_px[f]);
  }
  const bool any_far = std::any_of(work.tracks.begin(), work.tracks.end(), [](const WorkTrack& t) { return t.at_infinity; });
  for (std::size_t t = 0; t < work.tracks.size(); ++t) {
    const WorkTrack& track = work.tracks[t];
    if (!track.takesPart()) continue;
    const auto usable = [&](const WorkObservation& o) { return o.used && camera_of_frame[o.frame_index] >= 0; };
    if (std::count_if(track.observations.begin(), track.observations.end(), usable) < 2) continue;
    const int point = static_cast<int>(bundle.points.size());
    bundle.points.push_back(*track.point);
    if (any_far) bundle.at_infinity.push_back(track.at_infinity);
    mapped.point_track.push_back(static_cast<int>(t));
    for (const WorkObservation& o : track.observations) {
      if (usable(o)) bundle.observations.push_back({camera_of_frame[o.frame_index], point, o.seen, track.weight});
    }
  }
  for (CameraTie tie : work.ties) {
    tie.a = camera_of_frame[tie.a], tie.b = camera_of_frame[tie.b];
    if (tie.a >= 0 && tie.b >= 0) bundle.ties.push_back(tie);
  }
  for (CameraPlane plane : work.planes) {
    plane.camera = camera_of_frame[plane.camera];
    if (plane.camera >= 0) bundle.planes.push_back(plane);
  }
  addSet(work, camera_of_frame, mapped);
  return mapped;
}

double slipBetween(const Reconstruction& set, const Reconstruction& other) {
  FramePart common;
  for (std::size_t f = 0; f < set.poses.size(); ++f) common.in.push_back(set.poses[f] && other.poses[f]);
  return insertSlip(makeBundle(set, common).bundle, makeBundle(other, common).bundle);
}

BundleSummary adjustReconstruction(Reconstruction& work, const BundleOptions& options, const Progress& progress, const FramePart& part) {
  MappedBundle mapped = makeBundle(work, part);
  const BundleSummary summary = adjust(mapped.bundle, options, progress);
  for (std::size_t c = 0; c < mapped.camera_frame.size(); ++c) {
    work.poses[mapped.camera_frame[c]] = mapped.bundle.cameras[c];
    if (!work.focal_px.empty()) work.focal_px[mapped.camera_frame[c]] = mapped.bundle.focal_px[c];
  }
  for (std::size_t p = 0; p < mapped.point_track.size(); ++p) work.tracks[mapped.point_track[p]].point = mapped.bundle.points[p];
  work.lenses = mapped.bundle.lenses;
  work.readout = mapped.bundle.readout;
  work.set.shapes = mapped.bundle.set.shapes;
  work.arm = mapped.bundle.arm;
  if (work.arm) keepArmInBounds(work);
  return summary;
}
}  // namespace dusky
