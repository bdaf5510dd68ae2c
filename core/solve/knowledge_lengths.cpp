// The world that distances, a survey and positions of the camera speak of.
#include <fmt/format.h>

#include <array>

#include "core/base/numbers.h"
#include "core/knowledge/statements.h"
#include "core/solve/knowledge_builder.h"

namespace dusky {

Status KnowledgeBuilder::makeWorld() {
  if (nodal_ && std::any_of(knowledge_.survey.begin(), knowledge_.survey.end(), [](const SurveyPoint& point) { return point.on; })) {
    makeWorldByRays();
    return Done{};
  }
  std::vector<KnownPlace> places;
  SeenSurvey seen{.not_seen = "takes no part in the solve with a depth",
                  .no_world = "a survey needs three points or more that take part and do not lie on one line"};
  for (const SurveyPoint& point : knowledge_.survey) {
    if (point.on && placed(point.track))
      places.push_back({*placed(point.track)->point, point.at, point.sigma.norm() / std::sqrt(3.0)}), seen.points.push_back(&point);
  }
  for (const KnownCamera& camera : knowledge_.camera) {
    if (!camera.on || camera.fact != CameraFact::Position || !moves_) continue;
    for (const int f : framesOf(camera)) places.push_back({work_.poses[static_cast<std::size_t>(f)]->centre, camera.at, 0});
  }
  allowForBends(places);
  const auto fit = fitWorld(places);
  if (const Status fine = checkUnit(fit); !fine.ok()) return fine;
  SetWorld world{fit ? fit->world_from_solve : scene_, fit.has_value(), fit.has_value(), fit.has_value()};
  if (!fit) guessWorld(world);
  whole_world_ = fit.has_value();
  if (fit || world.free_scale || world.free_turn || knowledge_.saysLengths()) out_.beliefs.world = addShape(world);
  for (std::size_t i = 0; fit && i < seen.points.size(); ++i) {
    const double away = (fit->world_from_solve * places[i].solved - places[i].known).norm();
    seen.off.push_back({away, std::binary_search(fit->outliers.begin(), fit->outliers.end(), i)});
  }
  addSurvey(seen);
  return Done{};
}

/// A survey in other units than the distances: its scale is off by the very factor.
Status KnowledgeBuilder::checkUnit(const std::optional<WorldFit>& fit) const {
  constexpr std::array<std::pair<double, const char*>, 5> kUnits = {
      {{1000, "millimetres"}, {100, "centimetres"}, {3.28084, "feet"}, {39.3701, "inches"}, {0.001, "kilometres"}}};
  constexpr double kNear = 0.03;
  if (!fit || knowledge_.survey.empty()) return Done{};
  for (const KnownDistance& distance : knowledge_.distances) {
    const WorkTrack *from = placed(distance.from), *to = placed(distance.to);
    if (!distance.on || !from || !to) continue;
    const double by_survey = fit->world_from_solve.scale * (*to->point - *from->point).norm();
    for (const auto& [factor, unit] : kUnits) {
      if (std::abs(by_survey / distance.metres / factor - 1) > kNear) continue;
      return invalidInput(
          fmt::format("By the survey, {} are {:.4g} m apart, and {:.4g} m are known: the survey is in {}. Give it in metres (of a CSV: a line \"# "
                      "unit: …\" at its head).",
                      nameOf(distance), by_survey, distance.metres, unit));
    }
  }
  return Done{};
}

/// Without places: what lengths say of its scale, and orientations of its turn.
void KnowledgeBuilder::guessWorld(SetWorld& world) const {
  guessScale(world);
  guessTurn(world);
}

void KnowledgeBuilder::guessScale(SetWorld& world) const {
  std::vector<double> logs;
  for (const KnownDistance& distance : knowledge_.distances) {
    const WorkTrack *from = placed(distance.from), *to = placed(distance.to);
    const double apart = distance.on && from && to ? (*to->point - *from->point).norm() : 0;
    if (apart > 0) logs.push_back(std::log(distance.metres / apart));
  }
  for (const KnownPlaneDistance& distance : knowledge_.plane_distances) {
    const WorkTrack* track = distance.on ? placed(distance.track) : nullptr;
    const double off = track ? std::abs(offVector(setNamed(distance.plane).asShape(), *track->point).norm()) : 0;
    if (off > 0) logs.push_back(std::log(distance.metres / off));
  }
  if (!logs.empty()) world.world_from_solve.scale = std::exp(median(logs));
  const bool apart =
      std::any_of(knowledge_.relations.begin(), knowledge_.relations.end(), [](const KnownRelation& r) { return r.on && r.kind == RelationKind::Apart; });
  world.free_scale = !logs.empty() || apart;
}

void KnowledgeBuilder::guessTurn(SetWorld& world) const {
  for (const KnownCamera& camera : knowledge_.camera) {
    if (!camera.on || camera.fact != CameraFact::Rotation || framesOf(camera).empty()) continue;
    const Pose& pose = *work_.poses[static_cast<std::size_t>(framesOf(camera).front())];
    world.world_from_solve.rotation = (camera.rotation * pose.world_from_camera.conjugate()).normalized();
    world.free_turn = true;
    return;
  }
  std::vector<std::pair<Vec3, Vec3>> axes;
  bool given = false;
  for (const SolvedSet& set : out_.sets) {
    if (set.facing == SetFacing::Given) axes.emplace_back(set.axis, knowledge_.find(set.name)->axis.normalized()), given = true;
    if (set.alongUp()) axes.emplace_back(set.axis, Vec3::UnitY());
  }
  const auto turn = axes.size() >= 2 && given ? turnByAxes(axes, scene_.rotation) : std::nullopt;
  if (turn) world.world_from_solve.rotation = *turn;
  world.free_turn = turn.has_value();
}

void KnowledgeBuilder::addSurvey(const SeenSurvey& seen) {
  std::vector<Vec3> places;
  for (const SurveyPoint* point : seen.points) places.push_back(point->at);
  const double reach = places.empty() ? 1 : std::max(principalAxes(places).reach(), 1e-9);
  for (const SurveyPoint& point : knowledge_.survey) {
    if (!point.on) continue;
    SolvedStatement solved{.kind = StatementKind::Survey, .name = point.name, .tracks = {point.track}, .exact = point.sigma.isZero()};
    const auto at = std::find(seen.points.begin(), seen.points.end(), &point);
    if (at == seen.points.end()) {
      solved.undetermined = fmt::format("track {} {}", point.track, seen.not_seen);
    } else if (seen.off.empty()) {
      solved.undetermined = seen.no_world;
    } else {
      const auto& [away, too_far] = seen.off[static_cast<std::size_t>(at - seen.points.begin())];
      solved.without = away;
      if (too_far) solved.undetermined = fmt::format("set aside: it stands {:.3g} off where the others put it; measure it again, or take another track", away);
    }
    const bool takes_part = solved.undetermined.empty();
    const int k = addStatement(std::move(solved));
    if (!takes_part) continue;
    Vec3 weight;
    for (int i = 0; i < 3; ++i) weight[i] = weightOf(point.sigma[i], kExactShare * reach);
    out_.beliefs.in_world.push_back({.index = point.track, .at = point.at, .weight = weight, .statement = k});
  }
}

/// A place that a track is tied to, firmly enough for what is exact.
int KnowledgeBuilder::placeOf(int id) {
  const auto known = place_of_.find(id);
  if (known != place_of_.end()) return known->second;
  constexpr double kTied = 1e-7;  // of its distance from the camera that saw it first
  const WorkTrack& track = *placed(id);
  const int shape = addShape(SetPlace{*track.point});
  const auto& pose = work_.poses[static_cast<std::size_t>(track.observations.front().frame_index)];
  const double far = pose ? (*track.point - pose->centre).norm() : 1;
  out_.beliefs.on.push_back({.index = id, .shape = shape, .weight = noise_px2_ / std::pow(kTied * far, 2)});
  return place_of_[id] = shape;
}

Status KnowledgeBuilder::checkPlaced(const std::vector<int>& ids, const std::string& who) const {
  for (const int id : ids) {
    if (!placed(id)) return invalidInput(fmt::format("{}: track {} takes no part in the solve with a depth. Pick another one.", who, id));
  }
  return Done{};
}

Status KnowledgeBuilder::addDistance(const KnownDistance& distance) {
  const std::string who = fmt::format("The distance between tracks {} and {}", distance.from, distance.to);
  if (const Status fine = checkPlaced({distance.from, distance.to}, who); !fine.ok()) return fine;
  SolvedStatement solved{.kind = StatementKind::Distance, .name = nameOf(distance)};
  solved.tracks = {distance.from, distance.to}, solved.exact = distance.sigma == 0, solved.asked = distance.metres;
  solved.without = scale() * (*placed(distance.to)->point - *placed(distance.from)->point).norm();
  const int k = addStatement(std::move(solved));
  const double weight = weightOf(distance.sigma, kExactShare * distance.metres);
  const Ends ends = endsOf(distance.from, distance.to);
  out_.beliefs.places_apart.push_back({ends.a, ends.b, distance.metres, weight, k, ends.from_point});
  return Done{};
}

}  // namespace dusky
