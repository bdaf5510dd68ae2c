#include "core/review/swept_knowledge.h"

#include <algorithm>
#include <functional>
#include <numbers>

#include "core/knowledge/known_scalars.h"

namespace dusky {
namespace {

constexpr double kDegree = std::numbers::pi / 180;

/// A scalar and how it is held.
struct Holder {
  SweptScalar scalar;
  std::function<void(double value, double weight, SetBeliefs&)> hold;
};

double angleBetween(const Vec3& a, const Vec3& b) { return std::acos(std::min(1.0, std::abs(a.dot(b)))) / kDegree; }

/// Eight standard deviations to either side, or where they are unknown what is usual.
double spanOf(double sigma, double usual) { return std::isnan(sigma) || !(sigma > 0) ? usual : std::min(usual, 8 * sigma); }

/// On the side on which they stand now.
double cosineOf(double degrees, double now) { return std::copysign(std::cos(degrees * kDegree), now); }

class Scalars {
 public:
  explicit Scalars(const SolvedKnowledge& known) : known_(known) {}

  std::vector<Holder> all() const {
    std::vector<Holder> list;
    for (std::size_t i = 0; i < known_.sets.size(); ++i) {
      for (std::size_t k = i + 1; k < known_.sets.size(); ++k) list.push_back(angle(known_.sets[i], known_.sets[k]));
    }
    const SetWorld* world = known_.world();
    for (const SolvedSet& set : known_.sets) {
      if (const int up = upShape(); up >= 0 || (world && world->free_turn)) list.push_back(tilt(set, up));
    }
    for (const SolvedSet& set : known_.sets) {
      if (world && world->free_shift && set.kind == SetKind::Plane) list.push_back(offset(set));
    }
    for (std::size_t k = 0; k < known_.statements.size(); ++k) {
      if (known_.statements[k].kind == StatementKind::Distance && known_.statements[k].undetermined.empty()) list.push_back(distance(static_cast<int>(k)));
    }
    return list;
  }

 private:
  /// The shape that is what is up, where the world's turn is not looked for.
  int upShape() const {
    for (const AxisAngle& angle : known_.beliefs.angles) {
      if (angle.statement >= 0 && known_.statements[static_cast<std::size_t>(angle.statement)].kind == StatementKind::Orientation) return angle.b;
    }
    return -1;
  }

  template <class Is>
  int statementThat(const Is& is) const {
    const auto found = std::find_if(known_.statements.begin(), known_.statements.end(), is);
    return found != known_.statements.end() ? static_cast<int>(found - known_.statements.begin()) : -1;
  }
  static SetBeliefs without(SetBeliefs beliefs, int statement) { return statement < 0 ? beliefs : withoutStatement(std::move(beliefs), statement); }

  Holder angle(const SolvedSet& a, const SolvedSet& b) const {
    const bool mixed = a.kind != b.kind;
    const double now = angleBetween(a.axis, b.axis), sigma = std::hypot(a.sigma_axis_rad, b.sigma_axis_rad) / kDegree, side = a.axis.dot(b.axis);
    const int said =
        statementThat([&](const SolvedStatement& s) { return s.kind == StatementKind::Angle && std::minmax(s.a, s.b) == std::minmax(a.name, b.name); });
    const auto hold = [mixed, side, said, a = a.shape, b = b.shape](double value, double weight, SetBeliefs& beliefs) {
      beliefs = without(std::move(beliefs), said);
      beliefs.angles.push_back({a, b, cosineOf(mixed ? 90 - value : value, side), weight});
    };
    return {{angleScalar(a.name, b.name), mixed ? 90 - now : now, spanOf(sigma, 10)}, hold};
  }

  Holder tilt(const SolvedSet& set, int up) const {
    const SetWorld* world = known_.world();
    const Vec3 upwards = world && world->free_turn ? Vec3(world->world_from_solve.rotation.conjugate() * Vec3::UnitY())
                                                   : axisOf(known_.beliefs.shapes[static_cast<std::size_t>(up)]);
    const bool line = set.kind == SetKind::Line;
    const double now = angleBetween(set.axis, upwards), side = set.axis.dot(upwards);
    const int said = statementThat([&](const SolvedStatement& s) { return s.kind == StatementKind::Orientation && s.a == set.name; });
    const auto hold = [line, side, said, up, shape = set.shape, turns = world && world->free_turn](double value, double weight, SetBeliefs& beliefs) {
      beliefs = without(std::move(beliefs), said);
      const double cosine = cosineOf(line ? 90 - value : value, side);
      if (turns) beliefs.axes.push_back({shape, Vec3::UnitY(), cosine, weight});
      if (!turns) beliefs.angles.push_back({shape, up, cosine, weight});
    };
    return {{tiltScalar(set.name), line ? 90 - now : now, spanOf(set.sigma_axis_rad / kDegree, 10)}, hold};
  }

  Holder offset(const SolvedSet& set) const {
    const Similarity& from = known_.world()->world_from_solve;
    const double now = from.scale * set.offset + (from.rotation * set.axis).dot(from.shift);
    const int said = statementThat([&](const SolvedStatement& s) { return s.kind == StatementKind::Offset && s.a == set.name; });
    const auto hold = [said, shape = set.shape](double value, double weight, SetBeliefs& beliefs) {
      beliefs = without(std::move(beliefs), said);
      beliefs.offsets.push_back({shape, value, weight});
    };
    return {{offsetScalar(set.name), now, spanOf(from.scale * set.sigma_offset, std::max(0.05 * std::abs(now), 0.1))}, hold};
  }

  Holder distance(int k) const {
    const SolvedStatement& s = known_.statements[static_cast<std::size_t>(k)];
    const auto hold = [k](double value, double weight, SetBeliefs& beliefs) {
      for (PlacesApart& apart : beliefs.places_apart) {
        if (apart.statement == k) apart.distance = value, apart.weight = weight / (value * value);
      }
    };
    return {{lengthScalar(s.tracks[0], s.tracks[1]), s.found, 0.1 * s.found}, hold};
  }

  const SolvedKnowledge& known_;
};

}  // namespace

std::vector<SweptScalar> sweptScalars(const Solution& solution) {
  std::vector<SweptScalar> all;
  for (const Holder& holder : Scalars(solution.knowledge).all()) all.push_back(holder.scalar);
  return all;
}

void holdScalar(const SolvedKnowledge& known, const std::string& parameter, double value, double weight, SetBeliefs& beliefs) {
  for (const Holder& holder : Scalars(known).all()) {
    if (holder.scalar.parameter == parameter) return holder.hold(value, weight, beliefs);
  }
}

}  // namespace dusky
