#include "core/review/sweep.h"

#include <fmt/format.h>

#include <array>
#include <atomic>
#include <cmath>
#include <mutex>

#include "core/base/parallel.h"
#include "core/knowledge/known_scalars.h"
#include "core/review/swept_knowledge.h"
#include "core/solve/sort_out.h"
#include "core/adjust/uncertainty.h"
#include "core/solve/warm_start.h"

namespace dusky {
namespace {

constexpr double kTells = 4;  // squared standard deviations that a rise must reach to say anything

class Sweeper {
 public:
  Sweeper(const TrackSet& tracks, const SolveOptions& options, const Solution& from, const Progress& progress,
          const std::function<void(const SweepPoint&)>& on_point)
      : from_(from), state_(finalState(from, tracks, options)), problem_(finalOptions(state_, options)), progress_(progress), on_point_(on_point) {
    problem_.max_steps = 25, problem_.damping = BundleOptions{}.damping;
  }

  /// One scalar: of the lens by its position, or the readout, or of what is known by its name.
  struct Scalar {
    int index = 0;  ///< -1: the readout.
    double unit = 1;
    std::string known;
  };

  /// Nothing where there is none of that name.
  std::optional<Scalar> scalarOf(const SweepAxis& axis) const {
    const std::string& parameter = axis.parameter;
    if (parameter == "readout_ms") return Scalar{-1, axis.unit, {}};
    for (const SweptScalar& scalar : sweptScalars(from_)) {
      if (scalar.parameter == parameter) return Scalar{0, 1, parameter};
    }
    const auto names = lensParameterNames(state_.work.lens().model);
    const auto found = std::find(names.begin(), names.end(), parameter);
    return found != names.end() ? std::optional(Scalar{static_cast<int>(found - names.begin()), 1, {}}) : std::nullopt;
  }
  /// What can be held, in words.
  std::string offered() const {
    std::string all = "focal_px, cx_px, cy_px, a coefficient of its model, or readout_ms";
    for (const SweptScalar& scalar : sweptScalars(from_)) all += fmt::format(", \"{}\"", scalar.parameter);
    return all;
  }

  void run(std::vector<SweepPoint>& points, const Scalar& first, const std::optional<Scalar>& second, double share_from, double share_to) {
    std::atomic<int> done = 0;
    parallelFor(static_cast<int>(points.size()), [&](int i) {
      if (progress_.stopRequested()) return;
      SweepPoint& point = points[static_cast<std::size_t>(i)];
      adjustAt(point, first, second);
      const std::lock_guard lock(mutex_);
      const double share = static_cast<double>(++done) / static_cast<double>(points.size());
      progress_.report(share_from + share * (share_to - share_from), "sweeping");
      if (on_point_) on_point_(point);
    });
  }

  /// Squared standard deviations by which a cost lies over the least one.
  void measureChiSquared(std::vector<SweepPoint>& points) const {
    const auto low = std::min_element(points.begin(), points.end(), [](const SweepPoint& a, const SweepPoint& b) { return a.cost_px2 < b.cost_px2; });
    for (SweepPoint& p : points) p.chi_squared = (p.cost_px2 - low->cost_px2) / variance_;
  }

  /// The noise that the solve as it is shows.
  void measureNoise() { variance_ = correlatedVariance(makeBundle(state_.work).bundle, problem_); }

 private:
  /// Everything else adjusted, with what is believed of it, as the solve did; nothing is believed of what is held.
  void adjustAt(SweepPoint& point, const Scalar& first, const std::optional<Scalar>& second) const {
    Reconstruction work = state_.work;
    BundleOptions problem = problem_;
    const auto hold = [&](const Scalar& scalar, double at) {
      const int index = scalar.index;
      if (!scalar.known.empty()) return;
      if (index < 0) {
        work.readout = std::clamp(at * scalar.unit, -1.0, 1.0), problem.free_readout = false;
        return;
      }
      if (index == 0 && !work.focal_px.empty()) {
        const double by = at / work.focal_px[work.focal_px.size() / 2];
        for (double& focal : work.focal_px) focal *= by;
        problem.free_focal = false;
      }
      for (LensTerms& terms : problem.lens_terms) terms.free[index] = false;
      for (Lens& lens : work.lenses) {
        LensParameters values = lens.parameters();
        values[index] = at;
        lens.setParameters(values);
      }
    };
    hold(first, point.value);
    if (second) hold(*second, point.second);
    for (const double firmly : kFirmly) {
      holdKnown(work.set, firmly, {{&first, point.value}, {second ? &*second : nullptr, point.second}});
      point.cost_px2 = adjustReconstruction(work, problem, progress_.silent()).cost_after;
      if (first.known.empty() && !(second && !second->known.empty())) break;
    }
    point.rms_px = measured(work).rms_px;
  }

  /// More and more firmly, the shapes being where they went so far.
  void holdKnown(SetBeliefs& set, double weight, std::initializer_list<std::pair<const Scalar*, double>> values) const {
    std::vector<SetShape> shapes = std::move(set.shapes);
    set = state_.work.set;
    set.shapes = std::move(shapes);
    for (const auto& [scalar, value] : values) {
      if (scalar && !scalar->known.empty()) holdScalar(from_.knowledge, scalar->known, value, weight * variance_, set);
    }
  }

  static constexpr std::array<double, 3> kFirmly = {1e2, 1e5, 1e8};  // of the noise's variance, for a radian or a length itself

  const Solution& from_;
  const SolveState state_;
  BundleOptions problem_;
  const Progress& progress_;
  const std::function<void(const SweepPoint&)>& on_point_;
  double variance_ = 1;
  std::mutex mutex_;
};

std::vector<double> evenly(double from, double to, int count) {
  std::vector<double> values;
  for (int i = 0; i < count; ++i) values.push_back(from + (to - from) * i / (count - 1));
  return values;
}

/// Indices of points that lie lower than their neighbours.
std::vector<std::size_t> lowest(const std::vector<SweepPoint>& points) {
  std::vector<std::size_t> low;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const bool left = i == 0 || points[i].cost_px2 < points[i - 1].cost_px2, right = i + 1 == points.size() || points[i].cost_px2 <= points[i + 1].cost_px2;
    if (left && right) low.push_back(i);
  }
  return low;
}

/// Values half way to the neighbours of each valley that matters.
std::vector<double> valuesBetween(const std::vector<SweepPoint>& points) {
  std::vector<double> values;
  for (const std::size_t i : lowest(points)) {
    if (points[i].chi_squared > 100) continue;
    for (const double t : {1.0 / 3, 2.0 / 3}) {
      if (i > 0) values.push_back(points[i - 1].value + t * (points[i].value - points[i - 1].value));
      if (i + 1 < points.size()) values.push_back(points[i].value + t * (points[i + 1].value - points[i].value));
    }
  }
  return values;
}

Status checkAxis(const Sweeper& sweeper, const SweepAxis& axis) {
  if (!sweeper.scalarOf(axis)) {
    const auto kind = kindOfScalar(axis.parameter);
    const char* why = kind == ScalarKind::Offset ? " Offsets are undetermined before a survey, or known places of the camera, say where the world's origin is."
                      : kind == ScalarKind::Tilt ? " Tilts are undetermined before something says what is up."
                                                 : "";
    return invalidInput(fmt::format("This solve has no scalar \"{}\".{} It can be {}.", axis.parameter, why, sweeper.offered()));
  }
  return Done{};
}

/// " px" for names that end in it.
std::string_view unitOf(std::string_view parameter) {
  return parameter.ends_with("_px") ? " px" : parameter.ends_with("_ms") ? " ms" : parameter.ends_with("_rad") ? " rad" : isKnownAngle(parameter) ? "°" : "";
}

/// Where a curve has risen by one on both sides of its lowest point; from a parabola through it and its neighbours.
double sigmaAt(const std::vector<SweepPoint>& points, std::size_t low, double* best) {
  const SweepPoint &a = points[low - 1], &b = points[low], &c = points[low + 1];
  const double x1 = a.value - b.value, x2 = c.value - b.value, y1 = a.chi_squared - b.chi_squared, y2 = c.chi_squared - b.chi_squared;
  const double curve = (y1 / x1 - y2 / x2) / (x1 - x2), slope = y1 / x1 - curve * x1;
  if (!(curve > 0)) return kUnknown;
  *best = b.value - slope / (2 * curve);
  return 1 / std::sqrt(curve);
}

std::string clearValley(const SweepResult& result, std::string_view parameter) {
  return fmt::format("Clear valley at {:.6g} ± {:.2g}{}.", result.best, result.sigma, unitOf(parameter));
}

}  // namespace

/// Whether what rises is not what the sightings pay, but other statements that speak against it.
static bool heldByOthers(const std::vector<SweepPoint>& points) {
  constexpr double kShare = 0.1;
  const auto low = std::min_element(points.begin(), points.end(), [](const SweepPoint& a, const SweepPoint& b) { return a.cost_px2 < b.cost_px2; });
  double rise = 0, of_sightings = 0;
  for (const SweepPoint& p : points) {
    rise += p.cost_px2 - low->cost_px2;
    of_sightings += low->cost_px2 * (std::pow(p.rms_px / low->rms_px, 2) - 1);
  }
  return of_sightings < kShare * rise;
}

/// Two axes have no sides: what an angle costs over 90 degrees is what it costs as far under them.
static SweepResult judgeAngle(std::vector<SweepPoint> points, std::string_view parameter) {
  std::vector<SweepPoint> both = points;
  for (auto p = points.rbegin(); p != points.rend(); ++p) {
    if (p->value == 90) continue;
    both.push_back(*p);
    both.back().value = 180 - p->value;
  }
  SweepResult result = judgeSweep(std::move(both), parameter);
  // Two valleys that are one seen from both sides, or the two ends that are one.
  if (result.verdict == SweepVerdict::Several || result.verdict == SweepVerdict::Beyond) result = judgeSweep(points, parameter);
  if (result.verdict == SweepVerdict::Clear && result.best > 90)
    result.best = 180 - result.best, result.valleys = {result.best}, result.sentence = clearValley(result, parameter);
  result.points = std::move(points);
  return result;
}

bool before(const SweepPoint& a, const SweepPoint& b) { return std::pair(a.value, a.second) < std::pair(b.value, b.second); }

SweepResult judgeSweep(std::vector<SweepPoint> points, std::string_view parameter) {
  SweepResult result;
  result.points = std::move(points);
  const auto& p = result.points;
  std::size_t best = 0;
  double top = 0;
  for (std::size_t i = 0; i < p.size(); ++i) {
    if (p[i].chi_squared < p[best].chi_squared) best = i;
    top = std::max(top, p[i].chi_squared);
  }
  result.best = p[best].value;
  // A valley counts when a rise that says something parts it from the lower ones beside it, and it is not much worse than the best.
  for (const std::size_t i : lowest(p)) {
    double barrier = std::numeric_limits<double>::infinity();
    for (std::size_t j = 0; j < p.size(); ++j) {
      if (p[j].chi_squared >= p[i].chi_squared || j == i) continue;
      double between = 0;
      for (std::size_t k = std::min(i, j); k <= std::max(i, j); ++k) between = std::max(between, p[k].chi_squared);
      barrier = std::min(barrier, between - p[i].chi_squared);
    }
    if (i == best || (barrier > kTells && p[i].chi_squared < 25)) result.valleys.push_back(p[i].value);
  }
  if (top < kTells) {
    result.verdict = SweepVerdict::Flat;
    result.sentence =
        fmt::format("Flat: this footage cannot tell {} between {:.6g} and {:.6g}{}.", parameter, p.front().value, p.back().value, unitOf(parameter));
  } else if (best == 0 || best + 1 == p.size()) {
    result.verdict = SweepVerdict::Beyond;
    result.sentence =
        fmt::format("The lowest point is at the end of the range, at {:.6g}{}: look further {}.", result.best, unitOf(parameter), best == 0 ? "down" : "up");
  } else if (result.valleys.size() > 1) {
    result.verdict = SweepVerdict::Several;
    std::string all;
    for (const double v : result.valleys) all += fmt::format("{}{:.6g}", all.empty() ? "" : ", ", v);
    result.sentence = fmt::format("Several valleys, at {}{}; the lowest is at {:.6g}.", all, unitOf(parameter), result.best);
  } else {
    result.verdict = SweepVerdict::Clear;
    result.sigma = sigmaAt(p, best, &result.best);
    result.valleys = {result.best};
    result.sentence = clearValley(result, parameter);
  }
  return result;
}

Status SweepOptions::check() const {
  for (const SweepAxis& axis : {first, second.value_or(first)}) {
    if (isKnownAngle(axis.parameter) && !(axis.from >= kLeastAngle_deg && axis.to <= 90))
      return invalidInput(fmt::format("An angle is swept between {:g} and 90 degrees, not from {:g} to {:g}.", kLeastAngle_deg, axis.from, axis.to));
    if (kindOfScalar(axis.parameter) == ScalarKind::Length && !(axis.from > 0))
      return invalidInput(fmt::format("A distance is more than 0; a sweep from {:g} to {:g} goes beyond.", axis.from, axis.to));
    const ValueRange range = rangeOfParameter(axis.parameter);
    if (!isKnownScalar(axis.parameter) && !(range.holds(axis.from) && range.holds(axis.to)))
      return invalidInput(
          fmt::format("{} can be {:g} to {:g}; a sweep from {:g} to {:g} goes beyond.", axis.parameter, range.least, range.most, axis.from, axis.to));
    if (!(axis.from < axis.to)) return invalidInput(fmt::format("The range of {} must rise, not go from {} to {}.", axis.parameter, axis.from, axis.to));
    if (axis.points < 3 || axis.points > 200) return invalidInput(fmt::format("A sweep takes 3 to 200 points, not {}.", axis.points));
  }
  return Done{};
}

Result<SweepResult> sweep(const TrackSet& tracks, const SolveOptions& options, const Solution& from, const SweepOptions& asked, const Progress& progress,
                          const std::function<void(const SweepPoint&)>& on_point) {
  if (const Status fine = asked.check(); !fine.ok()) return fine.error();
  Sweeper sweeper(tracks, options, from, progress, on_point);
  if (const Status fine = checkAxis(sweeper, asked.first); !fine.ok()) return fine.error();
  if (asked.second) {
    if (const Status fine = checkAxis(sweeper, *asked.second); !fine.ok()) return fine.error();
  }
  sweeper.measureNoise();
  const Sweeper::Scalar first = *sweeper.scalarOf(asked.first);
  const auto second = asked.second ? sweeper.scalarOf(*asked.second) : std::nullopt;
  std::vector<SweepPoint> points;
  for (const double value : evenly(asked.first.from, asked.first.to, asked.first.points)) {
    if (!asked.second) points.push_back({value});
    for (const double other : asked.second ? evenly(asked.second->from, asked.second->to, asked.second->points) : std::vector<double>{})
      points.push_back({value, other});
  }
  sweeper.run(points, first, second, 0, asked.second ? 1 : 0.5);
  sweeper.measureChiSquared(points);
  for (int round = 0; round < 3 && !asked.second && asked.refine && !progress.stopRequested(); ++round) {
    std::vector<SweepPoint> more;
    for (const double value : valuesBetween(points)) more.push_back({value});
    sweeper.run(more, first, second, 0.5 + round / 6.0, 0.5 + (round + 1) / 6.0);
    points.insert(points.end(), more.begin(), more.end());
    std::sort(points.begin(), points.end(), before);
    sweeper.measureChiSquared(points);
  }
  if (progress.stopRequested()) return cancelled();
  if (!asked.second) {
    const std::string& name = asked.first.parameter;
    const bool others = isKnownScalar(name) && heldByOthers(points);
    SweepResult result = isKnownAngle(name) && points.back().value == 90 ? judgeAngle(std::move(points), name) : judgeSweep(std::move(points), name);
    if (others && result.verdict == SweepVerdict::Clear) {
      result.verdict = SweepVerdict::Flat;
      result.sentence = fmt::format("The footage does not tell the {}: what else is known holds it at {:.6g}{}.", name, result.best, unitOf(name));
    }
    return result;
  }
  SweepResult grid;
  const auto low = std::min_element(points.begin(), points.end(), [](const SweepPoint& a, const SweepPoint& b) { return a.cost_px2 < b.cost_px2; });
  const bool tells = std::any_of(points.begin(), points.end(), [](const SweepPoint& p) { return p.chi_squared > kTells; });
  grid.best = low->value, grid.best_second = low->second;
  grid.verdict = tells ? SweepVerdict::Clear : SweepVerdict::Flat;
  grid.sentence = tells ? fmt::format("Lowest at {} {:.6g}, {} {:.6g}.", asked.first.parameter, grid.best, asked.second->parameter, grid.best_second)
                        : fmt::format("Flat: this footage cannot tell {} and {} there.", asked.first.parameter, asked.second->parameter);
  grid.points = std::move(points);
  return grid;
}

}  // namespace dusky
