// What is believed, in the normal equations.
#include <algorithm>

#include "core/adjust/reduced_system.h"

namespace dusky {

std::vector<FactorRow> ReducedSystem::factorsNow() const {
  std::vector<FactorRow> factors;
  forEachFactor(bundle_, options_, model_, [&factors](const FactorRow& row) { factors.push_back(row); });
  return factors;
}

std::vector<std::vector<FactorRow>> ReducedSystem::byPoint(const std::vector<FactorRow>& factors) const {
  if (bundle_.set.empty()) return {};
  std::vector<std::vector<FactorRow>> rows(bundle_.points.size());
  for (const FactorRow& row : factors) {
    if (const auto point = row.point()) rows[static_cast<std::size_t>(*point)].push_back(row);
  }
  return rows;
}

int ReducedSystem::sharedOf(const FactorRow::Slope& slope) const {
  return (slope.of == UnknownOf::Lens ? sharedAt(slope.index) : shapeAt(slope.index)) + slope.at;
}

/// Without the matrix: the gradient alone. What a point has of it is taken when it is eliminated.
void ReducedSystem::addFactor(const FactorRow& row, bool with_matrix) {
  using Slope = FactorRow::Slope;
  const auto moves = [this](const Slope& s) { return s.of != UnknownOf::Point && !(s.of == UnknownOf::Camera && bundle_.isHeld(s.index)); };
  const auto add = [this](const Slope& a, const Slope& b) {
    const double product = a.slope * b.slope;
    if (a.of != UnknownOf::Camera && b.of != UnknownOf::Camera) {
      corner_(sharedOf(a), sharedOf(b)) += product;
    } else if (a.of == UnknownOf::Camera && b.of != UnknownOf::Camera) {
      border_(rowOf(a.index) + a.at, sharedOf(b)) += product;
    } else if (a.of == UnknownOf::Camera && order_.place[a.index] >= order_.place[b.index]) {
      matrix_.block(order_.place[a.index], order_.place[b.index])(a.at, b.at) += product;
    }
  };
  for (int i = 0; i < row.count; ++i) {
    const Slope& a = row.slopes[i];
    if (!moves(a)) continue;
    (a.of == UnknownOf::Camera ? gradient_[rowOf(a.index) + a.at] : shared_gradient_[sharedOf(a)]) -= a.slope * row.residual;
    for (int k = 0; k < row.count && with_matrix; ++k) {
      if (moves(row.slopes[k])) add(a, row.slopes[k]);
    }
  }
}

/// By what the sightings say of them, which is what is left where the points are taken out: by how firmly points are held to a shape, or shapes to each other,
/// it would not move at all; undamped, the turn of shapes that are held exactly to each other would never be small enough for a straight step.
void ReducedSystem::dampShapes(double damping) {
  if (shape_at_.empty()) return;
  const int first = shape_at_.front(), count = shapeUnknowns();
  Eigen::VectorXd among = Eigen::VectorXd::Zero(count);
  for (const FactorRow& row : factors_) {
    const auto* end = row.slopes.data() + row.count;
    if (!std::all_of(row.slopes.data(), end, [](const FactorRow::Slope& s) { return s.of == UnknownOf::Shape; })) continue;
    for (const auto* s = row.slopes.data(); s != end; ++s) among[sharedOf(*s) - first] += s->slope * s->slope;
  }
  auto diagonal = shared_diagonal_.segment(first, count);
  diagonal = (corner_.diagonal().segment(first, count) - among).cwiseMax(0);
  // Of which nothing is believed any more: it stays.
  corner_.diagonal().segment(first, count) += damping * diagonal + Eigen::VectorXd::Constant(count, kFloor);
}

}  // namespace dusky
