#include <fmt/format.h>

#include <cmath>
#include <locale>
#include <sstream>

#include "apps/cli/cli.h"
#include "apps/cli/footage_arguments.h"
#include "apps/cli/project_output.h"
#include "apps/cli/receipt_lines.h"
#include "core/base/atomic_file.h"
#include "core/lens/lens_file.h"
#include "core/pipeline/advice_step.h"
#include "core/pipeline/knowledge_step.h"
#include "core/pipeline/workspace.h"
#include "core/project/edits.h"
#include "core/review/knowledge_words.h"
#include "core/review/verdict.h"

namespace dusky::cli {
namespace {

struct Arguments : FootageArguments {
  std::string folder, focal, motion, lens, lens_file, knowledge_file, report;
  std::vector<std::string> releases, values, weights;
  std::optional<double> focal_mm, sensor_mm, focal_px, focal_tolerance, pixel_aspect, readout_ms;
  std::optional<int> seed;
  bool object = false, prune = false, find_readout = false, global_shutter = false;
  ProjectOutput project;

  DeliveryChoices delivery() const {
    DeliveryChoices choices;
    choices.want("object.glb", object);
    return choices;
  }
};

constexpr std::array<std::string_view, 6> kMotions = {"auto", "free", "nodal", "rail", "flat", "arc"};
constexpr std::array<LensModel, 4> kModels = {LensModel::None, LensModel::Brown, LensModel::Fisheye, LensModel::Anamorphic};
constexpr std::array<std::string_view, 5> kLenses = {"auto", "none", "brown", "fisheye", "anamorphic"};

template <class Enum, std::size_t N>
void readChoice(const std::string& text, const std::array<std::string_view, N>& names, Enum& choice) {
  const auto found = std::find(names.begin(), names.end(), text);
  if (found != names.end()) choice = static_cast<Enum>(found - names.begin());
}

Status readFocal(const Arguments& a, int width, LensSettings& lens) {
  const bool given = a.focal_mm || a.focal_px;
  for (const auto& length : {a.focal_mm, a.focal_px, a.sensor_mm}) {
    if (length && !(*length > 0 && std::isfinite(*length)))
      return invalidInput(fmt::format("Focal length and sensor width must be over 0, not {:g}.", *length));
  }
  if (a.focal_mm && a.focal_px) return invalidInput("Give --focal-mm with --sensor-mm, or --focal-px, not both.");
  if (a.focal_mm.has_value() != a.sensor_mm.has_value())
    return invalidInput("--focal-mm and --sensor-mm go together: the focal length means nothing without the sensor's width.");
  if (given && (a.focal == "unknown" || a.focal == "zoom"))
    return invalidInput(fmt::format("--focal {} takes no focal length: leave out --focal-px and --focal-mm, or say near or locked.", a.focal));
  if (a.focal_px) lens.focal_mm = *a.focal_px / width * lens.sensor_mm;
  if (a.focal_mm) lens.focal_mm = *a.focal_mm, lens.sensor_mm = *a.sensor_mm;
  const std::string kind = a.focal.empty() ? (given ? "near" : "unknown") : a.focal;
  if ((kind == "near" || kind == "locked") && !given && a.lens_file.empty())
    return invalidInput(fmt::format("--focal {} needs the focal length: --focal-mm with --sensor-mm, or --focal-px.", kind));
  if (a.focal_tolerance && kind != "near") return invalidInput("--focal-tolerance is for a focal length that is nearly known: give it, with --focal near.");
  lens.focal = kind == "locked" ? FocalKnowledge::Locked
               : kind == "near" ? FocalKnowledge::Near
               : kind == "zoom" ? FocalKnowledge::Zoom
                                : FocalKnowledge::Unknown;
  return Done{};
}

/// What stands before and after the first "="; nothing after it where there is none.
std::pair<std::string, std::string> aroundEquals(const std::string& text) {
  const auto equals = text.find('=');
  return {text.substr(0, equals), equals == std::string::npos ? "" : text.substr(equals + 1)};
}

/// "k2=off": a group of lens parameters that is forced on or off.
Status readReleases(const std::vector<std::string>& texts, LensSettings& lens) {
  for (const std::string& text : texts) {
    const auto& [group, word] = aroundEquals(text);
    const bool known = std::any_of(std::begin(kModels), std::end(kModels), [&](LensModel model) {
      const auto& groups = lensGroups(model);
      return std::any_of(groups.begin(), groups.end(), [&](const LensGroup& g) { return g.name == group; });
    });
    if (!known || (word != "on" && word != "off" && word != "auto")) {
      return invalidInput(
          fmt::format("--release takes a group of lens parameters and on, off or auto, like k2=off or \"principal point=on\", not \"{}\".", text));
    }
    lens.releases[group] = word == "on" ? Release::On : word == "off" ? Release::Off : Release::Auto;
  }
  return Done{};
}

/// "k1=-0.08" or "k1=-0.08,0.01": a lens parameter that is known, and how well.
Status readValues(const std::vector<std::string>& texts, LensSettings& lens) {
  for (const std::string& text : texts) {
    const auto& [name, rest] = aroundEquals(text);
    if (rest == "auto") {
      lens.values.erase(name);
      continue;
    }
    KnownValue known;
    std::istringstream read(rest);
    read.imbue(std::locale::classic());
    char comma = 0;
    read >> known.value;
    bool fine = !read.fail();
    if (fine && read >> comma) fine = comma == ',' && (read >> known.sigma);
    if (!fine || !(read >> std::ws).eof() || name.empty())
      return invalidInput(
          fmt::format("--value takes a lens parameter and what is known of it, like k1=-0.08, k1=-0.08,0.01 (± one deviation) or k1=auto, not \"{}\".", text));
    lens.values[name] = known;
  }
  return Done{};
}

/// "lamp=4": tracks by number, name or group, and how much they count.
struct WeightOfTracks {
  std::string tracks;
  double weight = 1;
};

Result<std::vector<WeightOfTracks>> readWeights(const std::vector<std::string>& texts) {
  std::vector<WeightOfTracks> weights;
  for (const std::string& text : texts) {
    const auto equals = text.rfind('=');
    std::istringstream read(equals == std::string::npos ? "" : text.substr(equals + 1));
    read.imbue(std::locale::classic());
    WeightOfTracks one{text.substr(0, equals)};
    if (!(read >> one.weight) || !(read >> std::ws).eof() || one.tracks.empty() || !(one.weight >= kLeastTrackWeight && one.weight <= kMostTrackWeight))
      return invalidInput(fmt::format("--weight takes a track's number, name or group and a weight of {:g} to {:g}, like 12=4 or lamp=0.5, not \"{}\".",
                                      kLeastTrackWeight, kMostTrackWeight, text));
    weights.push_back(std::move(one));
  }
  return weights;
}

Status weighNow(Workspace& workspace, const std::vector<WeightOfTracks>& weights) {
  for (const auto& [name, weight] : weights) {
    const std::vector<int> tracks = workspace.tracksCalled(name);
    if (tracks.empty()) return invalidInput(fmt::format("--weight: there is no track and no group \"{}\".", name));
    if (const Status taken = workspace.run(weighTracks(workspace.document(), tracks, weight)); !taken.ok()) return taken;
  }
  return Done{};
}

Status readKinds(const Arguments& a, LensSettings& lens) {
  readChoice(a.motion, kMotions, lens.motion);
  readChoice(a.lens, kLenses, lens.lens);
  if (a.focal_tolerance) lens.focal_tolerance_pc = *a.focal_tolerance;
  if (a.pixel_aspect && !(*a.pixel_aspect >= 0.1 && *a.pixel_aspect <= 10))
    return invalidInput(fmt::format("--pixel-aspect must be 0.1 to 10, not {:g}.", *a.pixel_aspect));
  if (a.pixel_aspect) lens.pixel_aspect = *a.pixel_aspect;
  if (a.readout_ms) lens.readout_ms = *a.readout_ms;
  lens.free_readout = lens.free_readout || a.find_readout;
  lens.global_shutter = (lens.global_shutter && !a.find_readout && !a.readout_ms) || a.global_shutter;
  if (lens.global_shutter && (lens.free_readout || lens.readout_ms != 0))
    return invalidInput("--global-shutter goes with neither --readout-ms nor --find-readout.");
  if (const Status fine = readReleases(a.releases, lens); !fine.ok()) return fine;
  if (const Status fine = readValues(a.values, lens); !fine.ok()) return fine;
  if (a.lens_file.empty()) return Done{};
  const auto text = readFile(a.lens_file);
  if (!text.ok()) return text.error();
  const auto read = lensFromJson(*text);
  if (!read.ok()) return Error{read.error().kind, fmt::format("--lens-file {}: {}", a.lens_file, read.error().message)};
  lens.known = lensToJson(*read);
  return Done{};
}

/// Footage, options, everything the document needs.
Status prepare(const Arguments& a, Workspace& workspace) {
  if (const Status ready = a.prepare(workspace); !ready.ok()) return ready;
  LensSettings lens = workspace.document().lens;
  // A project keeps its lens unless something is said about it.
  const bool keeps =
      a.takesProject() && a.focal.empty() && !a.focal_mm && !a.focal_px && !a.sensor_mm && !(a.focal_tolerance && lens.focal != FocalKnowledge::Near);
  if (!keeps) {
    if (const Status fine = readFocal(a, workspace.footage().width, lens); !fine.ok()) return fine;
  }
  if (const Status fine = readKinds(a, lens); !fine.ok()) return fine;
  if (const Status set = workspace.run(setMember("Set lens", &Document::lens, lens)); !set.ok()) return set;
  const auto options = solveOptionsOf(workspace.document(), workspace.footage());
  if (!options.ok()) return options.error();
  if (const Status fine = options->check(); !fine.ok()) return fine;
  return a.seed ? workspace.run(setMember("Set seed", &Document::seed, *a.seed)) : Status(Done{});
}

void printFocal(const Solution& s) {
  const double sigma = s.cameras.front().sigma[0];
  if (!s.zooms() && std::isnan(sigma)) return fmt::print("focal    {:.1f} px, {}\n", s.lens().focal_px, s.evidence.focal_assumed ? "assumed" : "given");
  if (!s.zooms()) return fmt::print("focal    {:.1f} ± {:.1f} px\n", s.lens().focal_px, sigma);
  double least = 1e12, most = 0;
  for (const SolvedFrame& f : s.frames) {
    if (f.placed) least = std::min(least, f.focal_px), most = std::max(most, f.focal_px);
  }
  fmt::print("focal    zoom, {:.1f} to {:.1f} px\n", least, most);
}

/// Finds what the file speaks of in the solve that is there, and solves again with it where it shapes the solve.
Status knowNow(Workspace& workspace, const KnowledgeFile& file, const Progress& progress) {
  auto edit = editFor(workspace, file);
  if (!edit.ok()) return Error{edit.error().kind, fmt::format("--knowledge: {}", edit.error().message)};
  if (const Status taken = workspace.run(std::move(*edit)); !taken.ok()) return taken;
  return workspace.document().picks.knowledge.empty() ? Status(Done{}) : solveNow(workspace, progress);
}

void printKnowledge(const SolvedKnowledge& solved, const Knowledge& knowledge, std::string_view unit) {
  for (const StatementRef& ref : statementsOf(knowledge)) {
    std::string found = foundInWords(solved, knowledge, ref, unit);
    for (std::size_t at = 0; (at = found.find('\n', at)) != std::string::npos; at += 10) found.replace(at, 1, "\n         ");
    if (isOn(knowledge, ref) || !found.empty())
      fmt::print("{:<8} {}\n         {}\n", isOn(knowledge, ref) ? "known" : "off", inWords(knowledge, ref, unit), found);
  }
  if (solved.shapesSolve())
    fmt::print("known    RMS {:.3f} px without all of it, holdout {:.3f} px; it costs {:.1f} standard deviations more than true statements would\n",
               solved.rms_px_without, solved.holdout_px_without, solved.cost_sigmas);
}

/// Rounds of pruning for as long as they help; what came of it is taken over. In words.
Result<std::string> pruneNow(Workspace& workspace, const Progress& progress) {
  const auto pruned = pruneAutomatically({workspace.document(), workspace.footage(), workspace.tracks(), workspace.solution()}, progress);
  if (!pruned.ok()) return pruned.error();
  if (pruned->choice.empty()) return pruned->note;
  if (const Status taken = workspace.takePruned(*pruned); !taken.ok()) return taken.error();
  return fmt::format("set aside {} tracks and {} sightings: holdout {:.3f} to {:.3f} px", pruned->choice.tracks.size(), pruned->choice.sightings.size(),
                     pruned->before->holdout_rms_px, pruned->after->holdout_rms_px);
}

void printResult(const Workspace& workspace, const std::vector<Advice>& advice, const std::string& pruned, const std::vector<DeliveredFile>& files,
                 const ProjectOutput::Plan& project, double seconds) {
  const Solution& s = *workspace.solution();
  fmt::print("frames   {} of {}\n", s.placedFrames(), s.frames.size());
  fmt::print("tracks   {} kept of {}\n", s.keptTracks(), s.tracks.size());
  if (!pruned.empty()) fmt::print("pruned   {}\n", pruned);
  fmt::print("RMS      {:.3f} px, holdout {:.3f} px\n", s.rms_px, s.holdout_rms_px);
  printFocal(s);
  const double lens_px = s.cameras.front().lens_sigma_px;
  fmt::print("lens     {}{}\n", describe(s.lens().model),
             std::isnan(lens_px) ? ", nothing of it looked for" : fmt::format(", ± {:.2f} px over the picture", lens_px));
  fmt::print("motion   {}: {}\n", describe(s.motion), s.whyMotion());
  printKnowledge(s.knowledge, workspace.document().picks.knowledge, workspace.scene().ok() ? workspace.scene()->unit() : "units");
  const Verdict& verdict = *workspace.verdict();
  fmt::print("verdict  {}: {}\n", describe(verdict.level), verdict.sentence);
  for (const Cause& cause : verdict.causes) {
    if (cause.sentence != verdict.sentence) fmt::print("         {}\n", cause.sentence);
  }
  for (const Advice& a : advice) fmt::print("advice   {}\n", a.sentence);
  for (const std::string& warning : s.summary.warnings) fmt::print("note     {}\n", warning);
  std::vector<std::string> names;
  for (const DeliveredFile& file : files) names.push_back(file.path.string());
  if (project.what != ProjectOutput::What::Leave) names.push_back(project.path.string());
  fmt::print("files    {}\n", fmt::join(names, "\n         "));
  if (!project.note.empty()) fmt::print("note     {}\n", project.note);
  fmt::print("time     {:.1f} s\n", seconds);
}

/// Everything that is written can be, and is nothing that is read. Before the work begins.
Status checkOutputs(const Arguments& a) {
  std::vector<std::filesystem::path> inputs = a.inputs();
  inputs.emplace_back(a.lens_file);
  inputs.emplace_back(a.knowledge_file);
  if (const Status fine = checkOutputFolder(a.folder); !fine.ok()) return fine;
  for (const auto& path : deliveryFiles(a.folder, a.delivery())) {
    std::error_code failed;
    if (!std::filesystem::exists(path, failed)) continue;
    if (const Status fine = checkOutputFile(path, inputs); !fine.ok()) return fine;
  }
  return a.report.empty() ? Status(Done{}) : checkOutputFile(a.report, inputs);
}

int solve(const Arguments& a, std::stop_token stop) {
  const Stopwatch watch;
  const ThreadLimit limit(a.threads);
  const Progress progress = a.makeProgress(stop);
  const std::filesystem::path folder = a.folder;
  Workspace workspace;
  if (const Status fine = checkOutputs(a); !fine.ok()) return failWith(fine.error());
  if (const Status ready = prepare(a, workspace); !ready.ok()) return failWith(ready.error());
  std::optional<KnowledgeFile> knowledge;
  if (!a.knowledge_file.empty()) {  // before anything is tracked, so that a wrong file is told at once
    auto read = readKnowledge(a.knowledge_file);
    if (!read.ok()) return failWith(Error{read.error().kind, "--knowledge " + read.error().message});
    knowledge = std::move(*read);
  }
  const auto weights = readWeights(a.weights);
  if (!weights.ok()) return failWith(weights.error());
  const auto project = a.project.plan(workspace.document(), a.opened(), folder / (shotName(a.opened()) + ".moth"));
  if (!project.ok()) return failWith(project.error());
  if (const Status tracked = trackNow(workspace, progress.part(0, 0.6)); !tracked.ok()) return failWith(tracked.error());
  if (const Status weighed = weighNow(workspace, *weights); !weighed.ok()) return failWith(weighed.error());
  const double solved_at = knowledge ? 0.7 : a.prune ? 0.8 : 0.97, known_at = a.prune ? 0.8 : 0.97;
  if (const Status solved = solveNow(workspace, progress.part(0.6, solved_at)); !solved.ok()) return failWith(solved.error());
  if (knowledge) {
    if (const Status known = knowNow(workspace, *knowledge, progress.part(solved_at, known_at)); !known.ok()) return failWith(known.error());
  }
  std::string pruned;
  if (a.prune) {
    const auto note = pruneNow(workspace, progress.part(0.8, 0.97));
    if (!note.ok()) return failWith(note.error());
    pruned = *note;
  }
  auto job = workspace.deliveryJob(watch.seconds());
  if (!job.ok()) return failWith(job.error());
  if (const auto advice = adviseOn({workspace.document(), workspace.footage(), workspace.tracks(), workspace.solution()}, progress.part(0.97, 0.97));
      advice.ok())
    job->advice = *advice;
  const auto delivered = job->run(folder, a.delivery(), progress.part(0.97, 1));
  if (!delivered.ok()) return failWith(delivered.error());
  if (!a.report.empty()) {
    const auto report =
        std::find_if(delivered->files.begin(), delivered->files.end(), [](const DeliveredFile& file) { return file.path.filename() == "report.json"; });
    const auto bytes = readFile(report->path);
    if (!bytes.ok()) return failWith(bytes.error());
    if (const Status copied = writeFileAtomically(a.report, *bytes); !copied.ok()) return failWith(copied.error());
  }
  if (const Status saved = saveProject(workspace, *project); !saved.ok()) return failWith(saved.error());
  progress.report(1, "done");
  if (!a.quiet) printResult(workspace, job->advice.value_or(std::vector<Advice>()), pruned, delivered->files, *project, watch.seconds());
  const Solution& solution = *workspace.solution();
  const Verdict& verdict = *workspace.verdict();
  if (verdict.level == TrustLevel::Reject) {
    fmt::print(errors(), "moth: solved, but not to be trusted. {}\n", verdict.sentence);
    return kNotTrusted;
  }
  if (const int failed = exitCodeOf(*delivered, kSolved); failed != kSolved) return failed;
  if (solution.placedFrames() == static_cast<int>(solution.frames.size())) return kSolved;
  std::string missing;
  for (const SolvedFrame& frame : solution.frames) {
    if (!frame.placed) missing += fmt::format("{}{}", missing.empty() ? "" : ", ", frame.frame);
  }
  fmt::print(errors(), "moth: solved in part; no camera for frames {}.\n", missing);
  return kSolvedInPart;
}
}  // namespace

void addSolve(CLI::App& app, std::stop_token stop, int& code) {
  auto* command = app.add_subcommand("solve",
                                     "Footage in, camera and points out: tracks features, solves camera and lens, and writes camera.glb, points.ply,\n"
                                     "camera.csv, report.json and a project that the window opens.\n\n"
                                     "Exit codes: 0 solved; 2 bad arguments or unreadable input; 3 solved in part; 4 could not solve (the reason is\n"
                                     "printed); 5 solved, but the camera does not explain the footage (everything is written); 130 cancelled. Nothing "
                                     "half-written is left under a final name.");
  auto a = std::make_shared<Arguments>();
  a->addFootage(*command);
  a->addTracks(*command);
  command->add_option("-o,--output", a->folder, "Folder for the results; made when missing")->required();
  a->addChoice(*command);
  command->add_option("--focal-mm", a->focal_mm, "Focal length in mm; goes with --sensor-mm");
  command->add_option("--sensor-mm", a->sensor_mm, "Width of the sensor in mm");
  command->add_option("--focal-px", a->focal_px, "Focal length in px of the full picture");
  command->add_option("--focal", a->focal, "How firmly it is known: locked, near (the default when given), unknown, zoom")
      ->check(CLI::IsMember({"locked", "near", "unknown", "zoom"}));
  command->add_option("--focal-tolerance", a->focal_tolerance, "How well a near focal length is known: one standard deviation in per cent (3)");
  command
      ->add_option("--motion", a->motion,
                   "auto: as the tracks tell; nodal: it only rotates; rail: along a line; flat: in a plane; arc: about a point beside it")
      ->check(CLI::IsMember(std::vector<std::string>(kMotions.begin(), kMotions.end())));
  command->add_option("--lens", a->lens, "auto: the simplest that the tracks bear out; none: no distortion; or a model")
      ->check(CLI::IsMember(std::vector<std::string>(kLenses.begin(), kLenses.end())));
  command->add_option("--knowledge", a->knowledge_file,
                      "What is known of the set and the camera (planes, lines, angles, distances, ground): a JSON file; or a survey as CSV");
  command->add_option("--lens-file", a->lens_file, "A lens from a chart or an earlier shot (lens.json or report.json): locked");
  command->add_option("--value", a->values, "A lens parameter that is known: k1=-0.08 stands, k1=-0.08,0.01 is believed to ± 0.01; may be repeated");
  command->add_option("--release", a->releases, "Force a group of lens parameters: k2=off, \"principal point=on\"; may be repeated");
  command->add_option("--weight", a->weights,
                      "How much tracks count, 0.01 to 100: a number, name or group and the weight, like 12=4 or lamp=0.5; may be repeated");
  command->add_option("--pixel-aspect", a->pixel_aspect, "Width of a pixel over its height, over the footage's own");
  command->add_option("--readout-ms", a->readout_ms, "Rolling shutter: time from the first row to the last");
  command->add_flag("--find-readout", a->find_readout, "Find the readout time, from --readout-ms on; without it, it is found where the tracks call for it");
  command->add_flag("--global-shutter", a->global_shutter, "All rows are read at once, for certain");
  a->addMasks(*command);
  a->addTracking(*command);
  a->addTone(*command);
  command->add_option("--seed", a->seed, "Of the random draws; the same seed gives the same result (1, or the project's own)");
  command->add_flag("--prune", a->prune, "Rounds of pruning after the solve, as moth prune --auto, kept only where they help");
  command->add_flag("--object", a->object, "Also write object.glb: the tracked object moves and the camera stands still");
  command->add_option("--report", a->report, "Also write the report to this file");
  a->project.add(*command);
  a->addRunning(*command);
  command->callback([a, stop, &code] { code = solve(*a, stop); });
}
}  // namespace dusky::cli
