// Distances from planes, distances that are equal, pairs that mirror each other.
#include <fmt/format.h>

#include <Eigen/Eigenvalues>

#include "core/base/numbers.h"
#include "core/knowledge/statements.h"
#include "core/solve/knowledge_builder.h"

namespace dusky {

void KnowledgeBuilder::countPairs() {
  const auto count = [this](int from, int to) { ++pairs_of_[from], ++pairs_of_[to]; };
  for (const KnownDistance& distance : knowledge_.distances) {
    if (distance.on) count(distance.from, distance.to);
  }
  const auto countAll = [&count](const auto& groups) {
    for (const auto& group : groups) {
      for (const TrackPair& pair : group.pairs) {
        if (group.on) count(pair.from, pair.to);
      }
    }
  };
  countAll(knowledge_.equals), countAll(knowledge_.mirrors);
}

KnowledgeBuilder::Ends KnowledgeBuilder::endsOf(int from, int to) {
  const bool a = place_of_.contains(from), b = place_of_.contains(to);
  if (a && b) return {placeOf(from), placeOf(to), false};
  const bool turned = a || (!b && pairs_of_[from] > pairs_of_[to]);  // the place is the second one
  return {turned ? to : from, placeOf(turned ? from : to), true};
}

Status KnowledgeBuilder::addPlaneDistance(const KnownPlaneDistance& distance) {
  const std::string who = fmt::format("The distance of track {} from \"{}\"", distance.track, distance.plane);
  if (const Status fine = checkPlaced({distance.track}, who); !fine.ok()) return fine;
  const SolvedSet& set = setNamed(distance.plane);
  const SetPlane& from = plane(set.shape);
  const double off = scale() * (from.normal.dot(*placed(distance.track)->point) - from.offset);
  SolvedStatement solved{.kind = StatementKind::PlaneDistance, .name = nameOf(distance), .a = set.name, .tracks = {distance.track}};
  solved.exact = distance.sigma == 0, solved.asked = distance.metres, solved.without = std::abs(off);
  const int k = addStatement(std::move(solved));
  out_.beliefs.from_plane.push_back({.index = distance.track,
                                     .plane = set.shape,
                                     .distance = std::copysign(distance.metres, off),
                                     .weight = weightOf(distance.sigma, kExactShare * distance.metres),
                                     .statement = k});
  return Done{};
}

/// Each against one length that is looked for.
Status KnowledgeBuilder::addEqual(const KnownEqual& equal) {
  SolvedStatement solved{.kind = StatementKind::Equal, .name = nameOf(equal), .exact = equal.sigma == 0};
  std::vector<double> lengths;
  for (const TrackPair& pair : equal.pairs) {
    if (const Status fine = checkPlaced({pair.from, pair.to}, "Equal distances"); !fine.ok()) return fine;
    solved.tracks.push_back(pair.from), solved.tracks.push_back(pair.to);
    lengths.push_back((*placed(pair.to)->point - *placed(pair.from)->point).norm());
  }
  double mean = 0, squares = 0;
  for (const double length : lengths) mean += length / static_cast<double>(lengths.size());
  for (const double length : lengths) squares += (length - mean) * (length - mean);
  solved.without = scale() * std::sqrt(squares / static_cast<double>(lengths.size()));
  const int k = addStatement(std::move(solved)), shared = addShape(SetLength{std::max(mean, 1e-12)});
  const double weight = weightOf(equal.sigma / scale(), kExactShare * std::max(mean, 1e-12));
  for (const TrackPair& pair : equal.pairs) {
    const Ends ends = endsOf(pair.from, pair.to);
    out_.beliefs.at_length.push_back({ends.a, ends.b, shared, weight, k, ends.from_point});
  }
  return Done{};
}

Status KnowledgeBuilder::addMirror(const KnownMirror& mirror) {
  SolvedStatement solved{.kind = StatementKind::Mirror, .name = nameOf(mirror), .a = mirror.plane, .exact = mirror.sigma == 0};
  double reach = 1e-9;
  for (const TrackPair& pair : mirror.pairs) {
    if (const Status fine = checkPlaced({pair.from, pair.to}, "Mirrored pairs"); !fine.ok()) return fine;
    solved.tracks.push_back(pair.from), solved.tracks.push_back(pair.to);
    reach = std::max(reach, (*placed(pair.to)->point - *placed(pair.from)->point).norm());
  }
  const int shape = mirror.plane.empty() ? mirrorPlane(mirror) : setNamed(mirror.plane).shape;
  double squares = 0;
  for (const TrackPair& pair : mirror.pairs) squares += offMirrored(plane(shape), *placed(pair.from)->point, *placed(pair.to)->point).squaredNorm();
  solved.without = scale() * std::sqrt(squares / static_cast<double>(mirror.pairs.size()));
  const int k = addStatement(std::move(solved));
  const double weight = weightOf(mirror.sigma / scale(), kExactShare * reach);
  for (const TrackPair& pair : mirror.pairs) {
    const Ends ends = endsOf(pair.from, pair.to);
    out_.beliefs.mirrored.push_back({ends.a, ends.b, shape, weight, k, ends.from_point});
  }
  return Done{};
}

/// Square to what most leads from one of a pair to the other, half way between them.
int KnowledgeBuilder::mirrorPlane(const KnownMirror& mirror) {
  Mat3 ways = Mat3::Zero();
  std::vector<Vec3> middles;
  for (const TrackPair& pair : mirror.pairs) {
    const Vec3 a = *placed(pair.from)->point, b = *placed(pair.to)->point;
    ways += (b - a) * (b - a).transpose(), middles.push_back(0.5 * (a + b));
  }
  const Vec3 normal = Eigen::SelfAdjointEigenSolver<Mat3>(ways).eigenvectors().col(2);
  std::vector<double> offsets;
  for (const Vec3& middle : middles) offsets.push_back(normal.dot(middle));
  return addShape(SetPlane{normal, median(std::move(offsets))});
}

}  // namespace dusky
