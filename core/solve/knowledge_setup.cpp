#include "core/solve/knowledge_setup.h"

#include "core/base/numbers.h"
#include "core/solve/knowledge_builder.h"
#include "core/solve/sort_out.h"

namespace dusky {

KnowledgeBuilder::KnowledgeBuilder(const SolveState& state, const Solution& plain, const Knowledge& knowledge, const Similarity& scene, double variance_px2)
    : work_(state.work), plain_(plain), knowledge_(knowledge), scene_(scene), moves_(!state.nodal && !state.work.arm), nodal_(state.nodal) {
  noise_px2_ = std::pow(std::isnan(state.spread_px) ? 0.3 : std::max(state.spread_px, 1e-3), 2);
  variance_px2_ = std::isnan(variance_px2) ? kCorrelatedSightings * noise_px2_ : std::max(variance_px2, 1e-6);
  for (std::size_t t = 0; t < work_.tracks.size(); ++t) index_of_[work_.tracks[t].id] = static_cast<int>(t);
  countPairs();
}

Result<SolvedKnowledge> KnowledgeBuilder::make() {
  Status fine = Done{};
  const auto each = [&fine](const auto& list, const auto& add) {
    for (const auto& one : list) {
      if (one.on && fine.ok()) fine = add(one);
    }
  };
  each(knowledge_.sets, [&](const KnownSet& set) { return addSet(set); });
  if (fine.ok()) fine = makeWorld();
  each(knowledge_.distances, [&](const KnownDistance& distance) { return addDistance(distance); });
  each(knowledge_.plane_distances, [&](const KnownPlaneDistance& distance) { return addPlaneDistance(distance); });
  each(knowledge_.equals, [&](const KnownEqual& equal) { return addEqual(equal); });
  each(knowledge_.mirrors, [&](const KnownMirror& mirror) { return addMirror(mirror); });
  if (!fine.ok()) return fine.error();
  addFacings();
  for (const KnownRelation& relation : knowledge_.relations) {
    if (relation.on) addRelation(relation);
  }
  each(knowledge_.camera, [&](const KnownCamera& camera) { return addCamera(camera); });
  if (!fine.ok()) return fine.error();
  return std::move(out_);
}

double KnowledgeBuilder::weightOf(double sigma, double exact) const { return sigma > 0 ? variance_px2_ / (sigma * sigma) : noise_px2_ / (exact * exact); }

int KnowledgeBuilder::addShape(SetShape shape) {
  out_.beliefs.shapes.push_back(std::move(shape));
  return static_cast<int>(out_.beliefs.shapes.size()) - 1;
}

int KnowledgeBuilder::addStatement(SolvedStatement statement) {
  out_.statements.push_back(std::move(statement));
  return static_cast<int>(out_.statements.size()) - 1;
}

const SolvedSet& KnowledgeBuilder::setNamed(const std::string& name) const {
  return *std::find_if(out_.sets.begin(), out_.sets.end(), [&](const SolvedSet& set) { return set.name == name; });
}

const WorkTrack* KnowledgeBuilder::placed(int id) const {
  const auto at = index_of_.find(id);
  const WorkTrack* track = at != index_of_.end() ? &work_.tracks[static_cast<std::size_t>(at->second)] : nullptr;
  return track && track->takesPart() && !track->at_infinity ? track : nullptr;
}

std::vector<int> KnowledgeBuilder::framesOf(const KnownCamera& camera) const {
  std::vector<int> frames;
  for (std::size_t f = 0; f < work_.frame_numbers.size(); ++f) {
    if (work_.frame_numbers[f] >= camera.first && work_.frame_numbers[f] <= camera.last && work_.poses[f]) frames.push_back(static_cast<int>(f));
  }
  return frames;
}

double KnowledgeBuilder::reach() const {
  const Vec3 middle = pathExtent(work_).middle;
  std::vector<double> distances;
  for (const WorkTrack& track : work_.tracks) {
    if (track.takesPart() && !track.at_infinity) distances.push_back((*track.point - middle).norm());
  }
  return distances.empty() ? 1 : std::max(median(std::move(distances)), 1e-9);
}

Result<SolvedKnowledge> setUpKnowledge(const SolveState& state, const Solution& plain, const Knowledge& knowledge, const Similarity& scene,
                                       double variance_px2) {
  return KnowledgeBuilder(state, plain, knowledge, scene, variance_px2).make();
}

void takeKnowledge(const SolvedKnowledge& knowledge, Reconstruction& work) {
  std::map<int, int> track_of;
  for (std::size_t t = 0; t < work.tracks.size(); ++t) track_of[work.tracks[t].id] = static_cast<int>(t);
  const auto trackOf = [&track_of](int id) {
    const auto at = track_of.find(id);
    return at == track_of.end() ? -1 : at->second;
  };
  work.set = renumbered(knowledge.beliefs, trackOf, [&work](int frame) {
    const int at = work.indexOf(frame);
    return at < static_cast<int>(work.frame_numbers.size()) && work.frame_numbers[static_cast<std::size_t>(at)] == frame ? at : -1;
  });
  for (const InWorld& one : work.set.in_world) {
    WorkTrack* track = one.camera ? nullptr : &work.tracks[static_cast<std::size_t>(one.index)];
    if (track && track->at_infinity) track->point = knowledge.world()->world_from_solve.inverse() * one.at, track->at_infinity = false;
  }
}

}  // namespace dusky
