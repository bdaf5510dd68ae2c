// A page for people: what was solved, how well, with curves, a plan of the set and stills. It opens from disk, without a network.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/atomic_file.h"
#include "core/deliver/page_text.h"
#include "core/deliver/review_movie.h"
#include "core/deliver/writers.h"
#include "core/media/write_picture.h"
#include "core/review/verdict.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

constexpr double kWide = 860, kHigh = 150;  // px of curves

/// Values by frame as a line; unknown ones leave a gap.
std::string lineOf(const std::vector<std::pair<int, double>>& values, int first, int last, double top, std::string_view style) {
  std::string points, lines;
  const auto end = [&] {
    if (!points.empty()) lines += fmt::format("<polyline points=\"{}\" fill=\"none\" {}/>\n", points, style);
    points.clear();
  };
  for (const auto& [frame, value] : values) {
    if (std::isnan(value)) {
      end();
      continue;
    }
    points += fmt::format("{:.1f},{:.1f} ", kWide * (frame - first) / std::max(1, last - first), kHigh * (1 - std::min(1.0, value / top)));
  }
  end();
  return lines;
}

std::string errorCurve(const Solution& solution) {
  if (solution.frames.empty()) return {};
  std::vector<std::pair<int, double>> rms, holdout;
  double top = 1e-6;
  for (const SolvedFrame& frame : solution.frames) {
    rms.emplace_back(frame.frame, frame.placed ? frame.rms_px : kUnknown), holdout.emplace_back(frame.frame, frame.placed ? frame.holdout_rms_px : kUnknown);
    top = std::fmax(top, std::fmax(rms.back().second, holdout.back().second));
  }
  const int first = solution.frames.front().frame, last = solution.frames.back().frame;
  return fmt::format(
      "<h2>Error by frame</h2>\n<p>RMS; dashed: of tracks that had no part in the solve. Frames {} to {}, up to {:.2f} px.</p>\n"
      "<svg viewBox=\"0 0 {:g} {:g}\" width=\"100%\" role=\"img\" aria-label=\"error by frame\">\n{}{}</svg>\n",
      first, last, top, kWide, kHigh, lineOf(rms, first, last, top, "stroke=\"#f5c15b\" stroke-width=\"1.6\""),
      lineOf(holdout, first, last, top, "stroke=\"#cfc4d6\" stroke-width=\"1\" stroke-dasharray=\"4 3\""));
}

/// From above: points, and the way of the camera.
std::string planOf(const DeliveryView& view) {
  constexpr std::size_t kMost = 2500;
  std::vector<double> xs, zs;
  for (const auto& point : view.points) xs.push_back(point.at.x()), zs.push_back(point.at.z());
  if (xs.size() < 8 || view.cameras.empty()) return {};
  const auto range = [&](std::vector<double> values, bool x) {
    std::sort(values.begin(), values.end());  // a few far points must not shrink the rest
    std::array<double, 2> ends = {values[values.size() / 12], values[values.size() - 1 - values.size() / 12]};
    for (const auto& c : view.cameras) {
      const double v = x ? c.pose.centre.x() : c.pose.centre.z();
      ends = {std::min(ends[0], v), std::max(ends[1], v)};
    }
    return ends;
  };
  const auto across = range(xs, true), along = range(zs, false);
  constexpr double kSide = 420;
  const double scale = kSide / std::max({across[1] - across[0], along[1] - along[0], 1e-9});
  const auto at = [&](const Vec3& p) { return fmt::format("{:.1f},{:.1f}", scale * (p.x() - across[0]), scale * (p.z() - along[0])); };
  std::string dots, path;
  const std::size_t step = std::max<std::size_t>(1, view.points.size() / kMost);
  for (std::size_t k = 0; k < view.points.size(); k += step) {
    const Vec3& p = view.points[k].at;
    if (p.x() < across[0] || p.x() > across[1] || p.z() < along[0] || p.z() > along[1]) continue;
    dots += fmt::format("<circle cx=\"{:.1f}\" cy=\"{:.1f}\" r=\"1\"/>", scale * (p.x() - across[0]), scale * (p.z() - along[0]));
  }
  for (const auto& camera : view.cameras) path += at(camera.pose.centre) + " ";
  return fmt::format(
      "<h2>From above</h2>\n<p>The camera's way among the points, {} units across.</p>\n<svg viewBox=\"-8 -8 {:.0f} {:.0f}\" width=\"60%\" role=\"img\" "
      "aria-label=\"plan\">\n<g fill=\"#8d7f99\">{}</g>\n<polyline points=\"{}\" fill=\"none\" stroke=\"#f5c15b\" stroke-width=\"2\"/>\n</svg>\n",
      fmt::format("{:.3g}", across[1] - across[0]), scale * (across[1] - across[0]) + 16, scale * (along[1] - along[0]) + 16, dots, path);
}

std::string figuresOf(const DeliveryInput& input, const DeliveryView& view) {
  const Solution& s = input.solution;
  const Lens& lens = s.lens();
  const std::string sigma = std::isnan(s.cameras.front().sigma[0]) ? std::string() : fmt::format(" ± {:.1f}", s.cameras.front().sigma[0]);
  std::string rows;
  const auto row = [&rows](std::string_view name, const std::string& value) { rows += fmt::format("<tr><td>{}</td><td>{}</td></tr>\n", name, forPage(value)); };
  row("Footage", fmt::format("{} × {} px, {:g} frames a second, frames {} to {}", input.footage.width, input.footage.height, input.footage.fps,
                             input.footage.first, input.footage.last));
  row("Cameras", fmt::format("{} of {} frames", s.placedFrames(), s.frames.size()));
  row("Tracks", fmt::format("{} kept of {}", s.keptTracks(), s.tracks.size()));
  row("Error", fmt::format("{:.3f} px RMS, {:.3f} px of tracks that had no part in the solve", s.rms_px, s.holdout_rms_px));
  row("Focal length", s.zooms() ? std::string("zooms")
                                : fmt::format("{:.1f}{} px ({:.2f} mm on a sensor of {:g} mm)", lens.focal_px, sigma,
                                              lens.focal_px / lens.width * input.sensor_mm, input.sensor_mm));
  row("Lens", std::string(describe(lens.model)));
  row("Motion", s.whyMotion());
  row("Scene", fmt::format("in {}", view.unit == "units" ? "units of no known length" : view.unit));
  return "<table>\n" + rows + "</table>\n";
}

std::string textOf(const Verdict& verdict) {
  std::string causes;
  for (const Cause& cause : verdict.causes) {
    if (cause.sentence != verdict.sentence) causes += fmt::format("<li>{}</li>\n", forPage(cause.sentence));
  }
  return fmt::format("<p class=\"verdict\">Verdict: <b>{}</b>. {}</p>\n<ul>{}</ul>\n", describe(verdict.level), forPage(verdict.sentence), causes);
}

/// The first, the middle and the last frame with what the camera says of them. Where there are no pictures: none.
Result<std::string> stillsOf(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const fs::path& folder,
                             const Progress& progress) {
  constexpr int kStills = 3;
  if (!input.open_footage || view.cameras.empty()) return std::string();
  const auto source = input.open_footage();
  if (!source.ok()) return fmt::format("<p>There are no stills: {}</p>\n", forPage(source.error().message));
  std::string html = "<h2>Stills</h2>\n<p>Whiskers go from where a track was measured to where the camera sees it, enlarged.</p>\n";
  const auto stills = writeStillsInto(input, choices.review, view, kStills, folder, progress);
  if (!stills.ok()) return stills.error();
  for (const auto& [frame, name] : *stills) html += fmt::format("<figure><img src=\"{}\" width=\"100%\" alt=\"frame {}\"></figure>\n", name, frame);
  return html;
}

}  // namespace

Status writeReportPage(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const fs::path& folder, const Progress& progress) {
  const fs::path into = folder / kReportFolder;
  if (const Status made = makeFolder(into); !made.ok()) return made;
  const auto stills = stillsOf(input, choices, view, into, progress);
  if (!stills.ok()) return stills.error();
  const std::string body = textOf(judgeSolution(input.solution, input.pictures)) + figuresOf(input, view) + errorCurve(input.solution) + planOf(view) + *stills;
  return writeFileAtomically(into / "index.html", pageOf(fmt::format("Report of {}", input.shot), body));
}

}  // namespace dusky
