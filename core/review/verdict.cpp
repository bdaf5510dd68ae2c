#include "core/review/verdict.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "core/base/numbers.h"
#include "core/review/frame_figures.h"
#include "core/solve/flat_set.h"

namespace dusky {
namespace {

constexpr double kWrongKnowledge_sigmas = 6;
constexpr double kStandsOut = 1.6;  // times the median frame's error
constexpr double kMatters = 0.25;   // of what an insert may slip: less of an error hurts nothing
constexpr std::size_t kMostTracks = 12;

/// "Frame 7 has", "Frames 7–9 have".
std::string framesAnd(const FrameRange& frames, std::string_view one, std::string_view many) {
  const auto [first, last] = frames;
  return first == last ? fmt::format("Frame {} {}", first, one) : fmt::format("Frames {}–{} {}", first, last, many);
}

/// The longest run of frames for which `holds`; of two as long the first.
template <class Holds>
std::optional<FrameRange> longestRun(const Solution& solution, const Holds& holds) {
  std::optional<FrameRange> longest, run;
  for (const SolvedFrame& frame : solution.frames) {
    if (!holds(frame)) {
      run.reset();
      continue;
    }
    run = {run ? run->first : frame.frame, frame.frame};
    if (!longest || run->last - run->first > longest->last - longest->first) longest = run;
  }
  return longest;
}

/// Kept tracks with the largest squared error within the frames, worst first.
std::vector<int> worstTracks(const Solution& solution, int first, int last) {
  std::vector<std::pair<double, int>> sums;
  for (const SolvedTrack& track : solution.tracks) {
    if (track.state != TrackState::Kept) continue;
    double sum = 0;
    for (const TrackError& e : track.errors) {
      if (e.frame >= first && e.frame <= last && e.used) sum += e.error_px * e.error_px;
    }
    if (sum > 0) sums.emplace_back(-sum, track.id);
  }
  std::sort(sums.begin(), sums.end());
  std::vector<int> ids;
  for (std::size_t i = 0; i < std::min(sums.size(), kMostTracks); ++i) ids.push_back(sums[i].second);
  return ids;
}

double medianFrameError(const Solution& solution) {
  std::vector<double> errors;
  for (const SolvedFrame& frame : solution.frames) {
    if (frame.placed && !std::isnan(frame.rms_px)) errors.push_back(frame.rms_px);
  }
  return median(std::move(errors));
}

double shareOfError(const Solution& solution, int first, int last) {
  double inside = 0, all = 0;
  for (const SolvedFrame& frame : solution.frames) {
    if (!frame.placed || frame.tracks == 0) continue;
    const double squares = frame.tracks * frame.rms_px * frame.rms_px;
    all += squares;
    if (frame.frame >= first && frame.frame <= last) inside += squares;
  }
  return all > 0 ? inside / all : 0;
}

/// Frames that lose far more of their sightings than is usual in the shot, and what is usual. What wanders takes its share of all frames alike.
struct Unexplained {
  FrameRange frames;
  double share = 0, usual = 0;
};

/// Of each frame, in the solution's order; unknown where there are few.
std::vector<double> explainedShares(const Solution& solution) {
  constexpr int kFewest = 12;
  std::vector<double> shares;
  for (const SightingsOfSet& here : sightingsOfSet(solution)) shares.push_back(here.all < kFewest ? kUnknown : static_cast<double>(here.used) / here.all);
  return shares;
}

std::optional<Unexplained> hardlyExplained(const Solution& solution) {
  constexpr double kHardly = 0.65;  // of the usual share
  const std::vector<double> shares = explainedShares(solution);
  std::vector<double> told = shares;
  std::erase_if(told, [](double share) { return std::isnan(share); });
  if (told.empty()) return std::nullopt;
  const double usual = median(std::move(told));
  const auto indexOf = [&](const SolvedFrame& frame) { return static_cast<std::size_t>(&frame - solution.frames.data()); };
  const auto run = longestRun(solution, [&](const SolvedFrame& frame) { return frame.placed && shares[indexOf(frame)] < kHardly * usual; });
  if (!run || run->first == run->last) return std::nullopt;
  const std::size_t first = indexOf(*solution.frameAt(run->first)), last = indexOf(*solution.frameAt(run->last));
  const double sum = std::accumulate(shares.begin() + static_cast<std::ptrdiff_t>(first), shares.begin() + static_cast<std::ptrdiff_t>(last) + 1, 0.0);
  return Unexplained{*run, sum / static_cast<double>(last - first + 1), usual};
}

Verdict whatHurts(const Solution& solution) {
  Verdict verdict;
  for (const SolvedFrame& frame : solution.frames) {
    if (!frame.placed || (verdict.thinnest_frame && frame.tracks >= verdict.thinnest_tracks)) continue;
    verdict.thinnest_tracks = frame.tracks;
    verdict.thinnest_frame = frame.frame;
  }
  const auto about = [&](const FrameRange& frames, std::string sentence, bool weak = true) {
    verdict.hurt_frames = frames;
    verdict.hurt_tracks = worstTracks(solution, frames.first, frames.last);
    verdict.hurt = std::move(sentence);
    verdict.weak = weak;
    return verdict;
  };
  const auto onFewerThan = [&](int tracks) { return longestRun(solution, [=](const SolvedFrame& f) { return f.placed && f.tracks < tracks; }); };
  const auto hangs = [](const FrameRange& frames, int tracks) {
    return fmt::format("{} on fewer than {} tracks.", framesAnd(frames, "hangs", "hang"), tracks);
  };
  const auto missing = longestRun(solution, [](const SolvedFrame& f) { return !f.placed; });
  if (missing) return about(*missing, framesAnd(*missing, "has", "have") + " no camera: too few tracks there.");
  if (solution.holdout_rms_px > 1.3 * solution.rms_px) {
    return about({solution.frames.front().frame, solution.frames.back().frame},
                 fmt::format("Holdout is {:.1f} × the RMS: the solve fits its own tracks better than the set.", solution.holdout_rms_px / solution.rms_px));
  }
  if (const auto too_thin = onFewerThan(kTooFewTracks)) return about(*too_thin, hangs(*too_thin, kTooFewTracks));
  if (const auto lost = hardlyExplained(solution)) {
    return about(lost->frames, fmt::format("{} only {:.0f} % of their sightings explained, where {:.0f} % is usual: the camera may stand elsewhere there.",
                                           framesAnd(lost->frames, "has", "have"), 100 * lost->share, 100 * lost->usual));
  }
  const double loud_px = std::max(kStandsOut * medianFrameError(solution), kMatters * slipTolerance(solution.evidence.noise_floor_px));
  const auto loud = longestRun(solution, [&](const SolvedFrame& f) { return f.placed && f.rms_px > loud_px; });
  if (loud) {
    return about(*loud, fmt::format("{} {:.0f} % of the error.", framesAnd(*loud, "carries", "carry"), 100 * shareOfError(solution, loud->first, loud->last)));
  }
  if (const auto thin = onFewerThan(kThinTracks)) return about(*thin, hangs(*thin, kThinTracks), false);
  verdict.hurt = "Nothing stands out.";
  verdict.fine = true;
  return verdict;
}

// Calibrated by bench/trust_study, never by hand on single shots.
constexpr double kCheckOver = 1.5, kRejectOver = 4;                      // error over the noise floor
constexpr double kCheckOverTime = 1.15;                                  // the same with what the tracks drift: no camera that is right is much above that
constexpr double kCheckShare = 0.55, kRejectShare = 0.25;                // of the sightings explained
constexpr double kCheckSlip = 0.6;                                       // an insert's likely slip over what it may slip
constexpr double kCheckPictures = 0.5, kCheckPicture = 1;                // of what an insert may slip: half of the keyframes' pictures, or one's
constexpr double kCheckBeyond = 0.03;                                    // of the kept tracks that lie beyond infinity
constexpr std::array<double, 4> kPatternShows = {0.05, 0.05, 0.2, 0.2};  // of the noise, by kind: lens, shutter, zoom, path
constexpr double kCheckLink = 0.15;                                      // standard deviation of one part's scale beside the other's
constexpr double kSmallPath = 0.005;                                     // the cameras' reach beside the distance of the set
constexpr double kLongPath = 0.1;                                        // the same: one that rotates is out of the question
constexpr double kNearlyStays = 0.12;                                    // of the description length by which a camera that stays in its place is behind
constexpr double kCheckFreed = 0.6;                                      // an insert's slip when a flat set's focal length is freed, over what it may slip
constexpr double kCheckMover = 0.6;                                      // of the kept tracks about it: which of the two is the set?
constexpr double kCheckRival = 5;  // standard deviations by which another explanation must fit worse, or a richer one better

constexpr double kFineEnough_px = 0.05;  // nobody asks for less

/// RMS of one coordinate, in so much noise. Unknown where the noise is.
double errorOver(const Solution& solution, double noise_px) {
  return solution.rms_px / std::sqrt(2.0) / (noise_px < kFineEnough_px ? kFineEnough_px : noise_px);
}
double errorOverFloor(const Solution& solution) { return errorOver(solution, solution.evidence.noise_floor_px); }

std::string slipText(double px) { return px < 100 ? fmt::format("{:.1f} px", px) : std::string("over 100 px"); }

/// What leaves most room for an insert to slip.
std::string_view whatLetsSlip(const Solution& solution) {
  const Evidence& e = solution.evidence;
  if (solution.motion == MotionKind::Nodal) return "lens";
  if (e.focal_slip_px > 0.5 * e.likelySlip_px()) return "focal length";
  return e.slip_sigma_px < 0.5 * e.likelySlip_px() ? "unstable" : "few tracks";
}

std::string whySlips(const Solution& solution) {
  const Evidence& e = solution.evidence;
  const std::string_view what = whatLetsSlip(solution);
  const std::string slips = fmt::format("An insert may slip by {}: ", slipText(e.likelySlip_px()));
  if (what == "lens" && solution.knowledge.world())
    return slips + "that is how well the survey tells the lens. More points, out to the edges of the picture, tell more; so does the focal length.";
  if (what == "lens") return slips + "the camera rotates too little to tell its lens. Give the focal length, or a lens file.";
  if (what == "focal length")
    return slips + fmt::format("the focal length is known to ±{:.1f} % only, for the move hardly tells it from distance. Give it, or its neighbourhood.",
                               100 * e.focal_sigma_share);
  if (what == "unstable")
    return slips + "each half of the tracks, solved alone, gives another camera. Look for tracks on what moves or slides, and set them aside.";
  return slips + "that is how well these tracks tell the camera. More tracks or a longer range tell more, and so does what you know of the lens.";
}

std::string whyTrusted(const Solution& solution) {
  const Evidence& e = solution.evidence;
  if (std::isnan(e.noise_floor_px)) return "Nothing speaks against this camera.";
  const std::string fits = fmt::format("the error is {:.1f} × the noise of the tracks, and {:.0f} % of the sightings are explained.", errorOverFloor(solution),
                                       100 * e.explained_share);
  return std::isnan(e.likelySlip_px()) ? "T" + fits.substr(1) : fmt::format("An insert is likely to slip by {:.2f} px; {}", e.likelySlip_px(), fits);
}

Cause causeOf(const ResidualPattern& pattern) {
  static constexpr std::array<std::string_view, 4> kNames = {"lens pattern", "shutter pattern", "zoom pattern", "path pattern"};
  static constexpr std::array<std::string_view, 4> kSentences = {
      "the lens bends otherwise than was solved. Leave more of it free, or choose another lens model.",
      "they go with row and speed: the shutter rolls otherwise than was solved. Give its readout time, or have it found.",
      "the set is drawn larger or smaller than the solve has it: the focal length changes. Solve it as a zoom.",
      "the camera went beside the path that it is held to. Leave its motion free."};
  const auto kind = static_cast<std::size_t>(pattern.kind);
  return {std::string(kNames[kind]), std::nullopt, fmt::format("{:.2f} px of the errors follow a pattern: {}", pattern.amplitude_px, kSentences[kind]),
          pattern.sigmas / kClearPattern_sigmas};
}

void findPatterns(const Evidence& evidence, Verdict& verdict) {
  const double noise_px = std::fmax(evidence.noise_floor_px, kFineEnough_px);
  for (const ResidualPattern& pattern : evidence.patterns) {
    const double shows_px = kPatternShows[static_cast<std::size_t>(pattern.kind)] * noise_px;
    if (pattern.sigmas > kClearPattern_sigmas && pattern.amplitude_px > shows_px) verdict.causes.push_back(causeOf(pattern));
  }
}

/// What is said of the set and costs the sightings more than what is true would.
void findWrongKnowledge(const SolvedKnowledge& known, Verdict& verdict) {
  static constexpr double kMost = 50;
  const auto add = [&verdict](double sigmas, std::string sentence) {
    verdict.causes.push_back({"knowledge", std::nullopt, std::move(sentence), std::min(kMost, sigmas / kWrongKnowledge_sigmas)});
  };
  for (const SolvedStatement& s : known.statements) {
    if (!(s.cost_sigmas > kWrongKnowledge_sigmas)) continue;
    if (s.kind == StatementKind::Angle) {
      add(s.cost_sigmas,
          fmt::format("\"{}\" and \"{}\" do not stand as is said: the footage speaks against their angle by {:.0f} standard deviations. Without it they stand "
                      "at {:.1f}°.",
                      s.a, s.b, s.cost_sigmas, s.without * 180 / M_PI));
    } else if (s.kind == StatementKind::Survey) {
      add(s.cost_sigmas,
          fmt::format("Survey point \"{}\" stands {:.3g} off where it was measured, {:.0f} standard deviations.", s.name, s.found, s.cost_sigmas));
    } else {
      add(s.cost_sigmas, fmt::format("The footage speaks against \"{}\" by {:.0f} standard deviations.", s.name, s.cost_sigmas));
    }
  }
  for (const SolvedStatement& s : known.statements) {
    if (s.kind == StatementKind::Survey && s.undetermined.starts_with("set aside"))
      add(2 * kWrongKnowledge_sigmas, fmt::format("Survey point \"{}\" is {}.", s.name, s.undetermined));
  }
  if (!(known.cost_sigmas > kWrongKnowledge_sigmas)) return;
  const auto worst = std::max_element(known.sets.begin(), known.sets.end(), [](const auto& a, const auto& b) { return a.disagree.size() < b.disagree.size(); });
  add(known.cost_sigmas,
      fmt::format(
          "What is said of the set does not agree with the footage, by {:.0f} standard deviations{}. Let go of those, loosen it, or switch it off.",
          known.cost_sigmas,
          worst == known.sets.end() || worst->disagree.empty() ? "" : fmt::format(": {} tracks do not lie on \"{}\"", worst->disagree.size(), worst->name)));
}

/// What the pictures of keyframes say against the camera, whatever its tracks say.
void findPictures(const Solution& solution, std::span<const PictureOffset> pictures, Verdict& verdict) {
  std::vector<double> offsets;
  for (const PictureOffset& p : pictures) {
    if (!std::isnan(p.off_px)) offsets.push_back(p.off_px);
  }
  verdict.pictures_off_px = median(std::move(offsets));
  const double may_slip = slipTolerance(solution.evidence.noise_floor_px);
  if (const double off = verdict.pictures_off_px / may_slip; off > kCheckPictures) {
    verdict.causes.push_back(
        {"pictures", std::nullopt,
         fmt::format("In half of the keyframes the pictures of others lie {:.1f} px or more from where the camera has them: it is less exact than "
                     "its tracks say. Look at lens model and shutter, and mask what moves.",
                     verdict.pictures_off_px),
         off / kCheckPictures});
    return;
  }
  for (auto p = pictures.begin(); p != pictures.end();) {
    if (!(p->off_px > kCheckPicture * may_slip)) {
      ++p;
      continue;
    }
    const FrameRange frames{p->frame, p->frame};
    Cause cause{"pictures", frames, {}, 0};
    double most = 0;
    for (; p != pictures.end() && p->off_px > kCheckPicture * may_slip; ++p) most = std::max(most, p->off_px), cause.frames->last = p->frame;
    cause.sentence =
        framesAnd(*cause.frames, "sees", "see") +
        fmt::format(" what other keyframes show {:.1f} px from where the camera has it: it is off there, or something moves that is not masked.", most);
    cause.significance = most / (kCheckPicture * may_slip);
    verdict.causes.push_back(std::move(cause));
  }
}

/// Whether a camera that stays in its place, or beside it, describes the tracks nearly as shortly as one that moves, by little.
bool nearlyStays(const Solution& solution) {
  const Evidence& evidence = solution.evidence;
  return solution.motion != MotionKind::Nodal && evidence.rival.stays && evidence.rival.share < kNearlyStays && !(evidence.path_share > kLongPath);
}

void findCauses(const Solution& solution, Verdict& verdict) {
  const Evidence& evidence = solution.evidence;
  const auto add = [&](std::string_view what, double significance, std::string sentence, std::optional<FrameRange> frames = {}) {
    verdict.causes.push_back({std::string(what), frames, std::move(sentence), significance});
  };
  const double over = errorOverFloor(solution), over_time = errorOver(solution, evidence.noise_over_time_px);
  if (const double share = std::fmax(over / kCheckOver, over_time / kCheckOverTime); share > 1) {
    add("unexplained error", share,
        fmt::format(
            "The error is {:.1f} × the noise that the tracks show by themselves: something is not explained. A zoom, a rolling shutter or a lens of another "
            "kind would look like this; say what is known of the camera.",
            std::fmax(over, over_time)));
  }
  if (evidence.explained_share < kCheckShare) {
    add("few tracks explained", kCheckShare / std::max(0.01, evidence.explained_share),
        fmt::format("Only {:.0f} % of the sightings are explained. If the set is still, this is not its camera; else mask what moves.",
                    100 * evidence.explained_share));
  }
  const double likely = evidence.likelySlip_px();
  if (const double off = likely / slipTolerance(evidence.noise_floor_px); off > kCheckSlip) add(whatLetsSlip(solution), off / kCheckSlip, whySlips(solution));
  // Measured: the depths of what is far and the focal length make up for one another there, in a way that no curvature at the solution shows.
  if (solution.motion == MotionKind::Arc || evidence.path_share < kSmallPath || nearlyStays(solution)) {
    add("small parallax", 1.5,
        "The camera hardly leaves its place, as on a tripod beside its nodal point: so little parallax hardly tells the focal length from how far the set is. "
        "Give the focal length, or its neighbourhood, and leave the motion to the tracks.");
  }
  if (evidence.focal_assumed)
    add("focal length not told", 20,
        "The camera neither moves nor turns: one picture does not tell its focal length, nor where it stands. Give the focal length; six surveyed points or "
        "more "
        "tell both.");
  if (const double share = evidence.beyond_infinity_share; share > kCheckBeyond)
    add("beyond infinity", share / kCheckBeyond,
        fmt::format(
            "{:.0f} % of the tracks lie beyond infinity, where nothing is: depths or focal length are bent. Give the focal length, or what you know of the "
            "lens.",
            100 * share));
  findPatterns(evidence, verdict);
  findWrongKnowledge(solution.knowledge, verdict);
  if (evidence.scale_sigma_share > kCheckLink)
    add("scale break", std::min(evidence.scale_sigma_share / kCheckLink, 10.0),
        fmt::format("About frame {} hardly any track says how large what comes before is beside what comes after: the camera stands, or too little parallax is "
                    "seen across. Add tracks that live through it, or solve the parts apart.",
                    evidence.scale_frame),
        FrameRange{evidence.scale_frame, evidence.scale_frame});
  // Measured: one such set in a dozen was solved wrongly to the noise, under covariances that held it firmly.
  const double freed = evidence.freed_slip_px / slipTolerance(evidence.noise_floor_px);
  if (evidence.flatness < kFlatSet && !(freed < kCheckFreed))
    add("flat set", 1.3,
        "The set is flat: before it a zoom, a dolly and its slant make up for one another. Give the focal length, or its neighbourhood, or track something "
        "that stands out of it.");
  for (const Mover& mover : solution.movers) {
    if (mover.kept_share > kCheckMover)
      add("another motion", mover.kept_share / kCheckMover,
          fmt::format("{} tracks move together on their own, beside the {:.0f} that are kept there: look which of the two is the set.", mover.tracks.size(),
                      static_cast<double>(mover.tracks.size()) / mover.kept_share),
          FrameRange{mover.first, mover.last});
  }
  const Rival& rival = evidence.rival;
  if (const double least = rival.unknowns > 0 ? kCheckRival : -kCheckRival; rival.gain > least) {
    add("another explanation", 1 + (rival.gain - least) / 100,
        fmt::format("Another explanation fits the tracks as well: {}. If that is the true one, an insert slips by {}. If you know which it was, say so.",
                    rival.name, slipText(rival.slip_px)));
  }
  if (solution.summary.termination == Termination::StepLimit && !std::isnan(evidence.focal_sigma_share))
    add("unsettled", 1.2, "The solve stopped before it settled: what it found may still move. Carry on from it, or give the focal length.");
  if (verdict.weak) add("weak part", 1, verdict.hurt, verdict.hurt_frames);
}

}  // namespace

double usualErrorTop(const Solution& solution) {
  if (!(solution.rms_px > 1e-6)) return 1.0;
  return roundTo125(6 * solution.rms_px);
}

std::string_view describe(TrustLevel level) { return level == TrustLevel::Trust ? "trust" : level == TrustLevel::Check ? "check" : "reject"; }

Verdict judgeSolution(const Solution& solution, std::span<const PictureOffset> pictures) {
  Verdict verdict = whatHurts(solution);
  verdict.noise_floor_px = solution.evidence.noise_floor_px, verdict.explained_share = solution.evidence.explained_share;
  verdict.likely_slip_px = solution.evidence.likelySlip_px(), verdict.stability_px = solution.evidence.stability_px;
  findCauses(solution, verdict);
  findPictures(solution, pictures, verdict);
  std::stable_sort(verdict.causes.begin(), verdict.causes.end(), [](const Cause& a, const Cause& b) { return a.significance > b.significance; });
  const Evidence& evidence = solution.evidence;
  const bool rejected = errorOverFloor(solution) > kRejectOver || evidence.explained_share < kRejectShare;
  verdict.level = rejected ? TrustLevel::Reject : verdict.causes.empty() ? TrustLevel::Trust : TrustLevel::Check;
  if (verdict.causes.empty())
    verdict.sentence = whyTrusted(solution) + (std::isnan(verdict.pictures_off_px)
                                                   ? std::string()
                                                   : fmt::format(" Pictures of keyframes lie within {:.2f} px.", std::max(0.01, verdict.pictures_off_px)));
  else
    verdict.sentence = verdict.causes.front().sentence;
  return verdict;
}

}  // namespace dusky
