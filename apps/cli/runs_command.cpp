#include <fmt/format.h>

#include <cmath>

#include "apps/cli/cli.h"
#include "core/base/json_text.h"
#include "core/pipeline/workspace.h"
#include "core/project/document_changes.h"

namespace dusky::cli {
namespace {

using Json = nlohmann::ordered_json;

struct Arguments {
  std::string project;
  bool json = false;
};

Json jsonOf(const Run& run, const Workspace& workspace, const std::map<int, std::int64_t>& bytes) {
  const RunSummary& s = run.summary;
  const LedgerMarks& marks = workspace.document().ledger;
  const auto size = bytes.find(run.id);
  return {{"run", run.id},
          {"name", marks.nameOf(run.id)},
          {"made", run.made},
          {"parent", run.parent > 0 ? Json(run.parent) : Json(nullptr)},
          {"refined", run.carried_on},
          {"kept", marks.isKept(run.id)},
          {"changes", workspace.changesOf(run)},
          {"rms_px", numberOrNull(s.rms_px)},
          {"holdout_rms_px", numberOrNull(s.holdout_rms_px)},
          {"noise_floor_px", numberOrNull(s.noise_floor_px)},
          {"verdict", s.verdict},
          {"sentence", s.sentence},
          {"explained_share", numberOrNull(s.explained_share)},
          {"likely_slip_px", numberOrNull(s.likely_slip_px)},
          {"stability_px", numberOrNull(s.stability_px)},
          {"motion", s.motion},
          {"lens", s.lens},
          {"zooms", s.zooms},
          {"focal_px", numberOrNull(s.focal_px)},
          {"sigma_focal_px", numberOrNull(s.sigma_focal_px)},
          {"frames", s.frames},
          {"placed", s.placed},
          {"tracks_total", s.tracks},
          {"tracks_kept", s.kept},
          {"thinnest_frame", s.thinnest_frame},
          {"thinnest_tracks", s.thinnest_tracks},
          {"solve_s", numberOrNull(s.total_s)},
          {"bytes", size != bytes.end() ? Json(size->second) : Json(nullptr)}};
}

std::string px(double value) { return std::isfinite(value) ? fmt::format("{:.3f}", value) : "-"; }

void printText(const std::vector<const Run*>& runs, const Workspace& workspace) {
  if (runs.empty()) return fmt::print("no runs yet\n");
  const LedgerMarks& marks = workspace.document().ledger;
  fmt::print("  {:<20} {:<20} {:>7} {:>8} {:<7} {:>17} {:>11}\n", "run", "made (UTC)", "RMS px", "holdout", "verdict", "focal length px", "frames");
  for (const Run* run : runs) {
    const RunSummary& s = run->summary;
    fmt::print("{} {:<20} {:<20} {:>7} {:>8} {:<7} {:>17} {:>11}\n", run->id == workspace.shownRun() ? '>' : ' ', marks.nameOf(run->id), run->made,
               px(s.rms_px), px(s.holdout_rms_px), s.verdict,
               std::isfinite(s.sigma_focal_px) ? fmt::format("{:.1f} ± {:.1f}", s.focal_px, s.sigma_focal_px) : fmt::format("{:.1f}", s.focal_px),
               fmt::format("{} of {}", s.placed, s.frames));
    const auto changes = workspace.changesOf(*run);
    if (run->parent > 0)
      fmt::print("    {} {}{}{}\n", run->carried_on ? "refines" : "after", marks.nameOf(run->parent), changes.empty() ? "" : ": ", fmt::join(changes, ", "));
  }
}

int runs(const Arguments& a) {
  Workspace workspace;
  std::string warning;
  if (const Status opened = workspace.openProject(a.project, &warning, ProjectStore::Access::Read); !opened.ok()) return failWith(opened.error());
  std::vector<const Run*> shown;
  for (const Run& run : workspace.ledger().runs()) {
    if (!workspace.document().ledger.isDropped(run.id)) shown.push_back(&run);
  }
  if (!warning.empty()) fmt::print(errors(), "moth: note: {}\n", warning);
  if (!a.json) {
    printText(shown, workspace);
    return kSolved;
  }
  Json list = Json::array();
  const auto bytes = workspace.runBytes();
  for (const Run* run : shown) list.push_back(jsonOf(*run, workspace, bytes));
  fmt::print(
      "{}\n",
      Json{{"format", "dusky-moth-runs"}, {"version", 1}, {"shown", workspace.shownRun() > 0 ? Json(workspace.shownRun()) : Json(nullptr)}, {"runs", list}}
          .dump(1));
  return kSolved;
}

}  // namespace

void addRuns(CLI::App& app, int& code) {
  auto* command = app.add_subcommand("runs", "The ledger of a project (.moth): every solve, what was changed for it, and what it came to.");
  auto a = std::make_shared<Arguments>();
  command->add_option("PROJECT", a->project, "A project (.moth)")->required();
  command->add_flag("--json", a->json, "One JSON object");
  command->callback([a, &code] { code = runs(*a); });
}

}  // namespace dusky::cli
