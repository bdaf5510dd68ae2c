#include "core/solve/knowledge_told.h"

#include <fmt/format.h>

#include <array>
#include <numbers>

#include "core/geometry/align.h"
#include "core/geometry/ellipsoid.h"

namespace dusky {
namespace {

constexpr double kDegree = std::numbers::pi / 180;

std::string quoted(const std::string& name) { return fmt::format("\"{}\"", name); }

/// RMS of a set's tracks over the sightings that both solves used.
double errorsOf(const SolvedSet& set, const Solution& solution) {
  double sum = 0;
  int count = 0;
  for (const int id : set.tracks) {
    const SolvedTrack* track = solution.find(id);
    if (!track) continue;
    for (const TrackError& e : track->errors) {
      if (e.used && !std::isnan(e.error_px)) sum += e.error_px * e.error_px, ++count;
    }
  }
  return count > 0 ? std::sqrt(sum / count) : kUnknown;
}

std::optional<Similarity> worldBefore(const Solution& with, const Solution& without) {
  std::vector<Pose> now, before;
  for (const SolvedFrame& frame : with.frames) {
    const SolvedFrame* other = without.frameAt(frame.frame);
    if (frame.placed && other && other->placed) now.push_back(frame.pose), before.push_back(other->pose);
  }
  const auto fit = alignPaths(now, before);
  return fit.ok() ? std::optional(*fit) : std::nullopt;
}

SolvedSet carried(SolvedSet set, const Similarity& by) {
  const Vec3 foot = by * Vec3(set.offset * set.axis);
  set.axis = by.rotation * set.axis, set.through = by * set.through, set.offset = set.axis.dot(foot);
  return set;
}

/// Points that stood farther off the set, without it, than chance and its own deviation (solve's units) say; also those that took no part in it.
std::vector<SolvedSet::Disagreement> disagreeing(const SolvedSet& set, const std::vector<int>& asked, double sigma_set, const Solution& without,
                                                 const Similarity& before_from_now) {
  constexpr double kChance = 4;
  const SolvedSet before = carried(set, before_from_now);
  const SetShape shape = before.asShape();
  std::vector<SolvedSet::Disagreement> all;
  for (const int id : asked) {
    const SolvedTrack* track = without.find(id);
    if (!track || !track->covariance.allFinite()) continue;
    const Vec3 off = offVector(shape, track->point);
    const Vec3 way = off.norm() > 0 ? Vec3(off.normalized()) : before.axis;
    const double sigma = std::sqrt(std::max(0.0, way.dot(track->covariance * way)) + sigma_set * sigma_set);
    const double sigmas = off.norm() / std::max(sigma, 1e-12);
    if (sigmas > kChance) all.push_back({id, sigmas});
  }
  std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.sigmas > b.sigmas; });
  return all;
}

class Teller {
 public:
  Teller(const Finished& with, const Solution& without, const Knowledge& asked, double scene_scale, SolvedKnowledge& known)
      : with_(with.solution), state_(with.state), covariance_(with.shape_covariance), without_(without), asked_(asked), scale_(scene_scale), known_(known) {}

  void tell() {
    known_.beliefs.shapes = state_.work.set.shapes;
    if (known_.world()) scale_ = known_.world()->world_from_solve.scale;
    const auto before = worldBefore(with_, without_);
    for (SolvedSet& set : known_.sets) tellSet(set, before);
    for (std::size_t k = 0; k < known_.statements.size(); ++k) tellStatement(known_.statements[k], static_cast<int>(k));
    tellWorld();
  }

 private:
  const SetShape& shape(int k) const { return known_.beliefs.shapes[static_cast<std::size_t>(k)]; }
  const SolvedSet& setNamed(const std::string& name) const {
    return *std::find_if(known_.sets.begin(), known_.sets.end(), [&](const SolvedSet& set) { return set.name == name; });
  }

  void tellSet(SolvedSet& set, const std::optional<Similarity>& before_from_now) const {
    set.axis = axisOf(shape(set.shape));
    if (const auto* plane = std::get_if<SetPlane>(&shape(set.shape))) set.offset = plane->offset;
    Vec3 sum = Vec3::Zero();
    double squares = 0;
    int count = 0;
    for (const int id : set.tracks) {
      const SolvedTrack* track = with_.find(id);
      if (!track || track->state != TrackState::Kept) continue;
      squares += offVector(shape(set.shape), track->point).squaredNorm(), sum += track->point, ++count;
    }
    set.rms = count > 0 ? std::sqrt(squares / count) : kUnknown;
    if (count > 0) set.through = sum / count;
    tellDeviation(set);
    set.rms_px_with = errorsOf(set, with_), set.rms_px_without = errorsOf(set, without_);
    const double sigma = asked_.find(set.name)->sigma / scale_;
    if (before_from_now) set.disagree = disagreeing(set, asked_.find(set.name)->tracks, sigma, without_, *before_from_now);
    constexpr double kHardly = 15 * kDegree;
    if (!(set.sigma_axis_rad < kHardly)) {
      set.undetermined = set.kind == SetKind::Plane ? "its tracks hardly tell how it tilts: they lie near a line, or too far away for their parallax"
                                                    : "its tracks hardly tell where it points: they lie near each other, or too far away for their parallax";
    }
  }

  /// How well a set is known: its offset where its points are.
  void tellDeviation(SolvedSet& set) const {
    const auto k = static_cast<std::size_t>(set.shape);
    if (k >= covariance_.size()) return;
    const Eigen::MatrixXd& all = covariance_[k];
    set.sigma_axis_rad = std::isnan(all(0, 0)) ? kUnknown : std::sqrt(std::max(all(0, 0) + all(1, 1), 0.0) / 2);
    if (const auto* line = std::get_if<SetLine>(&shape(set.shape))) {
      const double along = line->along.dot(set.through - line->through);
      double sum = 0;
      for (int i = 0; i < 2; ++i) sum += all(2 + i, 2 + i) + 2 * along * all(i, 2 + i) + along * along * all(i, i);
      set.sigma_offset = std::sqrt(std::max(0.0, sum / 2));
      return;
    }
    const auto tilts = tiltsOf(set.axis);
    const Vec3 slope(tilts.col(0).dot(set.through), tilts.col(1).dot(set.through), -1);
    set.sigma_offset = std::sqrt(std::max(0.0, slope.dot(all * slope)));
  }

  Vec3 placeOf(int id) const {
    const SolvedTrack* track = with_.find(id);
    return track ? track->point : Vec3(Vec3::Constant(kUnknown));
  }

  void tellStatement(SolvedStatement& s, int k) const {
    if (!s.undetermined.empty()) return;
    switch (s.kind) {
      case StatementKind::Angle: {
        const SolvedSet &a = setNamed(s.a), &b = setNamed(s.b);
        const double between = std::acos(std::min(1.0, std::abs(a.axis.dot(b.axis))));
        s.found = a.kind == b.kind ? between : std::numbers::pi / 2 - between;
        break;
      }
      case StatementKind::Distance: s.found = scale_ * (placeOf(s.tracks[1]) - placeOf(s.tracks[0])).norm(); break;
      case StatementKind::Apart: {
        const SolvedSet &a = setNamed(s.a), &b = setNamed(s.b);
        s.found = scale_ * std::abs(a.axis.dot(b.through - a.through));
        break;
      }
      case StatementKind::PlaneDistance: {
        const SolvedSet& set = setNamed(s.a);
        s.found = scale_ * std::abs(set.axis.dot(placeOf(s.tracks[0])) - set.offset);
        break;
      }
      case StatementKind::Survey: tellSurvey(s, k); break;
      case StatementKind::Offset: s.found = offsetOf(s, k); break;
      default: s.found = offOf(k);
    }
  }

  /// Along the normal that was given, which the plane's own may point against.
  double offsetOf(const SolvedStatement& s, int k) const {
    const Similarity& from = known_.world()->world_from_solve;
    for (const OffsetInWorld& one : known_.beliefs.offsets) {
      const auto& plane = std::get<SetPlane>(shape(one.shape));
      const double offset = from.scale * plane.offset + (from.rotation * plane.normal).dot(from.shift);
      if (one.statement == k) return one.offset * s.asked < 0 ? -offset : offset;
    }
    return kUnknown;
  }

  /// RMS of what a statement's beliefs leave, radians or scene units.
  double offOf(int k) const {
    const SetBeliefs& b = known_.beliefs;
    double sum = 0;
    int count = 0;
    const auto add = [&](double off) { sum += off * off, ++count; };
    const auto angle = [](double cosine, double wanted) { return std::acos(std::min(1.0, std::abs(cosine))) - std::acos(std::min(1.0, std::abs(wanted))); };
    for (const OnShape& on : b.on) {
      if (on.statement == k) add(scale_ * offShape(on));
    }
    for (const AxisAngle& one : b.angles) {
      if (one.statement == k && b.on.end() == std::find_if(b.on.begin(), b.on.end(), [k](const OnShape& on) { return on.statement == k; }))
        add(angle(axisOf(shape(one.a)).dot(axisOf(shape(one.b))), one.cosine));
    }
    if (const SetWorld* world = known_.world()) {
      const Similarity& from = world->world_from_solve;
      for (const AxisInWorld& one : b.axes) {
        if (one.statement == k && count == 0) add(angle((from.rotation * axisOf(shape(one.shape))).dot(one.direction), one.cosine));
      }
      for (const InWorld& one : b.in_world) {
        if (one.statement == k && one.camera && with_.frameAt(one.index)) add((from * with_.frameAt(one.index)->pose.centre - one.at).norm());
      }
      for (const TurnInWorld& one : b.turns) {
        if (one.statement == k && with_.frameAt(one.index))
          add((from.rotation * with_.frameAt(one.index)->pose.world_from_camera).angularDistance(one.world_from_camera));
      }
    }
    const auto at = [&](int place) { return std::get<SetPlace>(shape(place)).at; };
    const auto from = [&](const auto& pair) { return pair.from_point ? placeOf(pair.a) : at(pair.a); };
    for (const PlacesAtLength& one : b.at_length) {
      if (one.statement == k) add(scale_ * ((at(one.b) - from(one)).norm() - std::get<SetLength>(shape(one.length)).length));
    }
    for (const PlacesMirrored& one : b.mirrored) {
      if (one.statement == k) add(scale_ * offMirrored(std::get<SetPlane>(shape(one.plane)), from(one), at(one.b)).norm());
    }
    for (const EvenMotion& one : b.even) {
      if (one.statement != k) continue;
      const auto centre = [&](int frame) { return with_.frameAt(frame)->pose.centre; };
      add(scale_ * (centre(one.index) - (1 - one.share) * centre(one.before) - one.share * centre(one.after)).norm());
    }
    return count > 0 ? std::sqrt(sum / count) : kUnknown;
  }

  double offShape(const OnShape& on) const { return offVector(shape(on.shape), on.camera ? with_.frameAt(on.index)->pose.centre : placeOf(on.index)).norm(); }

  /// How far a solved point stands off where it was measured, in units, standard deviations and pixels.
  void tellSurvey(SolvedStatement& s, int k) const {
    const auto belief = std::find_if(known_.beliefs.in_world.begin(), known_.beliefs.in_world.end(), [k](const InWorld& one) { return one.statement == k; });
    const Similarity& from = known_.world()->world_from_solve;
    const Vec3 off = from * placeOf(s.tracks[0]) - belief->at;
    s.found = off.norm();
    const auto point = std::find_if(asked_.survey.begin(), asked_.survey.end(), [&](const SurveyPoint& p) { return p.name == s.name; });
    const SolvedTrack* track = with_.find(s.tracks[0]);
    Mat3 covariance = Mat3(point->sigma.cwiseAbs2().asDiagonal());
    if (track && track->covariance.allFinite()) {
      const Mat3 turn = from.rotation.toRotationMatrix();
      covariance += from.scale * from.scale * (turn * track->covariance * turn.transpose());
    }
    const Vec3 by = covariance.ldlt().solve(off);
    s.cost_sigmas = std::sqrt(std::max(0.0, off.dot(by)));
    s.rms_px = seenOff(s.tracks[0], from.inverse() * belief->at);
  }

  /// RMS px between where a track was seen and where the cameras see a place.
  double seenOff(int id, const Vec3& place) const {
    const auto at = std::find_if(state_.work.tracks.begin(), state_.work.tracks.end(), [id](const WorkTrack& t) { return t.id == id; });
    if (at == state_.work.tracks.end()) return kUnknown;
    WorkTrack track = *at;
    track.point = place;
    const Views views(state_.work);
    double sum = 0;
    int count = 0;
    for (const WorkObservation& o : track.observations) {
      if (o.used && state_.work.poses[static_cast<std::size_t>(o.frame_index)]) sum += std::pow(views.error(track, o), 2), ++count;
    }
    return count > 0 ? std::sqrt(sum / count) : kUnknown;
  }

  void tellWorld() const {
    const SetWorld* world = known_.world();
    if (world && world->free_turn) known_.up = world->world_from_solve.rotation.conjugate() * Vec3::UnitY();
    if (world && world->free_scale && static_cast<std::size_t>(known_.beliefs.world) < covariance_.size())
      known_.sigma_scale_share = std::sqrt(std::max(0.0, covariance_[static_cast<std::size_t>(known_.beliefs.world)](0, 0)));
    if (known_.up) return;
    for (const SolvedSet& set : known_.sets) {
      if (set.alongUp() && !known_.up) known_.up = set.axis;
    }
    for (const AxisAngle& angle : known_.beliefs.angles) {
      const auto* plane = std::get_if<SetPlane>(&shape(angle.b));
      if (!known_.up && plane && !plane->free_offset) known_.up = plane->normal;
    }
  }

  const Solution& with_;
  const SolveState& state_;
  const std::vector<Eigen::MatrixXd>& covariance_;
  const Solution& without_;
  const Knowledge& asked_;
  double scale_;
  SolvedKnowledge& known_;
};

std::string whatOf(const SolvedStatement& s) {
  switch (s.kind) {
    case StatementKind::Angle: return fmt::format("{} and {} cannot stand at {:.4g}°", quoted(s.a), quoted(s.b), s.asked / kDegree);
    case StatementKind::Offset:
    case StatementKind::Orientation: return fmt::format("{} cannot hold", quoted(s.name));
    case StatementKind::Distance: return fmt::format("The distance of {} cannot be {:.6g} m", s.name, s.asked);
    case StatementKind::Apart: return fmt::format("{} and {} cannot be {:.6g} apart", quoted(s.a), quoted(s.b), s.asked);
    case StatementKind::Same: return fmt::format("{} and {} cannot be one", quoted(s.a), quoted(s.b));
    case StatementKind::Survey: return fmt::format("Survey point {} cannot be where it was measured", quoted(s.name));
    case StatementKind::PlaneDistance: return fmt::format("The distance of {} cannot be {:.6g} m", s.name, s.asked);
    case StatementKind::Equal:
    case StatementKind::Mirror:
    case StatementKind::Camera: return fmt::format("\"{}\" cannot hold", s.name);
  }
  return {};
}

}  // namespace

void tellKnowledge(const Finished& with, const Solution& without, const Knowledge& asked, double scene_scale, SolvedKnowledge& known) {
  Teller(with, without, asked, scene_scale, known).tell();
}

Status refuseClashes(const SolvedKnowledge& known) {
  constexpr double kHolds_rad = 0.05 * kDegree, kHoldsShare = 1e-3;
  for (const SolvedStatement& s : known.statements) {
    if (!s.exact || !s.undetermined.empty() || std::isnan(s.found)) continue;
    static constexpr std::array kByCost = {StatementKind::Survey, StatementKind::Camera, StatementKind::Same,
                                           StatementKind::Offset, StatementKind::Equal,  StatementKind::Mirror};
    if (std::find(kByCost.begin(), kByCost.end(), s.kind) != kByCost.end()) continue;
    const double off = std::abs(s.found - s.asked);
    if (off < (s.turns ? kHolds_rad : kHoldsShare * s.asked + 1e-9)) continue;
    return cannotSolve(fmt::format("{} together with what else is exact: {} is left. Let go of a statement, or give one a deviation.", whatOf(s),
                                   s.turns ? fmt::format("{:.2f}°", off / kDegree) : fmt::format("{:.4g}", off)));
  }
  return Done{};
}

}  // namespace dusky
