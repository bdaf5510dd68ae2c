#include "core/solve/if_exact.h"

#include <algorithm>
#include <cmath>

#include "core/adjust/uncertainty.h"
#include "core/knowledge/statements.h"
#include "core/solve/knowledge_setup.h"

namespace dusky {
namespace {

using Part = StatementRef::Part;

/// How much a bundle costs where its straightened equations are least.
double leastCost(const Bundle& bundle, const BundleOptions& options) { return bundleCost(bundle, options) - expectedGain(bundle, options); }

bool saysNothing(const SolvedKnowledge& known, const Knowledge& asked, StatementRef ref) {
  if (ref.part == Part::Set) return false;
  const auto nothing = [](const SolvedStatement& s) { return !s.undetermined.empty(); };
  const std::string key = keyOf(asked, ref), name = key.substr(key.find(' ') + 1);
  return std::any_of(known.statements.begin(), known.statements.end(), [&](const SolvedStatement& s) { return s.name == name && nothing(s); });
}

class Predictor {
 public:
  Predictor(const SolveState& state, const SolveTask& task, const Solution& plain, const Knowledge& knowledge, const Similarity& scene)
      : state_(state),
        plain_(plain),
        knowledge_(knowledge),
        scene_(scene),
        options_(finalOptions(state, task.options)),
        variance_(correlatedVariance(makeBundle(state.work).bundle, options_)),
        cost_(costUnder(knowledge)) {}

  std::optional<IfExact> of(StatementRef ref) const {
    const Knowledge exact = withExact(knowledge_, ref), base = withItsSets(knowledge_, ref);
    if (!isExact(exact, ref)) return std::nullopt;
    const auto known = setUp(exact);
    if (!known || saysNothing(*known, exact, ref)) return std::nullopt;
    const double before = base == knowledge_ ? cost_ : costUnder(base);
    const double rise = costUnder(*known) - before, freedom = freedomOf(ref, exact, *known);
    if (!std::isfinite(rise) || !(freedom > 0)) return std::nullopt;
    return IfExact{keyOf(knowledge_, ref), sigmasOfChance(std::max(0.0, rise) / variance_, freedom)};
  }

 private:
  std::optional<SolvedKnowledge> setUp(const Knowledge& knowledge) const {
    auto known = setUpKnowledge(state_, plain_, knowledge, scene_, variance_);
    return known.ok() ? std::optional(std::move(*known)) : std::nullopt;
  }

  /// Unknown where it cannot be set up.
  double costUnder(const Knowledge& knowledge) const {
    const auto known = setUp(knowledge);
    return known ? costUnder(*known) : kUnknown;
  }
  double costUnder(const SolvedKnowledge& known) const {
    Reconstruction work = state_.work;
    takeKnowledge(known, work);
    return leastCost(makeBundle(work).bundle, options_);
  }

  /// How many deviations of chance a statement is: of a plane or line those of its points that it does not itself follow.
  double freedomOf(StatementRef ref, const Knowledge& exact, const SolvedKnowledge& known) const {
    Knowledge rest = exact;
    if (ref.part == Part::Set) {
      Knowledge alone;
      alone.sets = {exact.sets[ref.index]};
      const auto own = setUp(alone);
      return own ? dusky::freedomOf(own->beliefs) : 0;
    }
    switchStatement(rest, ref, false);
    const auto without = setUp(rest);
    return without ? dusky::freedomOf(known.beliefs) - dusky::freedomOf(without->beliefs) : 0;
  }

  const SolveState& state_;
  const Solution& plain_;
  const Knowledge& knowledge_;
  const Similarity& scene_;
  const BundleOptions options_;
  const double variance_;
  const double cost_;  ///< Under what is known as it is.
};

}  // namespace

double freedomOf(const SetBeliefs& beliefs) {
  double freedom = residualsOf(beliefs);
  for (const SetShape& shape : beliefs.shapes) freedom -= unknownsOf(shape);
  return freedom;
}

double sigmasOfChance(double chi_squared, double freedom) {
  if (!(freedom > 0)) return kUnknown;
  const double spread = 2 / (9 * freedom);
  return std::max(0.0, (std::cbrt(chi_squared / freedom) - (1 - spread)) / std::sqrt(spread));
}

std::vector<IfExact> predictExact(const SolveState& state, const SolveTask& task, const Solution& plain, const Knowledge& knowledge, const Similarity& scene) {
  std::vector<IfExact> all;
  const Predictor predictor(state, task, plain, knowledge, scene);
  for (const StatementRef& ref : statementsOf(knowledge)) {
    const bool holds = isOn(knowledge, ref) && isExact(knowledge, ref);
    if (holds || ref.part == Part::Survey || task.progress.stopRequested()) continue;
    if (const auto cost = predictor.of(ref)) all.push_back(*cost);
  }
  return all;
}

}  // namespace dusky
