#include <fmt/format.h>

#include <cmath>

#include "core/base/json_text.h"
#include "core/base/process.h"
#include "core/deliver/delivery.h"
#include "core/deliver/plate.h"
#include "core/deliver/pose_rows.h"
#include "core/review/verdict.h"

namespace dusky {
namespace {

using Json = nlohmann::ordered_json;

Json matrixOf(const Pose& pose) { return poseRows(pose.world_from_camera.toRotationMatrix(), pose.centre); }

double degrees(double radians) { return radians * 180 / M_PI; }

Json framesOf(const DeliveryInput& input, Json& missing) {
  const Similarity world_from_solve = input.scene.worldFromSolve();
  Json frames = Json::array();
  for (const SolvedFrame& frame : input.solution.frames) {
    if (!frame.placed) {
      missing.push_back(frame.frame);
      continue;
    }
    Json one = {{"frame", frame.frame},
                {"image", nullptr},
                {"camera", input.solution.cameras[frame.camera].name},
                {"world_from_camera", matrixOf(world_from_solve * frame.pose)},
                {"sigma",
                 {{"centre", numberOrNull(input.scene.scene_from_solve.scale * frame.sigma_centre)},
                  {"rotation_deg", numberOrNull(degrees(frame.sigma_rotation_rad))}}},
                {"rms_px", numberOrNull(frame.rms_px)},
                {"holdout_rms_px", numberOrNull(frame.holdout_rms_px)},
                {"tracks", frame.tracks}};
    if (!std::isnan(frame.focal_px)) one["focal_px"] = frame.focal_px, one["sigma"]["focal_px"] = numberOrNull(frame.sigma_focal_px);
    frames.push_back(std::move(one));
  }
  return frames;
}

/// Distorted pixel to undistorted ray, over the whole picture, corners included.
Json lensSamples(const Lens& lens) {
  constexpr int kGrid = 17;
  Json samples = Json::array();
  for (int j = 0; j < kGrid; ++j) {
    for (int i = 0; i < kGrid; ++i) {
      const Vec2 pixel(static_cast<double>(lens.width) * i / (kGrid - 1), static_cast<double>(lens.height) * j / (kGrid - 1));
      if (const auto n = lens.undistort(pixel)) samples.push_back({pixel.x(), pixel.y(), n->x(), n->y()});
    }
  }
  return samples;
}

/// A zoom has samples of every frame.
Json allLensSamples(const Solution& solution, int camera) {
  Json all = Json::array();
  if (!solution.zooms()) return Json::array({{{"frame", nullptr}, {"samples", lensSamples(solution.cameras[camera].lens)}}});
  for (const SolvedFrame& frame : solution.frames) {
    if (frame.placed && frame.camera == camera) all.push_back({{"frame", frame.frame}, {"samples", lensSamples(solution.lensAt(frame))}});
  }
  return all;
}

Json cameraOf(const Solution& solution, int index) {
  const SolvedCamera& camera = solution.cameras[index];
  const Lens& lens = camera.lens;
  Json parameters = Json::object(), sigma = Json::object();
  const auto names = lensParameterNames(lens.model);
  for (std::size_t k = 0; k < names.size(); ++k) {
    parameters[std::string(names[k])] = lens.parameters()[k];
    sigma[std::string(names[k])] = numberOrNull(camera.sigma[k]);
  }
  Json curve = Json::array();
  for (const LensCurvePoint& p : camera.curve) curve.push_back({{"radius_px", p.radius_px}, {"bend_px", p.bend_px}, {"sigma_px", numberOrNull(p.sigma_px)}});
  return {{"width", lens.width},
          {"height", lens.height},
          {"pixel_aspect", lens.pixel_aspect},
          {"lens",
           {{"model", describe(lens.model)}, {"parameters", parameters}, {"sigma", sigma}, {"sigma_px", numberOrNull(camera.lens_sigma_px)}, {"curve", curve}}},
          {"lens_samples", allLensSamples(solution, index)}};
}

Json camerasOf(const Solution& solution) {
  Json cameras = Json::object();
  for (std::size_t i = 0; i < solution.cameras.size(); ++i) cameras[solution.cameras[i].name] = cameraOf(solution, static_cast<int>(i));
  return cameras;
}

/// What delivered cameras fit: never the footage itself, which its lens bends and may hold off its axis.
Json undistortedOf(const Plate& plate) {
  return {{"width", plate.width},
          {"height", plate.height},
          {"pixel_aspect", plate.pixel_aspect},
          {"focal_px", plate.focal_px > 0 ? Json(plate.focal_px) : Json()},
          {"centre", {0.5 * plate.width, 0.5 * plate.height}},
          {"overscan", {plate.left, plate.top}},
          {"cut_share", plate.cut_share},
          {"note",
           "camera files fit this picture, without distortion and with the axis in its middle, not the footage itself; focal_px null: the lens's own in each "
           "frame"}};
}

Json pointsOf(const DeliveryInput& input) {
  const Similarity world_from_solve = input.scene.worldFromSolve();
  Json points = Json::array();
  for (const SolvedTrack& track : input.solution.tracks) {
    if (track.state != TrackState::Kept) continue;
    const Vec3 p = world_from_solve * track.point;
    points.push_back({{"id", track.id},
                      {"xyz", {p.x(), p.y(), p.z()}},
                      {"rgb", {track.color.r, track.color.g, track.color.b}},
                      {"typical_error_px", numberOrNull(track.typical_error_px)},
                      {"life", track.life},
                      {"parallax_deg", numberOrNull(degrees(track.parallax_rad))},
                      {"sigma", numberOrNull(track.at_infinity ? kUnknown : input.scene.scene_from_solve.scale * track.sigma_point)},
                      {"far", track.at_infinity},
                      {"holdout", track.holdout}});
  }
  return points;
}

/// In scene coordinates. A line's direction stands where a plane's normal does; `offset` is a plane's.
Json setOf(const SolvedSet& set, const Similarity& scene) {
  const Vec3 axis = scene.rotation * set.axis, foot = scene * Vec3(set.offset * set.axis), through = scene * set.through;
  const bool plane = set.kind == SetKind::Plane;
  Json disagree = Json::array();
  for (const auto& d : set.disagree) disagree.push_back({{"track", d.track}, {"sigmas", d.sigmas}});
  return {{"name", set.name},
          {"kind", describe(set.kind)},
          {"orientation", describe(set.facing)},
          {"normal", {axis.x(), axis.y(), axis.z()}},
          {"offset", plane ? Json(axis.dot(foot)) : Json()},
          {"through", {through.x(), through.y(), through.z()}},
          {"sigma_normal_deg", numberOrNull(degrees(set.sigma_axis_rad))},
          {"sigma_offset", numberOrNull(scene.scale * set.sigma_offset)},
          {"members", set.tracks},
          {"rms", numberOrNull(scene.scale * set.rms)},
          {"rms_px_with", numberOrNull(set.rms_px_with)},
          {"rms_px_without", numberOrNull(set.rms_px_without)},
          {"disagree", disagree},
          {"undetermined", set.undetermined.empty() ? Json() : Json(set.undetermined)}};
}

/// Angles in degrees, all else in scene units.
Json statementOf(const SolvedStatement& s) {
  const auto figure = [&s](double v) { return numberOrNull(s.turns ? degrees(v) : v); };
  Json json{{"name", s.name},
            {"kind", describe(s.kind)},
            {"members", s.tracks},
            {"asked", figure(s.asked)},
            {"found", figure(s.found)},
            {"without", figure(s.without)},
            {"unit", s.turns ? "deg" : "scene"},
            {"cost_sigmas", numberOrNull(s.cost_sigmas)},
            {"undetermined", s.undetermined.empty() ? Json() : Json(s.undetermined)}};
  if (!s.a.empty()) json["a"] = s.a;
  if (!s.b.empty()) json["b"] = s.b;
  if (s.kind == StatementKind::Angle) json["degrees"] = figure(s.found), json["degrees_without"] = figure(s.without);
  if (s.kind == StatementKind::Survey) json["rms_px"] = numberOrNull(s.rms_px);
  return json;
}

Json knowledgeOf(const DeliveryInput& input) {
  const Similarity world_from_solve = input.scene.worldFromSolve();
  Json list = Json::array();
  for (const SolvedSet& set : input.solution.knowledge.sets) list.push_back(setOf(set, world_from_solve));
  for (const SolvedStatement& statement : input.solution.knowledge.statements) list.push_back(statementOf(statement));
  return list;
}

/// What statements that are loose or off would cost.
Json ifExactOf(const SolvedKnowledge& known) {
  Json list = Json::array();
  for (const IfExact& one : known.if_exact) list.push_back({{"statement", one.key}, {"cost_sigmas", numberOrNull(one.cost_sigmas)}});
  return list;
}

Json stretchesOf(const Solution& solution) {
  Json stretches = Json::array();
  for (const Stretch& stretch : solution.stretches)
    stretches.push_back({{"first", stretch.first}, {"last", stretch.last}, {"what", "the camera only rotates"}});
  return stretches;
}

Json staircaseOf(const Solution& solution) {
  Json steps = Json::array();
  for (const StaircaseStep& step : solution.staircase) {
    steps.push_back({{"released", step.released},
                     {"rms_px", numberOrNull(step.rms_px)},
                     {"holdout_rms_px", numberOrNull(step.holdout_rms_px)},
                     {"rms_before_px", numberOrNull(step.rms_before_px)},
                     {"holdout_before_px", numberOrNull(step.holdout_before_px)},
                     {"kept", step.kept},
                     {"why", step.why}});
  }
  return steps;
}

Json moversOf(const Solution& solution) {
  Json movers = Json::array();
  for (const Mover& m : solution.movers)
    movers.push_back({{"name", m.name}, {"first", m.first}, {"last", m.last}, {"tracks", m.tracks}, {"rms_px", numberOrNull(m.rms_px)}});
  return movers;
}

Json jsonOf(const Verdict& verdict) {
  Json causes = Json::array();
  for (const Cause& cause : verdict.causes) {
    causes.push_back({{"what", cause.what},
                      {"first", cause.frames ? Json(cause.frames->first) : Json()},
                      {"last", cause.frames ? Json(cause.frames->last) : Json()},
                      {"sentence", cause.sentence},
                      {"significance", numberOrNull(cause.significance)}});
  }
  return {{"level", describe(verdict.level)},
          {"sentence", verdict.sentence},
          {"explained_share", numberOrNull(verdict.explained_share)},
          {"noise_floor_px", numberOrNull(verdict.noise_floor_px)},
          {"stability_px", numberOrNull(verdict.stability_px)},
          {"likely_slip_px", numberOrNull(verdict.likely_slip_px)},
          {"pictures_off_px", numberOrNull(verdict.pictures_off_px)},
          {"causes", std::move(causes)}};
}

Json adviceOf(const std::vector<Advice>& advice) {
  Json all = Json::array();
  for (const Advice& a : advice) {
    all.push_back({{"action", describe(a.action)},
                   {"sentence", a.sentence},
                   {"holdout_px", numberOrNull(a.holdout_px)},
                   {"slip_px", numberOrNull(a.slip_px)},
                   {"gain_px", numberOrNull(a.gain_px)},
                   {"first", a.frames ? Json(a.frames->first) : Json()},
                   {"last", a.frames ? Json(a.frames->last) : Json()},
                   {"tracks", a.choice.tracks}});
  }
  return all;
}
}  // namespace

std::string reportJson(const DeliveryInput& input, const DeliveryChoices& choices) {
  const Solution& s = input.solution;
  Json missing = Json::array();
  Json frames = framesOf(input, missing);
  Json warnings = s.summary.warnings;
  for (const std::string& warning : input.warnings) warnings.push_back(warning);
  Json report = {{"format", "dusky-moth-report"},
                 {"version", 1},
                 {"footage",
                  {{"path", input.footage.path},
                   {"width", input.footage.width},
                   {"height", input.footage.height},
                   {"fps", input.footage.fps},
                   {"first", input.footage.first},
                   {"last", input.footage.last}}},
                 {"units", input.scene.metric ? "metres" : "units"},
                 {"up", input.scene.up == UpAxis::Z ? "z" : "y"},
                 {"up_sigma_deg", numberOrNull(degrees(input.scene.sigma_up_rad))},
                 {"frames", std::move(frames)},
                 {"missing_frames", std::move(missing)},
                 {"cameras", camerasOf(s)},
                 {"undistorted", undistortedOf(plateOf(s, choices.plates))},
                 {"points", pointsOf(input)},
                 {"rms_px", numberOrNull(s.rms_px)},
                 {"holdout_rms_px", numberOrNull(s.holdout_rms_px)},
                 {"holdout", {{"tracks", s.summary.holdout_tracks}, {"kept", s.summary.holdout_kept}, {"tolerance_px", numberOrNull(s.summary.tolerance_px)}}},
                 {"tracks_total", s.tracks.size()},
                 {"tracks_kept", s.keptTracks()},
                 {"motion", describe(s.motion)},
                 {"motion_why", s.whyMotion()},
                 {"stretches", stretchesOf(s)},
                 {"readout", {{"frames", s.readout}, {"sigma", numberOrNull(s.sigma_readout)}}},
                 {"readout_ms", 1000 * s.readout / input.footage.fps},
                 {"verdict", jsonOf(judgeSolution(s, input.pictures))},
                 {"advice", adviceOf(input.advice)},
                 {"movers", moversOf(s)},
                 {"knowledge", knowledgeOf(input)},
                 {"knowledge_if_exact", ifExactOf(input.solution.knowledge)},
                 {"staircase", staircaseOf(s)},
                 {"timings_s",
                  {{"decode", numberOrNull(input.timings.decode_s)},
                   {"track", numberOrNull(input.timings.track_s)},
                   {"solve", numberOrNull(input.timings.solve_s)},
                   {"total", numberOrNull(input.timings.total_s)}}},
                 {"peak_rss_mb", std::round(peakResidentMb())},
                 {"warnings", std::move(warnings)}};
  return report.dump(1) + "\n";
}
}  // namespace dusky
