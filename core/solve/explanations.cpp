#include "core/solve/explanations.h"

#include <cmath>
#include <limits>
#include <numeric>

#include "core/adjust/uncertainty.h"
#include "core/solve/arm.h"
#include "core/solve/description_length.h"
#include "core/solve/explanation_words.h"
#include "core/solve/flat_set.h"
#include "core/solve/flat_valleys.h"
#include "core/solve/frames_again.h"
#include "core/solve/other_valleys.h"
#include "core/solve/readout_search.h"
#include "core/solve/sort_out.h"
#include "core/solve/start.h"
#include "core/solve/track_share.h"

namespace dusky {
namespace {

constexpr double kClearlyLess = 6;  // of description length: a chance of one in some hundreds

/// One explanation on its way.
struct Candidate {
  SolveState state;
  DescriptionLength length;  ///< Where there are others to compare it with.
};

class Explorer {
 public:
  Explorer(const SolveTask& task, double noise_px) : task_(task), noise_px_(std::isnan(noise_px) ? 0.1 : std::max(noise_px, 0.02)) {}

  Result<SolveState> run() {
    SolveState base = startingState(task_.tracks, task_.options);
    auto starts = findStarts(base.work, task_.tracks, task_.options, noise_px_, task_.progress);
    if (!starts.ok()) return starts.error();
    for (SolveStart& start : *starts) candidates_.push_back({begun(base, std::move(start)), {}});
    task_.tell(candidates_.front().state);
    placeAll();
    if (task_.progress.stopRequested()) return cancelled();
    for (std::size_t i = 0; i < candidates_.size() && !task_.progress.stopRequested(); ++i) {
      SolveState& state = candidates_[i].state;
      if (state.work.readout != 0 || state.work.arm) {
        findLensAgain(state, task_, part(0.35, 0.85, i));
        continue;
      }
      findLens(state, task_);
      settle(state, task_, task_.options.max_rounds, part(0.7, 0.85, i));
    }
    for (Candidate& candidate : candidates_) goToTheEnd(candidate.state);
    if (task_.progress.stopRequested()) return cancelled();
    tryUsualLens();
    measure();
    for (Candidate& candidate : candidates_) tryFramesAgain(candidate);
    for (std::size_t i = 0, count = candidates_.size(); i < count; ++i) {
      tryShutter(candidates_[i]);
      tryZoom(i);
    }
    if (task_.progress.stopRequested()) return cancelled();
    measure();
    tryConstant();
    if (tryFlatValleys()) tryConstant();
    tryInsideOut();
    tryPivots();
    Candidate& best = *std::min_element(candidates_.begin(), candidates_.end(), shorter);
    tryFramesAgain(best);
    tryOtherFocals(best);
    tryLoosely(best);
    if (task_.progress.stopRequested()) return cancelled();
    return chosen();
  }

 private:
  SolveState begun(const SolveState& base, SolveStart start) const {
    SolveState state = base;
    state.work = std::move(start.work), state.nodal = start.nodal;
    state.freedom = firstFreedom(task_.options, state.work.lens().model);
    state.work.readout = task_.options.readout;
    return state;
  }

  Progress part(double from, double to, std::size_t i) const {
    const double each = (to - from) / static_cast<double>(candidates_.size()), k = static_cast<double>(i);
    return task_.progress.part(from + k * each, from + (k + 1) * each);
  }

  /// About a pivot the valley is long and flat: an explanation is compared with others from its end.
  void goToTheEnd(SolveState& state) const {
    if (!state.work.arm || task_.progress.stopRequested()) return;
    turnFinite(state.work);
    BundleOptions options = robustOptions(state, task_.options);
    options.max_steps = 80, options.settled = 1e-7, options.damping = 1e-6;
    adjustReconstruction(state.work, options, task_.progress.silent());
    sortOutNow(state);
  }

  /// Whether a lens that was taken for an anamorphic one, because nothing else fitted yet, squeezes by less than any lens does.
  bool hardlySqueezes(const SolveState& state) const {
    constexpr double kLeastSqueeze = 1.15;
    Lens lens = state.work.lens();
    return task_.options.lens == LensChoice::Auto && lens.model == LensModel::Anamorphic && std::abs(std::log(lens.squeeze())) < std::log(kLeastSqueeze);
  }

  /// Has a usual lens, from where the rest stands, in place of such a one.
  void tryUsualLens() {
    for (Candidate& candidate : candidates_) {
      if (!hardlySqueezes(candidate.state) || task_.progress.stopRequested()) continue;
      SolveState state = candidate.state;
      for (Lens& lens : state.work.lenses) lens = plainLens(task_.options, lens.width, lens.height, lens.focal_px, LensModel::Brown);
      state.freedom = firstFreedom(task_.options, LensModel::Brown);
      state.freedom[0] = state.freedom[0] && state.work.focal_px.empty();
      state.staircase.clear();
      for (int round = 0; round < 2; ++round) {
        adjustToTheEnd(state, task_);
        sortOutNow(state);
      }
      findLensAgain(state, task_, task_.progress.silent());
      candidate.state = std::move(state);
    }
  }

  /// All frames under every explanation; those that are far behind then are left.
  void placeAll() {
    for (std::size_t i = 0; i < candidates_.size() && !task_.progress.stopRequested(); ++i) {
      SolveState& state = candidates_[i].state;
      shareTracks(state);
      placeAllFrames(state, task_, part(0.2, 0.35, i));
      if (candidates_.size() > 1) settle(state, task_, 2, part(0.2, 0.35, i));
    }
    for (std::size_t i = 0, count = candidates_.size(); i < count && !task_.progress.stopRequested(); ++i) {
      if (candidates_[i].state.work.arm) candidates_.push_back({insideOut(candidates_[i].state, task_), {}});
    }
    if (candidates_.size() == 1 || task_.progress.stopRequested()) return;
    measure();
    // What a rolling shutter does must not speak against a motion.
    for (Candidate& candidate : candidates_) tryShutter(candidate);
    if (task_.progress.stopRequested()) return;
    measure();
    constexpr double kBehind = 1.25;
    // A zoom that was found elsewhere must not hide the one beside the best focal length.
    const bool constant_is_best = std::min_element(candidates_.begin(), candidates_.end(), shorter)->state.work.focal_px.empty();
    for (std::size_t i = 0, count = candidates_.size(); i < count && !constant_is_best; ++i) {
      const SolveState& state = candidates_[i].state;
      if (state.work.focal_px.empty() && !state.nodal && !state.work.arm) tryZoom(i);
    }
    if (!constant_is_best) measure();
    const double least = std::min_element(candidates_.begin(), candidates_.end(), shorter)->length.total();
    std::erase_if(candidates_, [&](const Candidate& c) { return c.length.total() > kBehind * least; });
  }

  static bool shorter(const Candidate& a, const Candidate& b) { return a.length.total() < b.length.total(); }

  /// The noise as it shows: of what explains most, no less than the floor.
  double sigma() const {
    double least = candidates_.front().state.spread_px;
    for (const Candidate& c : candidates_) least = std::min(least, c.state.spread_px);
    return std::max(noise_px_, least);
  }

  DescriptionLength lengthOf(const SolveState& state, double sigma_px) const {
    std::vector<int> all(state.work.poses.size());
    std::iota(all.begin(), all.end(), 0);
    return descriptionLength(state.work, state.nodal, all, sigma_px, correlated_);
  }

  void measure() {
    for (Candidate& c : candidates_) c.state.spread_px = errorSpread(c.state.work);
    measureCorrelation();
    if (candidates_.size() == 1) return;  // nothing to compare it with
    const double sigma_px = sigma();
    for (Candidate& c : candidates_) c.length = lengthOf(c.state, sigma_px);
  }

  /// Of what explains most; what is not explained goes together as well, and keeps a change to be certain.
  void measureCorrelation() {
    const auto best =
        std::min_element(candidates_.begin(), candidates_.end(), [](const Candidate& a, const Candidate& b) { return a.state.spread_px < b.state.spread_px; });
    constexpr double kLeast = 1.5;
    const double found = sightingsPerIndependentOne(makeBundle(best->state.work).bundle, robustOptions(best->state, task_.options));
    correlated_ = std::clamp(found, kLeast, kCorrelatedSightings);
  }

  /// Takes a changed state on for a round, and to the end when it is the shorter explanation then.
  std::optional<SolveState> tried(SolveState state, const SolveState& standing) const {
    const Progress silent = task_.progress.silent();
    const double sigma_px = sigma(), enough = lengthOf(standing, sigma_px).total() - kClearlyLess;
    for (const int rounds : {1, 3}) {
      settle(state, task_, rounds, silent);
      if (state.readout_free && !standing.readout_free && !isLikelyReadout(state.work.readout)) return std::nullopt;
      if (task_.progress.stopRequested() || lengthOf(state, sigma_px).total() > enough) return std::nullopt;
    }
    return state;
  }

  /// Whether a changed state gains more than its unknowns cost, as a score test on a share of the frames and tracks tells it.
  bool promises(SolveState changed, SolveState standing, double unknowns_a_frame, double unknowns) const {
    constexpr int kTracksInFrame = 60, kFrames = 100, kFramesOfZoom = 160;
    const double all = measured(standing.work).used;
    // A zoom shows from afar; under a rolling shutter a frame needs its neighbours.
    const bool rolls = changed.readout_free;
    for (SolveState* state : {&standing, &changed}) *state = sampleOf(std::move(*state), rolls ? kFrames : kFramesOfZoom, kTracksInFrame, rolls);
    const double price = kClearlyLess + unknowns + unknowns_a_frame * standing.work.placedFrames();
    const double share = measured(standing.work).used / std::max(1.0, all);
    const BundleOptions options = robustOptions(standing, task_.options);
    const double gain =
        expectedGain(makeBundle(changed.work).bundle, robustOptions(changed, task_.options)) - expectedGain(makeBundle(standing.work).bundle, options);
    return gain / share > price * correlated_ * noise_px_ * noise_px_;
  }

  /// A camera that is held to its pivot explains nearly what a free one does, and clearly more than one on its nodal point.
  void dropBentArcs() {
    constexpr double kShows = 0.8, kNearly = 1.1, kFloor = 0.9;
    double free_px = std::numeric_limits<double>::infinity(), nodal_px = free_px;
    for (const Candidate& c : candidates_) {
      if (c.state.nodal) nodal_px = std::min(nodal_px, c.state.spread_px);
      if (!c.state.nodal && !c.state.work.arm) free_px = std::min(free_px, c.state.spread_px);
    }
    const auto unexplained = [&](double px) { return std::sqrt(std::max(0.0, px * px - kFloor * noise_px_ * noise_px_)); };
    std::erase_if(candidates_, [&](const Candidate& c) {
      if (!c.state.work.arm) return false;
      const double px = c.state.spread_px;
      return px > kNearly * free_px || !(px < kShows * nodal_px || unexplained(px) < kShows * unexplained(nodal_px));
    });
  }

  void tryShutter(Candidate& candidate) const {
    if (!task_.options.auto_readout || task_.options.free_readout || task_.options.readout != 0 || candidate.state.readout_free) return;
    SolveState state = candidate.state;
    freeReadout(state);
    if (!promises(state, candidate.state, 0, 1)) return;
    auto rolling = tried(std::move(state), candidate.state);
    if (!rolling) return;
    // What the shutter did was no lens.
    findLensAgain(*rolling, task_, task_.progress.silent());
    candidate.state = std::move(*rolling);
  }

  /// Frames that are hardly explained, placed anew: one that went astray bends lens and set about it.
  void tryFramesAgain(Candidate& candidate) const {
    for (const FramesAgain which : {FramesAgain::HardlyExplained, FramesAgain::AndBeyond}) {
      if (task_.progress.stopRequested()) return;
      if (auto again = withFramesAgain(candidate.state, task_, which)) takeIfShorter(candidate, std::move(*again));
    }
  }

  /// A zoom through longer and shorter focal lengths: with one for each frame the valleys are deep, and what began in one stays there.
  void tryOtherFocals(Candidate& candidate) const {
    if (candidate.state.work.focal_px.empty() || candidate.state.nodal || candidate.state.work.arm) return;
    constexpr double kTimes = 1.33;
    for (const double times : {kTimes, 1 / kTimes}) {
      while (!task_.progress.stopRequested() && takeIfShorter(candidate, throughOtherFocal(candidate.state, times, task_))) {
      }
    }
  }

  /// With all sightings let in that lie near: some that were left out on the way may be what leads on along a long valley.
  void tryLoosely(Candidate& candidate) const {
    if (task_.progress.stopRequested()) return;
    constexpr double kFew = 0.002;  // of all sightings: so few lead nowhere
    SolveState state = candidate.state;
    for (int round = 0; round < 3; ++round) {
      const double used = measured(state.work).used;
      sortOutRoughly(state);
      const bool few = std::abs(measured(state.work).used - used) < kFew * used;
      if (few && round == 0) return;
      if (few) break;
      adjustToTheEnd(state, task_);
    }
    settle(state, task_, 3, task_.progress.silent());
    takeIfShorter(candidate, std::move(state));
  }

  /// Carries a state that began at a candidate's on in its place, with the lens found anew, where it explains more. Whether it does.
  bool takeIfShorter(Candidate& candidate, SolveState state) const {
    const double sigma_px = sigma();
    const double enough = lengthOf(candidate.state, sigma_px).total() - kClearlyLess;
    if (!(lengthOf(state, sigma_px).total() < enough)) return false;
    findLensAgain(state, task_, task_.progress.silent());
    // What was gained by a lens that is not kept was no gain, and would seem one again at every try.
    const DescriptionLength length = lengthOf(state, sigma_px);
    if (!(length.total() < enough)) return false;
    candidate = {std::move(state), length};
    candidate.state.spread_px = errorSpread(candidate.state.work);
    return true;
  }

  /// A zoom beside an explanation with one focal length.
  void tryZoom(std::size_t i) {
    const Candidate& constant = candidates_[i];
    if (!zoomIsOpen(task_.options) || !constant.state.work.focal_px.empty()) return;
    SolveState state = constant.state;
    freeZoom(state);
    if (!promises(state, constant.state, kFocalsOfZoom, 0)) {
      if (!(flatness(state.work) < kFlatSet)) return;
      // Before a flat set the way to the zoom is long and bent, and no score test sees its end.
      tieZoom(state);
      adjustToTheEnd(state, task_);
    }
    auto zoom = tried(std::move(state), constant.state);
    if (!zoom) return;
    Candidate zooming{std::move(*zoom), {}};
    tryShutter(zooming);
    candidates_.push_back(std::move(zooming));
  }

  /// What a state costs at its least over the sightings that it uses, px^2.
  double leastCost(SolveState& state) const { return adjustToTheEnd(state, task_, 60, 1e-6); }

  /// Whether a zoom gains less than its focal lengths cost, over the sightings that it and one focal length both explain: what slides or wanders may look like
  /// a zoom. Source: Akaike, IEEE Transactions on Automatic Control 19(6), 1974.
  bool isIdle(double gain, const SolveState& zoom) const {
    const double sigma_px = sigma();
    return gain < correlated_ * sigma_px * sigma_px * (kClearlyLess + 2 * kFocalsOfZoom * zoom.work.placedFrames());
  }
  bool isIdleZoom(SolveState zoom, SolveState constant) const {
    if (zoom.work.focal_px.empty()) return false;
    useCommon(zoom.work, constant.work);
    return isIdle(leastCost(constant) - leastCost(zoom), zoom);
  }

  /// One focal length from where a zoom has brought the rest: where a constant one was stuck, a zoom finds its way, and may do so without need. Over the
  /// sightings that both explain, for what slides or wanders may look like a zoom. Source: Akaike, IEEE Transactions on Automatic Control 19(6), 1974.
  void tryConstant() {
    const auto best = std::min_element(candidates_.begin(), candidates_.end(), shorter);
    if (!zoomIsOpen(task_.options) || best->state.work.focal_px.empty()) return;
    const Progress silent = task_.progress.silent();
    SolveState zooming = best->state, constant = best->state;
    holdZoom(constant);
    const double least = leastCost(zooming), sigma_px = sigma();
    const bool idle = isIdle(leastCost(constant) - least, zooming);
    settle(constant, task_, 3, silent);
    if (task_.progress.stopRequested()) return;
    if (!idle && lengthOf(constant, sigma_px).total() > lengthOf(best->state, sigma_px).total()) return;
    findLensAgain(constant, task_, silent);
    if (idle) {
      std::erase_if(candidates_, [&](const Candidate& c) {
        return !c.state.work.focal_px.empty() && c.state.nodal == constant.nodal && c.state.work.arm.has_value() == constant.work.arm.has_value();
      });
    }
    candidates_.push_back({std::move(constant), {}});
    measure();
  }

  /// Before a flat set: what else would look nearly alike, in rounds, as one valley leads on to the next. Whether there is more to compare now.
  bool tryFlatValleys() {
    constexpr int kRounds = 4;
    const std::size_t before = candidates_.size();
    for (int round = 0; round < kRounds && flatValleysFindMore(); ++round) {
    }
    return candidates_.size() > before;
  }

  bool flatValleysFindMore() {
    const SolveState standing = std::min_element(candidates_.begin(), candidates_.end(), shorter)->state;
    if (standing.nodal || standing.work.arm || !flatPlane(standing.work)) return false;
    const double sigma_px = sigma(), least = lengthOf(standing, sigma_px).total();
    using Valley = std::optional<SolveState> (*)(const SolveState&, const SolveTask&);
    std::vector<Valley> valleys{normalForPath};
    if (zoomIsOpen(task_.options)) valleys.insert(valleys.end(), {zoomForDolly, dollyForZoom});
    bool more = false;
    for (const Valley valley : valleys) {
      auto other = valley(standing, task_);
      if (!other || task_.progress.stopRequested()) continue;
      settle(*other, task_, 3, task_.progress.silent());
      const double length = lengthOf(*other, sigma_px).total();
      if (length > least + kClearlyLess || (standing.work.focal_px.empty() && isIdleZoom(*other, standing))) continue;
      if (length < least) findLensAgain(*other, task_, task_.progress.silent());
      more = more || length < least - kClearlyLess;
      candidates_.push_back({std::move(*other), {}});
    }
    measure();
    return more && !task_.progress.stopRequested();
  }

  /// A free path with small parallax beside its reversal.
  void tryInsideOut() {
    constexpr double kSmall = 0.15;
    const auto best = std::min_element(candidates_.begin(), candidates_.end(), shorter);
    if (best->state.nodal || best->state.work.arm || task_.options.known_lens || pathOverDistance(best->state.work) > kSmall) return;
    SolveState other = insideOut(best->state, task_);
    const double sigma_px = sigma();
    if (lengthOf(other, sigma_px).total() > lengthOf(best->state, sigma_px).total()) return;
    // What bent the one to the tracks was no lens.
    findLensAgain(other, task_, task_.progress.silent());
    candidates_.push_back({std::move(other), {}});
    measure();
  }

  /// What stands nearly in one place, begun again from a pivot before and behind it: a valley of its own, that growing from near keyframes may miss.
  void tryPivots() {
    constexpr int kRounds = 5;
    for (int round = 0; round < kRounds && pivotsFindMore(); ++round) {
    }
  }

  bool pivotsFindMore() {
    constexpr double kSmall = 0.1, kNearlyAsShort = 1.05;
    const SolveState standing = std::min_element(candidates_.begin(), candidates_.end(), shorter)->state;
    if (!pivotIsOpen(task_.options, standing.work.lens().model) || standing.work.arm) return false;
    if (!standing.nodal && pathOverDistance(standing.work) > kSmall) return false;
    bool more = false;
    const double sigma_px = sigma(), least = lengthOf(standing, sigma_px).total();
    const auto add = [&](SolveState state, double most) {
      const double length = lengthOf(state, sigma_px).total();
      if (length > most || task_.progress.stopRequested()) return;
      // What bent the one to the tracks was no lens.
      if (length < least) findLensAgain(state, task_, task_.progress.silent());
      more = more || length < least - kClearlyLess;
      candidates_.push_back({std::move(state), {}});
    };
    for (const double side : {1.0, -1.0}) {
      SolveState arc = fromPivot(standing, side, task_);
      if (!standing.nodal) add(leavingPivot(arc, task_), kNearlyAsShort * least);
      add(std::move(arc), least - kClearlyLess);
    }
    measure();
    return more && !task_.progress.stopRequested();
  }

  Result<SolveState> chosen() {
    dropBentArcs();
    std::stable_sort(candidates_.begin(), candidates_.end(), shorter);
    SolveState& best = candidates_.front().state;
    std::vector<const SolveState*> ranked;
    for (const Candidate& c : candidates_) ranked.push_back(&c.state);
    best.motion_why = whyThisOne(ranked, task_.options);
    findRival(best);
    return std::move(best);
  }

  /// Of the others the one that comes nearest, by its length or by its errors, among those under which an insert would slip more than it may: what shows the
  /// same is no other explanation.
  void findRival(SolveState& best) const {
    const DescriptionLength& least = candidates_.front().length;
    double nearest = std::numeric_limits<double>::infinity();
    for (std::size_t i = 1; i < candidates_.size(); ++i) {
      const Candidate& other = candidates_[i];
      // The other side of a pivot always looks nearly as good: what counts is the difference, not the share.
      if (best.work.arm && other.state.work.arm && other.length.total() - least.total() > 2 * kClearlyLess) continue;
      const double behind = other.length.total() / least.total() - 1, slip_px = slipBetween(other.state.work, best.work);
      if (slip_px < slipTolerance(noise_px_) || behind >= nearest) continue;
      const double unknowns = other.length.count - least.count;
      const double gain = (least.errors - other.length.errors - unknowns) / std::sqrt(std::max(1.0, 2 * std::abs(unknowns)));
      nearest = behind, best.rival = {kindOf(other.state), behind, gain, unknowns, slip_px, other.state.nodal || other.state.work.arm.has_value()};
    }
  }

  const SolveTask& task_;
  const double noise_px_;
  double correlated_ = kCorrelatedSightings;  ///< Sightings of a track that count as one.
  std::vector<Candidate> candidates_;
};

}  // namespace

Result<SolveState> findExplanation(const SolveTask& task, double noise_px) { return Explorer(task, noise_px).run(); }

}  // namespace dusky
