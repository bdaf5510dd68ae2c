#include "core/project/result_codec.h"

#include <cstring>

#include "core/base/json_text.h"
#include "core/project/knowledge_codec.h"

namespace dusky {
namespace {

using Json = nlohmann::json;
constexpr int kVersion = 2, kSolutionVersion = 7, kSolutionWithErrors = 6;

/// Plain numbers as one byte string, little-endian as the machine has them.
template <class T>
Json packed(const std::vector<T>& values) {
  std::vector<std::uint8_t> bytes(values.size() * sizeof(T));
  if (!values.empty()) std::memcpy(bytes.data(), values.data(), bytes.size());
  return Json::binary(std::move(bytes));
}

template <class T>
std::vector<T> unpacked(const Json& json) {
  const auto& bytes = json.get_binary();
  if (bytes.size() % sizeof(T) != 0) throw std::runtime_error("a list is cut off");
  std::vector<T> values(bytes.size() / sizeof(T));
  if (!values.empty()) std::memcpy(values.data(), bytes.data(), bytes.size());
  return values;
}

/// A number that must be one of an enumeration's.
template <class Enum>
Enum named(int value, Enum last) {
  if (value < 0 || value > static_cast<int>(last)) throw std::runtime_error("a code is out of range");
  return static_cast<Enum>(value);
}

/// Unknown numbers survive CBOR, but not as JSON text; keep them explicit.
Json number(double v) { return std::isnan(v) ? Json(nullptr) : Json(v); }
double numberOf(const Json& json) { return json.is_null() ? kUnknown : json.get<double>(); }

std::string toBytes(const Json& json) {
  std::string bytes;
  Json::to_cbor(json, nlohmann::detail::output_adapter<char>(bytes));
  return bytes;
}

template <class Value, class Read>
Result<std::shared_ptr<Value>> decodeWith(const std::string& bytes, std::string_view kind, int oldest, int newest, const Read& read) {
  try {
    const auto json = parsedJson<Json>(bytes, nlohmann::detail::input_format_t::cbor);
    const int version = json.at("version");
    if (json.at("kind") != kind || version < oldest || version > newest) return unreadable("A stored result is of another version; run the step again.");
    auto value = std::make_shared<Value>();
    read(json, *value);
    return value;
  } catch (const std::exception&) {
    return unreadable("A stored result is damaged; run the step again.");
  }
}

Json poseJson(const Pose& pose) {
  const auto& q = pose.world_from_camera;
  return {q.w(), q.x(), q.y(), q.z(), pose.centre.x(), pose.centre.y(), pose.centre.z()};
}

Pose poseOf(const Json& j) {
  return {Eigen::Quaterniond(j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>(), j.at(3).get<double>()),
          Vec3(j.at(4).get<double>(), j.at(5).get<double>(), j.at(6).get<double>())};
}

/// The upper triangle, row by row.
void addCovariance(const Mat3& c, std::vector<double>& values) { values.insert(values.end(), {c(0, 0), c(0, 1), c(0, 2), c(1, 1), c(1, 2), c(2, 2)}); }

Mat3 covarianceOf(const double* v) {
  Mat3 c;
  c << v[0], v[1], v[2], v[1], v[3], v[4], v[2], v[4], v[5];
  return c;
}

/// Errors and reprojections are left out: they follow from cameras, points and tracks.
void addTracks(const std::vector<SolvedTrack>& tracks, Json& json) {
  std::vector<int> heads;
  std::vector<double> values, covariances;
  std::vector<std::uint8_t> used;
  for (const SolvedTrack& t : tracks) {
    heads.insert(heads.end(), {t.id, static_cast<int>(t.state), static_cast<int>(t.reason), t.holdout, t.color.r, t.color.g, t.color.b, t.life, t.worst_frame,
                               t.at_infinity, static_cast<int>(t.errors.size())});
    values.insert(values.end(), {t.point.x(), t.point.y(), t.point.z(), t.typical_error_px, t.worst_error_px, t.parallax_rad, t.sigma_point});
    for (const TrackError& e : t.errors) used.push_back(e.used);
    addCovariance(t.covariance, covariances);
  }
  json["track_heads"] = packed(heads), json["track_values"] = packed(values), json["used"] = packed(used), json["covariances"] = packed(covariances);
}

std::vector<SolvedTrack> tracksOf(const Json& json) {
  constexpr std::size_t kHead = 11, kValues = 7, kCovariance = 6;
  const auto heads = unpacked<int>(json.at("track_heads"));
  const auto values = unpacked<double>(json.at("track_values"));
  const auto used = unpacked<std::uint8_t>(json.at("used"));
  const std::size_t count = heads.size() / kHead;
  const auto covariances = json.contains("covariances") ? unpacked<double>(json.at("covariances")) : std::vector<double>(kCovariance * count, kUnknown);
  if (heads.size() != kHead * count || values.size() != kValues * count || covariances.size() != kCovariance * count)
    throw std::runtime_error("lists of different length");
  std::vector<SolvedTrack> tracks(count);
  std::size_t next = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const int* head = &heads[kHead * i];
    const double* value = &values[kValues * i];
    SolvedTrack& t = tracks[i];
    t.id = head[0], t.state = named(head[1], TrackState::Unplaced), t.reason = named(head[2], AsideReason::Slides), t.holdout = head[3] != 0;
    t.color = {static_cast<std::uint8_t>(head[4]), static_cast<std::uint8_t>(head[5]), static_cast<std::uint8_t>(head[6])};
    t.life = head[7], t.worst_frame = head[8], t.at_infinity = head[9] != 0;
    t.point = Vec3(value[0], value[1], value[2]);
    t.typical_error_px = value[3], t.worst_error_px = value[4], t.parallax_rad = value[5], t.sigma_point = value[6];
    t.covariance = covarianceOf(&covariances[kCovariance * i]);
    if (head[10] < 0 || used.size() - next < static_cast<std::size_t>(head[10])) throw std::runtime_error("lists of different length");
    t.errors.resize(static_cast<std::size_t>(head[10]));
    for (TrackError& e : t.errors) e.used = used[next++] != 0;
  }
  return tracks;
}

/// As they were stored up to version 6, with their errors.
SolvedTrack trackOf(const Json& j) {
  SolvedTrack t;
  t.id = j.at("id");
  t.state = named(j.at("state").get<int>(), TrackState::Unplaced);
  t.reason = named(j.at("reason").get<int>(), AsideReason::Slides);
  t.holdout = j.at("holdout");
  t.point = Vec3(j.at("point").at(0).get<double>(), j.at("point").at(1).get<double>(), j.at("point").at(2).get<double>());
  t.color = {j.at("color").at(0), j.at("color").at(1), j.at("color").at(2)};
  t.life = j.at("life");
  t.typical_error_px = numberOf(j.at("typical"));
  t.worst_error_px = numberOf(j.at("worst"));
  t.worst_frame = j.at("worst_frame");
  t.parallax_rad = numberOf(j.at("parallax"));
  t.at_infinity = j.at("far"), t.sigma_point = numberOf(j.at("sigma"));
  const auto frames = unpacked<int>(j.at("frames"));
  const auto values = unpacked<double>(j.at("values"));
  const auto used = unpacked<std::uint8_t>(j.at("used"));
  if (values.size() != 3 * frames.size() || used.size() != frames.size()) throw std::runtime_error("lists of different length");
  for (std::size_t i = 0; i < frames.size(); ++i) t.errors.push_back({frames[i], Vec2(values[3 * i], values[3 * i + 1]), values[3 * i + 2], used[i] != 0});
  return t;
}

Json patternsJson(const std::vector<ResidualPattern>& patterns) {
  Json list = Json::array();
  for (const ResidualPattern& p : patterns) list.push_back({p.kind, number(p.sigmas), number(p.amplitude_px)});
  return list;
}

Json moversJson(const std::vector<Mover>& movers) {
  Json list = Json::array();
  for (const Mover& m : movers) list.push_back({m.name, m.first, m.last, m.tracks, number(m.rms_px), number(m.kept_share)});
  return list;
}

Mover moverOf(const Json& j) { return {j.at(0), j.at(1), j.at(2), j.at(3).get<std::vector<int>>(), numberOf(j.at(4)), numberOf(j.at(5))}; }

/// Later numbers come after earlier ones: what an older file does not have stays unknown.
Json evidenceJson(const Evidence& e) {
  return {number(e.noise_floor_px),
          number(e.explained_share),
          number(e.focal_sigma_share),
          e.rival.name,
          number(e.rival.share),
          number(e.rival.gain),
          number(e.rival.unknowns),
          number(e.rival.slip_px),
          number(e.slip_sigma_px),
          number(e.focal_slip_px),
          number(e.stability_px),
          e.beyond_infinity_share,
          number(e.noise_over_time_px),
          patternsJson(e.patterns),
          number(e.scale_sigma_share),
          e.scale_frame,
          number(e.flatness),
          number(e.path_share),
          e.focal_assumed,
          number(e.freed_slip_px),
          e.rival.stays};
}

void readEvidence(const Json& j, Evidence& e) {
  e.noise_floor_px = numberOf(j.at(0)), e.explained_share = numberOf(j.at(1)), e.focal_sigma_share = numberOf(j.at(2));
  e.rival.name = j.at(3), e.rival.share = numberOf(j.at(4));
  if (j.size() < 13) return;
  e.rival.gain = numberOf(j.at(5)), e.rival.unknowns = j.at(6), e.rival.slip_px = numberOf(j.at(7));
  e.slip_sigma_px = numberOf(j.at(8)), e.focal_slip_px = numberOf(j.at(9)), e.stability_px = numberOf(j.at(10));
  e.beyond_infinity_share = j.at(11), e.noise_over_time_px = numberOf(j.at(12));
  if (j.size() < 17) return;
  e.scale_sigma_share = numberOf(j.at(14)), e.scale_frame = j.at(15), e.flatness = numberOf(j.at(16));
  if (j.size() > 17) e.path_share = numberOf(j.at(17));
  if (j.size() > 18) e.focal_assumed = j.at(18);
  if (j.size() > 20) e.freed_slip_px = numberOf(j.at(19)), e.rival.stays = j.at(20);
  for (const Json& p : j.at(13)) e.patterns.push_back({named(p.at(0).get<int>(), PatternKind::Path), numberOf(p.at(1)), numberOf(p.at(2))});
}

Json summaryJson(const SolveSummary& s) {
  return {{"termination", s.termination},   {"rounds", s.rounds},
          {"observations", s.observations}, {"holdout_tracks", s.holdout_tracks},
          {"holdout_kept", s.holdout_kept}, {"tolerance_px", number(s.tolerance_px)},
          {"total_s", number(s.total_s)},   {"warnings", s.warnings}};
}

void readSummary(const Json& j, SolveSummary& s) {
  s.termination = named(j.at("termination").get<int>(), Termination::Cancelled);
  s.rounds = j.at("rounds");
  s.observations = j.at("observations");
  s.holdout_tracks = j.at("holdout_tracks");
  s.holdout_kept = j.at("holdout_kept");
  s.tolerance_px = numberOf(j.at("tolerance_px"));
  s.total_s = numberOf(j.at("total_s"));
  s.warnings = j.at("warnings").get<std::vector<std::string>>();
}
}  // namespace

std::string encode(const TrackSet& set) {
  std::vector<int> heads, frames;
  std::vector<double> places;
  for (const Track& t : set.tracks) {
    heads.insert(heads.end(), {t.id, t.color.r, t.color.g, t.color.b, static_cast<int>(t.stop), static_cast<int>(t.start), t.born_frame,
                               static_cast<int>(t.size), t.life()});
    for (const Observation& o : t.observations) {
      frames.push_back(o.frame);
      places.insert(places.end(), {o.position.x(), o.position.y()});
    }
  }
  const TrackSummary& s = set.summary;
  return toBytes({{"kind", "tracks"},
                  {"version", kVersion},
                  {"width", set.width},
                  {"height", set.height},
                  {"first", set.first_frame},
                  {"last", set.last_frame},
                  {"used", packed(set.used_frames)},
                  {"barren", packed(set.textureless)},
                  {"heads", packed(heads)},
                  {"frames", packed(frames)},
                  {"places", packed(places)},
                  {"summary",
                   {{"termination", s.termination},
                    {"frames", s.frames},
                    {"found", s.found},
                    {"rejoined", s.rejoined},
                    {"too_short", s.too_short},
                    {"decode_s", number(s.decode_s)},
                    {"track_s", number(s.track_s)},
                    {"total_s", number(s.total_s)},
                    {"detect_s", number(s.detect_s)},
                    {"forward_s", number(s.forward_s)},
                    {"backward_s", number(s.backward_s)},
                    {"warnings", s.warnings}}}});
}

Result<TrackSetPtr> decodeTracks(const std::string& bytes) {
  auto decoded = decodeWith<TrackSet>(bytes, "tracks", kVersion, kVersion, [](const Json& j, TrackSet& set) {
    set.width = j.at("width"), set.height = j.at("height");
    set.first_frame = j.at("first"), set.last_frame = j.at("last");
    const auto heads = unpacked<int>(j.at("heads")), frames = unpacked<int>(j.at("frames"));
    const auto places = unpacked<double>(j.at("places"));
    set.used_frames = unpacked<int>(j.at("used"));
    if (j.contains("barren")) set.textureless = unpacked<std::uint8_t>(j.at("barren"));
    constexpr int kHead = 9;
    if (heads.size() % kHead != 0 || places.size() != 2 * frames.size()) throw std::runtime_error("lists of different length");
    std::size_t next = 0;
    for (std::size_t h = 0; h < heads.size(); h += kHead) {
      Track t{.id = heads[h],
              .color = {static_cast<std::uint8_t>(heads[h + 1]), static_cast<std::uint8_t>(heads[h + 2]), static_cast<std::uint8_t>(heads[h + 3])},
              .stop = named(heads[h + 4], StopReason::Ambiguous),
              .start = named(heads[h + 5], StopReason::Ambiguous),
              .born_frame = heads[h + 6],
              .size = named(heads[h + 7], FeatureSize::Coarse)};
      for (int k = 0; k < heads[h + 8]; ++k, ++next) t.observations.push_back({frames.at(next), Vec2(places[2 * next], places[2 * next + 1])});
      set.tracks.push_back(std::move(t));
    }
    const Json& s = j.at("summary");
    TrackSummary& summary = set.summary;
    summary.termination = named(s.at("termination").get<int>(), Termination::Cancelled);
    summary.frames = s.at("frames"), summary.found = s.at("found"), summary.too_short = s.at("too_short"), summary.rejoined = s.at("rejoined");
    summary.decode_s = numberOf(s.at("decode_s")), summary.track_s = numberOf(s.at("track_s")), summary.total_s = numberOf(s.at("total_s"));
    summary.detect_s = numberOf(s.at("detect_s")), summary.forward_s = numberOf(s.at("forward_s")), summary.backward_s = numberOf(s.at("backward_s"));
    summary.warnings = s.at("warnings").get<std::vector<std::string>>();
  });
  return decoded.ok() ? Result<TrackSetPtr>(std::move(*decoded)) : decoded.error();
}

namespace {

template <class Numbers>
Json numbersJson(const Numbers& values) {
  Json list = Json::array();
  for (const double v : values) list.push_back(number(v));
  return list;
}

LensParameters numbersOf(const Json& list) {
  LensParameters values{};
  for (std::size_t k = 0; k < values.size(); ++k) values[k] = numberOf(list.at(k));
  return values;
}

Json frameJson(const SolvedFrame& f) {
  return {f.frame,
          f.placed,
          f.why_not,
          f.camera,
          number(f.focal_px),
          number(f.sigma_focal_px),
          poseJson(f.pose),
          number(f.sigma_centre),
          number(f.sigma_rotation_rad),
          number(f.rms_px),
          number(f.holdout_rms_px),
          f.tracks};
}

SolvedFrame frameOf(const Json& j) {
  return {j.at(0),         j.at(1),           j.at(2),           j.at(3),           numberOf(j.at(4)),  numberOf(j.at(5)),
          poseOf(j.at(6)), numberOf(j.at(7)), numberOf(j.at(8)), numberOf(j.at(9)), numberOf(j.at(10)), j.at(11)};
}

Json cameraJson(const SolvedCamera& c) {
  const Lens& lens = c.lens;
  Json curve = Json::array();
  for (const LensCurvePoint& p : c.curve) curve.push_back({p.radius_px, p.bend_px, number(p.sigma_px)});
  return {{"name", c.name},
          {"model", lens.model},
          {"width", lens.width},
          {"height", lens.height},
          {"pixel_aspect", lens.pixel_aspect},
          {"parameters", lens.parameters()},
          {"sigma", numbersJson(c.sigma)},
          {"sigma_px", number(c.lens_sigma_px)},
          {"curve", std::move(curve)}};
}

SolvedCamera cameraOf(const Json& j) {
  SolvedCamera c{.name = j.at("name")};
  c.lens = Lens::simple(j.at("width"), j.at("height"), 0, named(j.at("model").get<int>(), LensModel::Anamorphic));
  c.lens.pixel_aspect = j.at("pixel_aspect");
  c.lens.setParameters(j.at("parameters").get<LensParameters>());
  c.sigma = numbersOf(j.at("sigma"));
  c.lens_sigma_px = numberOf(j.at("sigma_px"));
  for (const Json& p : j.at("curve")) c.curve.push_back({p.at(0), p.at(1), numberOf(p.at(2))});
  return c;
}

Json stepJson(const StaircaseStep& s) {
  return {s.released, number(s.rms_px), number(s.holdout_rms_px), s.kept, number(s.rms_before_px), number(s.holdout_before_px), s.why};
}

StaircaseStep stepOf(const Json& j) { return {j.at(0), numberOf(j.at(1)), numberOf(j.at(2)), j.at(3), numberOf(j.at(4)), numberOf(j.at(5)), j.at(6)}; }
}  // namespace

std::string encode(const Solution& s) {
  Json frames = Json::array(), steps = Json::array(), cameras = Json::array(), stretches = Json::array();
  for (const SolvedFrame& f : s.frames) frames.push_back(frameJson(f));
  for (const StaircaseStep& step : s.staircase) steps.push_back(stepJson(step));
  for (const SolvedCamera& camera : s.cameras) cameras.push_back(cameraJson(camera));
  for (const Stretch& stretch : s.stretches) stretches.push_back({stretch.first, stretch.last});
  Json json = {{"kind", "solution"},
               {"version", kSolutionVersion},
               {"frames", frames},
               {"staircase", steps},
               {"cameras", cameras},
               {"stretches", stretches},
               {"movers", moversJson(s.movers)},
               {"readout", {s.readout, number(s.sigma_readout)}},
               {"rms", number(s.rms_px)},
               {"holdout_rms", number(s.holdout_rms_px)},
               {"motion", {s.motion, s.motion_why, s.path_why}},
               {"evidence", evidenceJson(s.evidence)},
               {"summary", summaryJson(s.summary)}};
  if (!s.knowledge.empty()) json["knowledge"] = encodeKnowledge(s.knowledge);
  addTracks(s.tracks, json);
  return toBytes(json);
}

Result<std::shared_ptr<Solution>> decodeSolution(const std::string& bytes) {
  return decodeWith<Solution>(bytes, "solution", kSolutionWithErrors, kSolutionVersion, [](const Json& j, Solution& s) {
    for (const Json& f : j.at("frames")) s.frames.push_back(frameOf(f));
    if (j.contains("tracks")) {
      for (const Json& t : j.at("tracks")) s.tracks.push_back(trackOf(t));
    } else {
      s.tracks = tracksOf(j);
    }
    for (const Json& step : j.at("staircase")) s.staircase.push_back(stepOf(step));
    s.cameras.clear();
    for (const Json& camera : j.at("cameras")) s.cameras.push_back(cameraOf(camera));
    for (const Json& stretch : j.at("stretches")) s.stretches.push_back({stretch.at(0), stretch.at(1)});
    if (j.contains("movers")) {
      for (const Json& mover : j.at("movers")) s.movers.push_back(moverOf(mover));
    }
    s.readout = j.at("readout").at(0), s.sigma_readout = numberOf(j.at("readout").at(1));
    s.rms_px = numberOf(j.at("rms"));
    s.holdout_rms_px = numberOf(j.at("holdout_rms"));
    const Json& motion = j.at("motion");
    s.motion = named(motion.at(0).get<int>(), MotionKind::Arc), s.motion_why = motion.at(1), s.path_why = motion.at(2);
    readEvidence(j.at("evidence"), s.evidence);
    readSummary(j.at("summary"), s.summary);
    if (j.contains("knowledge")) s.knowledge = decodeKnowledge(j.at("knowledge"));
  });
}
}  // namespace dusky
