#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cstdio>
#include <filesystem>

#include "apps/cli/cli.h"
#include "apps/cli/progress_line.h"
#include "apps/cli/project_output.h"
#include "core/base/atomic_file.h"
#include "core/base/json_text.h"
#include "core/base/thread_limit.h"
#include "core/deliver/dense_ply.h"
#include "core/dense/measure.h"
#include "core/dense/texture.h"
#include "core/pipeline/dense_step.h"
#include "core/scene/seen_scene.h"

namespace dusky::cli {
namespace {

constexpr std::string_view kDenseFile = "dense.ply";

struct Arguments {
  std::string project, folder, quality, mesh;
  std::optional<double> spacing, least_confidence, most_slant, most_color_apart, least_neighbours;
  std::optional<int> least_views, triangles;
  std::vector<double> region;
  std::vector<int> keyframes;
  int texture = 0;
  std::vector<std::string> measure;
  bool forecast = false, json = false, quiet = false;
  int threads = 0;
};

std::vector<std::string> qualities() { return {kDenseQualities.begin(), kDenseQualities.end()}; }

double degrees(double radians) { return radians * 57.29577951308232; }

/// A box that is given in the report's world, in the scene's own.
RegionBox regionFrom(const std::vector<double>& numbers, UpAxis up) {
  const Eigen::Quaterniond back = upAxisTurn(up).conjugate();
  const Vec3 a = back * Vec3(numbers[0], numbers[1], numbers[2]), b = back * Vec3(numbers[3], numbers[4], numbers[5]);
  return {a.cwiseMin(b), a.cwiseMax(b)};
}

/// What the project has, and what was asked here in its place.
DenseSettings settingsFrom(const Arguments& a, DenseSettings settings, UpAxis up) {
  const auto names = qualities();
  if (!a.quality.empty()) settings.quality = static_cast<DenseQuality>(std::find(names.begin(), names.end(), a.quality) - names.begin());
  if (!a.keyframes.empty()) {
    settings.keyframes = a.keyframes;
    std::sort(settings.keyframes.begin(), settings.keyframes.end());
    settings.keyframes.erase(std::unique(settings.keyframes.begin(), settings.keyframes.end()), settings.keyframes.end());
  }
  settings.spacing = a.spacing.value_or(settings.spacing);
  settings.triangles = a.triangles.value_or(settings.triangles);
  CleanRules& clean = settings.clean;
  clean.least_views = a.least_views.value_or(clean.least_views);
  clean.least_confidence = a.least_confidence.value_or(clean.least_confidence);
  clean.most_slant_deg = a.most_slant.value_or(clean.most_slant_deg);
  clean.most_color_apart = a.most_color_apart.value_or(clean.most_color_apart);
  clean.least_neighbours = a.least_neighbours.value_or(clean.least_neighbours);
  if (!a.region.empty()) clean.region = regionFrom(a.region, up);
  return settings;
}

struct Made {
  DenseResultPtr dense;
  DenseCloudPtr cleaned;
  Verdict verdict;  ///< On the camera, with what the pictures say.
  std::optional<Surface> surface;
  std::vector<Vec3> places;  ///< That were asked to be measured, in the report's world.
  PlacesMeasured measured;
  std::vector<std::filesystem::path> files;
};

struct PicturePlace {
  int frame = 0;
  Vec2 at = Vec2::Zero();  ///< px.
  SceneCamera camera;
};

/// Of "31:640.5,360".
Result<PicturePlace> picturePlace(const DenseJob& job, const std::string& text) {
  int frame = 0, end = 0;
  double x = 0, y = 0;
  if (std::sscanf(text.c_str(), "%d:%lf,%lf%n", &frame, &x, &y, &end) != 3 || end != static_cast<int>(text.size()))
    return invalidInput(fmt::format("\"{}\" is no place in a picture: it is frame:x,y, px from the upper left corner, such as 31:640,360.", text));
  const auto camera = cameraIn(*job.shot.solution, job.shot.scene, frame);
  if (!camera) return invalidInput(fmt::format("Frame {} has no camera: nothing can be measured through it.", frame));
  return PicturePlace{frame, Vec2(x, y), *camera};
}

Result<std::vector<PicturePlace>> picturePlaces(const DenseJob& job, const std::vector<std::string>& asked) {
  std::vector<PicturePlace> places;
  for (const std::string& text : asked) {
    auto place = picturePlace(job, text);
    if (!place.ok()) return place.error();
    places.push_back(std::move(*place));
  }
  return places;
}

/// The dense points that are seen at places of pictures.
Status measure(const DenseJob& job, const std::vector<PicturePlace>& asked, Made& made) {
  constexpr double kReach_px = 2;
  const SceneFrame& scene = job.shot.scene;
  const Similarity& scene_from_solve = scene.scene_from_solve;
  std::vector<Vec3> in_scene;
  for (const auto& [frame, at, camera] : asked) {
    const auto ray = camera.lens.ray(at);
    const auto placeOf = [&](const DensePoint& p) { return scene_from_solve * p.at.cast<double>(); };
    const PickRay sight{
        .from = camera.pose.centre, .direction = ray ? camera.pose.direction(*ray) : Vec3::UnitZ(), .within_per_unit = kReach_px / camera.lens.focal_px};
    const auto found = ray ? pickedPoint(made.cleaned->points, placeOf, sight) : std::nullopt;
    if (!found)
      return invalidInput(fmt::format("No dense point is seen at {},{} in frame {}: it was cleaned up, or the set is not known there.", at.x(), at.y(), frame));
    in_scene.push_back(placeOf(made.cleaned->points[*found]));
    made.places.push_back(upAxisTurn(scene.up) * in_scene.back());
  }
  made.measured = measured(in_scene);
  return Done{};
}

nlohmann::ordered_json jsonOf(const std::vector<Vec3>& places, const PlacesMeasured& m) {
  nlohmann::ordered_json at = nlohmann::ordered_json::array();
  for (const Vec3& p : places) at.push_back({p.x(), p.y(), p.z()});
  return {{"places", at}, {"lengths", m.lengths}, {"plane_rms", numberOrNull(m.plane_rms)}, {"tilt_deg", numberOrNull(m.tilt_deg)}};
}

void printMeasured(const Made& made) {
  for (std::size_t k = 0; k < made.places.size(); ++k) {
    const Vec3& p = made.places[k];
    fmt::print("place {:<3} {:.4f} {:.4f} {:.4f}{}\n", k + 1, p.x(), p.y(), p.z(),
               k > 0 ? fmt::format(", {:.4f} from the one before", made.measured.lengths[k - 1]) : "");
  }
  if (!made.measured.plane) return;
  const std::string within = made.places.size() > 3 ? fmt::format("within {:.4f} (RMS), ", made.measured.plane_rms) : std::string();
  fmt::print("plane     of all: {}{:.2f}° to the ground\n", within, made.measured.tilt_deg);
}

void printJson(const Made& made) {
  const DenseResult& dense = *made.dense;
  nlohmann::ordered_json frames = nlohmann::ordered_json::array();
  for (const DenseFrame& frame : dense.frames)
    frames.push_back({{"frame", frame.frame},
                      {"parallax_deg", numberOrNull(degrees(frame.parallax_rad))},
                      {"agreeing_share", numberOrNull(frame.agreeing_share)},
                      {"correlation", numberOrNull(frame.correlation)},
                      {"pictures_off_px", numberOrNull(frame.off_px)}});
  nlohmann::ordered_json told = {{"format", "dusky-moth-dense"},
                                 {"version", 1},
                                 {"file", made.files.front().string()},
                                 {"quality", describe(dense.quality)},
                                 {"points", made.cleaned->points.size()},
                                 {"points_before_cleaning", dense.cloud.points.size()},
                                 {"seconds", {{"views", dense.views_s}, {"depth", dense.depth_s}, {"fuse", dense.fuse_s}}},
                                 {"keyframes", frames},
                                 {"pictures_off_px", numberOrNull(made.verdict.pictures_off_px)},
                                 {"verdict", {{"level", describe(made.verdict.level)}, {"sentence", made.verdict.sentence}}},
                                 {"warnings", dense.warnings}};
  if (made.surface)
    told["mesh"] = {{"file", made.files[1].string()},
                    {"texture_px", made.surface->mesh.texture ? made.surface->mesh.texture->picture.width : 0},
                    {"triangles", made.surface->mesh.triangles.size()},
                    {"triangles_before_reduction", made.surface->full},
                    {"cell", made.surface->cell}};
  if (!made.places.empty()) told["measured"] = jsonOf(made.places, made.measured);
  fmt::print("{}\n", told.dump(1));
}

void printText(const Made& made) {
  const DenseResult& dense = *made.dense;
  fmt::print("keyframes {:>8}\n", dense.frames.size());
  const std::size_t kept = made.cleaned->points.size(), all = dense.cloud.points.size();
  fmt::print("points    {:>8}{}\n", kept, kept == all ? std::string() : fmt::format(" of {}, cleaned up", all));
  if (made.surface) fmt::print("triangles {:>8} of {}\n", made.surface->mesh.triangles.size(), made.surface->full);
  if (made.surface && made.surface->mesh.texture)
    fmt::print("texture   {:>8} × {} px\n", made.surface->mesh.texture->picture.width, made.surface->mesh.texture->picture.height);
  const DenseFrame* worst = leastAgreed(dense);
  if (worst) fmt::print("least     frame {}: other views agree on {:.0f} % of what it shows\n", worst->frame, 100 * worst->agreeing_share);
  if (const DenseFrame* off = farthestOff(dense))
    fmt::print("pictures  lie within {:.2f} px of where the camera has them; most off in frame {}: {:.2f} px\n", std::max(0.01, made.verdict.pictures_off_px),
               off->frame, off->off_px);
  fmt::print("verdict   {}: {}\n", describe(made.verdict.level), made.verdict.sentence);
  fmt::print("time      {:.1f} s: pictures {:.1f}, depth {:.1f}, fusing {:.1f}\n", dense.views_s + dense.depth_s + dense.fuse_s, dense.views_s, dense.depth_s,
             dense.fuse_s);
  printMeasured(made);
  for (const std::string& warning : dense.warnings) fmt::print("note      {}\n", warning);
  for (const auto& file : made.files) fmt::print("{}\n", file.string());
}

int printForecast(const DenseJob& job, bool json) {
  const auto forecast = job.forecast();
  if (!forecast.ok()) return failWith(forecast.error());
  const auto megabytes = [](std::uintmax_t bytes) { return static_cast<double>(bytes) / 1e6; };
  if (json) {
    fmt::print("{}\n", nlohmann::ordered_json{{"keyframes", forecast->keyframes},
                                              {"keyframe_numbers", forecast->frames},
                                              {"width", forecast->width},
                                              {"height", forecast->height},
                                              {"seconds", forecast->seconds},
                                              {"memory_bytes", forecast->memory},
                                              {"disk_bytes", forecast->disk}}
                           .dump(1));
  } else {
    fmt::print("{} keyframes of {} × {}: about {:.0f} s, {:.0f} MB of memory, {:.0f} MB on the disk\n", forecast->keyframes, forecast->width, forecast->height,
               forecast->seconds, megabytes(forecast->memory), megabytes(forecast->disk));
  }
  return kSolved;
}

/// Whether such a mesh can be written.
Status checkMesh(const Arguments& a) {
  if (a.mesh.empty()) return a.texture == 0 ? Status(Done{}) : invalidInput("--texture is of a mesh: say with --mesh which file it goes to.");
  if (const Status fine = checkSurfaceName(a.mesh); !fine.ok()) return fine;
  if (a.texture != 0 && !takesTexture(a.mesh)) return invalidInput("A PLY file takes no texture: write the mesh as .obj, .glb or .usda.");
  return checkTextureSide(a.texture);
}

/// Nothing is worked out for a file that cannot be written. The mesh may go into the folder.
Status prepareOutput(const Arguments& a) {
  if (const Status folder = makeFolder(a.folder); !folder.ok()) return folder;
  if (a.mesh.empty()) return Done{};
  for (const auto& file : surfaceFiles(a.mesh, a.texture > 0)) {
    if (const Status fine = checkOutputFile(file, {a.project}); !fine.ok()) return fine;
  }
  return Done{};
}

Result<Made> make(const DenseJob& job, const Arguments& a, const Progress& progress) {
  Made made;
  const auto places = picturePlaces(job, a.measure);
  if (!places.ok()) return places.error();
  auto dense = job.run(progress.part(0, 0.85));
  if (!dense.ok()) return dense.error();
  made.dense = *dense;
  made.verdict = judgeSolution(*job.shot.solution, pictureOffsets(made.dense->frames));
  auto cleaned = cleanedDense(made.dense->cloud, job.settings(), job.shot.scene.scene_from_solve, progress.part(0.85, 0.88));
  if (!cleaned.ok()) return cleaned.error();
  made.cleaned = *cleaned;
  if (const Status told = measure(job, *places, made); !told.ok()) return told.error();
  const FileWorld world = fileWorldOf(job.shot.scene);
  made.files.push_back(std::filesystem::path(a.folder) / kDenseFile);
  if (const Status written = writeDensePly(made.files.back(), *made.cleaned, world, progress.part(0.88, 0.9)); !written.ok()) return written.error();
  if (a.mesh.empty()) return made;
  auto surface = job.surface(*made.cleaned, a.texture, progress.part(0.9, 0.99));
  if (!surface.ok()) return surface.error();
  made.surface = std::move(*surface);
  for (const auto& file : surfaceFiles(a.mesh, a.texture > 0)) made.files.push_back(file);
  const Similarity world_from_scene = world.world_from_solve * job.shot.scene.scene_from_solve.inverse();
  if (const Status written = writeSurface(a.mesh, made.surface->mesh, world_from_scene, world, progress.part(0.99, 1)); !written.ok()) return written.error();
  return made;
}

int makeDensePoints(const Arguments& a, std::stop_token stop) {
  const ThreadLimit limit(a.threads);
  Workspace workspace;
  if (const Status fine = checkMesh(a); !fine.ok()) return failWith(fine.error());
  if (const Status opened = openToRead(workspace, a.project); !opened.ok()) return failWith(opened.error());
  const auto& scene = workspace.scene();
  const DenseSettings settings = settingsFrom(a, workspace.document().dense, scene.ok() ? scene->up : UpAxis::Y);
  if (const Status fine = settings.check(); !fine.ok()) return failWith(fine.error());
  const auto job = workspace.denseJob(settings);
  if (!job.ok()) return failWith(job.error());
  if (a.forecast) return printForecast(*job, a.json);
  if (const Status fine = prepareOutput(a); !fine.ok()) return failWith(fine.error());
  const Progress line(progressListener(a.quiet || a.json ? ProgressStyle::Quiet : ProgressStyle::Line), stop);
  const auto made = make(*job, a, line);
  if (!made.ok()) return failWith(made.error());
  if (a.json) printJson(*made);
  if (!a.quiet && !a.json) {
    printText(*made);
    if (!job->shot.current) fmt::print("note      settings were changed since this solve: the points are of the solve as it was\n");
  }
  return kSolved;
}

void addCleaning(CLI::App& command, const std::shared_ptr<Arguments>& a) {
  command.add_option("--least-views", a->least_views, "Points on which fewer depth maps agree go, 3 to 16");
  command.add_option("--least-confidence", a->least_confidence, "Points of less confidence go, 0 to 1");
  command.add_option("--most-slant", a->most_slant, "Points of surfaces that no view sees more squarely go, degrees, 1 to 90");
  command.add_option("--most-color-apart", a->most_color_apart, "Points whose colours in the views are farther from their mean go, grey levels, 1 to 255");
  command.add_option("--least-neighbours", a->least_neighbours, "Points with less of the surface around them go, a share, 0 to 1");
  command.add_option("--region", a->region, "Points outside of a box go: x,y,z of two corners, in the world of report.json")->delimiter(',')->expected(6);
}

}  // namespace

void addDense(CLI::App& app, std::stop_token stop, int& code) {
  auto* command = app.add_subcommand(
      "dense",
      "Dense points of a solved project: depth maps of keyframes, made from the frames that see the same from elsewhere, fused where they agree, and cleaned\n"
      "up. Writes DIR/dense.ply: x y z, normal, colour, confidence, sigma, views; and a mesh, where one is asked for; in the world of report.json.\n"
      "What is not given here is as the project has it. What was made is kept beside the project: the next time only what changed is made anew, and a run\n"
      "that was stopped goes on.\n\n"
      "Exit codes: 0 written; 2 bad arguments or unreadable input, a camera without parallax, or a file that cannot be written; 130 cancelled.");
  auto a = std::make_shared<Arguments>();
  command->add_option("PROJECT", a->project, "A solved project (.moth)")->required();
  auto* folder = command->add_option("-o,--output", a->folder, "The folder; made when it is missing");
  command->add_option("--quality", a->quality, "Depth maps of a quarter of the footage's size (draft), half (good) or all of it (fine)")
      ->check(CLI::IsMember(qualities()));
  command->add_option("--spacing", a->spacing, "At most one point in a cell of this size, the surest; scene units; 0: all")->check(CLI::NonNegativeNumber);
  command->add_option("--keyframes", a->keyframes, "Frames that depth is made for, in place of those that the program chooses (--forecast --json lists them)")
      ->delimiter(',');
  addCleaning(*command, a);
  command->add_option("--mesh", a->mesh, "Writes their surface too, by its ending .ply, .obj, .glb or .usda");
  command->add_option("--texture", a->texture, "Covers it with the keyframes' pictures: the side of its texture at most, px (.obj, .glb, .usda)");
  command->add_option("--measure", a->measure,
                      "Places in pictures, FRAME:X,Y (px): where the dense points seen there lie, how far they are apart, and the plane of three or more");
  command->add_option("--triangles", a->triangles, "Of the mesh, at most")->check(CLI::PositiveNumber);
  auto* forecast = command->add_flag("--forecast", a->forecast, "Says how long it will take and how much memory, and does nothing");
  command->add_flag("--json", a->json, "Prints what was made as JSON");
  command->add_flag("--quiet", a->quiet, "Prints nothing");
  command->add_option("--threads", a->threads, "At most so many (all)")->check(CLI::NonNegativeNumber);
  command->callback([a, folder, forecast, stop, &code] {
    if (folder->count() == 0 && forecast->count() == 0) throw CLI::RequiredError("--output");
    code = makeDensePoints(*a, stop);
  });
}

}  // namespace dusky::cli
