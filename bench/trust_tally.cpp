#include "bench/trust_tally.h"

#include <fmt/format.h>

#include <cmath>

#include "core/review/verdict.h"

namespace dusky::testing {
namespace {

std::string textOf(const std::vector<ResidualPattern>& patterns) {
  std::string text;
  for (const ResidualPattern& p : patterns) text += fmt::format("{}{:.1f}/{:.3f} ", "LSZP"[static_cast<int>(p.kind)], p.sigmas, p.amplitude_px);
  return text;
}

void print(const std::string& name, const Tally& t) {
  fmt::print(
      "{:12} {:5} shots  right {:5} ({:5.1f} %)  refused {:3}  wrong {:4}, open {:3}  wrong and trusted {:3} ({:.1f} %)  right, not trusted {:4} ({:.1f} %), "
      "{} of them where the footage tells no more\n",
      name, t.shots, t.right, 100.0 * t.right / t.shots, t.refused, t.wrong, t.open, t.silent, 100.0 * t.silent / t.shots, t.doubted,
      100.0 * t.doubted / std::max(1, t.right), t.doubtful);
}

/// Likely slip over what an insert may slip: the upper ends of the rows of the calibration table.
constexpr std::array<double, 7> kRows = {0.1, 0.2, 0.35, 0.5, 0.75, 1.5, 1e9};

}  // namespace

void Tally::add(const Tally& o) {
  shots += o.shots, right += o.right, refused += o.refused, wrong += o.wrong, open += o.open, silent += o.silent, doubted += o.doubted, doubtful += o.doubtful;
}

Outcome outcomeOf(const Result<SolutionPtr>& solved, const Result<Comparison>& truth, double noise_px, double seconds, const Leeway& leeway) {
  Outcome out{.tally = {.shots = 1}, .limit_px = slipTolerance(noise_px), .seconds = seconds, .line = {}};
  if (!solved.ok()) {
    out.tally.refused = 1;
    out.line = "refused: " + solved.error().message;
    return out;
  }
  const Solution& s = **solved;
  const Verdict verdict = judgeSolution(s);
  out.slip_px = truth.ok() ? truth->slip_rms_px : 1e9, out.likely_px = verdict.likely_slip_px, out.trusted = verdict.level == TrustLevel::Trust;
  const bool right = out.slip_px <= out.limit_px;
  out.tally.right = right, out.tally.wrong = !right;
  const LeftOpen left = out.trusted ? LeftOpen{} : leeway();
  constexpr double kDoubtful = 0.6;  // of what an insert may slip
  out.tally.open = !right && left.cannot_tell, out.tally.doubtful = right && left.slip_sigma_px > kDoubtful * out.limit_px;
  out.tally.silent = !right && out.trusted, out.tally.doubted = right && !out.trusted;
  out.zoom_found = s.zooms(), out.shutter_found = s.readout != 0;
  out.line = fmt::format(
      "{} {:6} slip {:8.3f} rms {:.3f} floor {:.3f} explained {:.2f} sigma {:.3f} focal {:.3f} halves {:.3f} rival {:.3f} {:.1f} {:.0f} {:.2f} beyond {:.3f} "
      "drift {:.3f} fsig {:.4f} lsig {:.2f} {} zoom {:d} readout {:.2f} movers {} link {:.4f} flat {:.3f} freed {:.3f} path {:.3f} {} {:.1f} s, best {:.3f} | "
      "{}",
      right            ? "right"
      : out.tally.open ? "open "
                       : "WRONG",
      describe(verdict.level), out.slip_px, s.rms_px, verdict.noise_floor_px, verdict.explained_share, s.evidence.slip_sigma_px, s.evidence.focal_slip_px,
      s.evidence.stability_px, s.evidence.rival.share, s.evidence.rival.gain, s.evidence.rival.unknowns, s.evidence.rival.slip_px,
      s.evidence.beyond_infinity_share, s.evidence.noise_over_time_px, s.evidence.focal_sigma_share, s.cameras.front().lens_sigma_px, describe(s.motion),
      s.zooms(), s.readout, s.movers.size(), s.evidence.scale_sigma_share, s.evidence.flatness, s.evidence.freed_slip_px, s.evidence.path_share,
      textOf(s.evidence.patterns), seconds, left.slip_sigma_px, verdict.causes.empty() ? "" : verdict.causes.front().what);
  return out;
}

void Study::add(const std::string& kind, const Outcome& outcome) {
  kinds_[kind].add(outcome.tally), all_.add(outcome.tally);
  seconds_ += outcome.seconds;
  zooms_ += outcome.zoom, zooms_found_ += outcome.zoom && outcome.zoom_found;
  zooms_claimed_ += !outcome.zoom && !outcome.nearly_zooms && outcome.zoom_found;
  shutters_ += outcome.shutter, shutters_found_ += outcome.shutter && outcome.shutter_found;
  shutters_claimed_ += !outcome.shutter && outcome.shutter_found;
  if (outcome.tally.refused > 0) return;
  const double likely = outcome.likely_px / outcome.limit_px;
  std::size_t row = 0;
  while (row + 1 < kRows.size() && !(likely <= kRows[row])) ++row;
  Bucket& bucket = buckets_[row];
  ++bucket.shots, bucket.wrong += outcome.slip_px > outcome.limit_px, bucket.beyond += outcome.slip_px > 2 * outcome.likely_px;
}

void Study::print() const {
  fmt::print("\n");
  for (const auto& [kind, tally] : kinds_) testing::print(kind, tally);
  testing::print("all", all_);
  fmt::print("zooms found {} of {}, claimed where there is none {}; rolling shutters found {} of {}, claimed {}; {:.1f} s a shot\n", zooms_found_, zooms_,
             zooms_claimed_, shutters_found_, shutters_, shutters_claimed_, seconds_ / std::max(1, all_.shots));
  printCalibration();
}

void Study::printCalibration() const {
  fmt::print("likely slip / allowed   shots   wrong            slips by over twice the likely\n");
  for (std::size_t row = 0; row < kRows.size(); ++row) {
    const Bucket& b = buckets_[row];
    const double from = row == 0 ? 0 : kRows[row - 1];
    const std::string range = row + 1 < kRows.size() ? fmt::format("{:.2f} to {:.2f}", from, kRows[row]) : fmt::format("over {:.2f}", from);
    fmt::print("{:22} {:6}  {:5} ({:5.1f} %)   {:5} ({:5.1f} %)\n", range, b.shots, b.wrong, 100.0 * b.wrong / std::max(1, b.shots), b.beyond,
               100.0 * b.beyond / std::max(1, b.shots));
  }
}

}  // namespace dusky::testing
