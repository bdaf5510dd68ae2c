#include "core/track/track_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <sstream>

namespace dusky {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::string_view kHeader = "track,frame,x_px,y_px";
constexpr std::array<std::string_view, 6> kReasons = {"range", "left picture", "lost", "drifted", "masked", "ambiguous"};
constexpr std::array<std::string_view, 3> kSizes = {"fine", "medium", "coarse"};

template <class Enum, std::size_t N>
Enum named(const std::array<std::string_view, N>& names, const std::string& name) {
  const auto found = std::find(names.begin(), names.end(), name);
  if (found == names.end()) throw std::runtime_error(fmt::format("\"{}\" is not one of its words", name));
  return static_cast<Enum>(found - names.begin());
}

double places(double v) { return std::round(v * 1e6) / 1e6; }

/// Sorted and whole: ids ascending, frames ascending and each only once.
Status settle(TrackSet& set) {
  if (set.tracks.empty()) return unreadable("There are no tracks in it.");
  std::sort(set.tracks.begin(), set.tracks.end(), [](const Track& a, const Track& b) { return a.id < b.id; });
  set.first_frame = std::numeric_limits<int>::max(), set.last_frame = std::numeric_limits<int>::min();
  for (Track& track : set.tracks) {
    auto& seen = track.observations;
    std::sort(seen.begin(), seen.end(), [](const Observation& a, const Observation& b) { return a.frame < b.frame; });
    const auto twice = std::adjacent_find(seen.begin(), seen.end(), [](const Observation& a, const Observation& b) { return a.frame == b.frame; });
    if (twice != seen.end()) return unreadable(fmt::format("Track {} is twice in frame {}.", track.id, twice->frame));
    set.first_frame = std::min(set.first_frame, track.firstFrame());
    set.last_frame = std::max(set.last_frame, track.lastFrame());
  }
  return Done{};
}

}  // namespace

std::string tracksToCsv(const TrackSet& tracks) {
  std::string text = fmt::format("{}\n", kHeader);
  for (const Track& track : tracks.tracks) {
    for (const Observation& o : track.observations) text += fmt::format("{},{},{:.6f},{:.6f}\n", track.id, o.frame, o.position.x(), o.position.y());
  }
  return text;
}

std::string tracksToJson(const TrackSet& set) {
  Json tracks = Json::array();
  for (const Track& t : set.tracks) {
    Json seen = Json::array();
    for (const Observation& o : t.observations) seen.push_back({o.frame, places(o.position.x()), places(o.position.y())});
    tracks.push_back({{"id", t.id},
                      {"found_in", t.born()},
                      {"size", kSizes[static_cast<std::size_t>(t.size)]},
                      {"rgb", {t.color.r, t.color.g, t.color.b}},
                      {"starts", kReasons[static_cast<std::size_t>(t.start)]},
                      {"stops", kReasons[static_cast<std::size_t>(t.stop)]},
                      {"observations", std::move(seen)}});
  }
  return Json{{"format", "dusky-moth-tracks"}, {"version", 1},           {"width", set.width},        {"height", set.height},
              {"first", set.first_frame},      {"last", set.last_frame}, {"frames", set.used_frames}, {"tracks", std::move(tracks)}}
      .dump();
}

Result<TrackSet> tracksFromCsv(const std::string& text) {
  std::istringstream lines(text);
  std::string line;
  std::map<int, Track> tracks;
  for (int number = 1; std::getline(lines, line); ++number) {
    if (!line.empty() && line.back() == '\r') line.pop_back();
    if (line.empty() || (number == 1 && line == kHeader)) continue;
    int id = 0, frame = 0, used = 0;
    double x = 0, y = 0;
    if (std::sscanf(line.c_str(), "%d,%d,%lf,%lf%n", &id, &frame, &x, &y, &used) != 4 || used != static_cast<int>(line.size()) || !std::isfinite(x + y)) {
      return unreadable(fmt::format("Line {}: \"{}\" is not {}.", number, line.substr(0, 60), kHeader));
    }
    tracks[id].id = id;
    tracks[id].observations.push_back({frame, Vec2(x, y)});
  }
  TrackSet set;
  for (auto& [id, track] : tracks) set.tracks.push_back(std::move(track));
  if (const Status fine = settle(set); !fine.ok()) return fine.error();
  return set;
}

Result<TrackSet> tracksFromJson(const std::string& text) {
  TrackSet set;
  try {
    const Json json = Json::parse(text);
    if (json.at("format") != "dusky-moth-tracks") return unreadable("It is not a file of tracks.");
    if (json.at("version") != 1) return unreadable("It was written by a newer Dusky Moth.");
    set.width = json.at("width"), set.height = json.at("height");
    for (const Json& t : json.at("tracks")) {
      Track track{.id = t.at("id"), .color = {t.at("rgb").at(0), t.at("rgb").at(1), t.at("rgb").at(2)}};
      track.born_frame = t.at("found_in");
      track.size = named<FeatureSize>(kSizes, t.at("size"));
      track.start = named<StopReason>(kReasons, t.at("starts"));
      track.stop = named<StopReason>(kReasons, t.at("stops"));
      for (const Json& o : t.at("observations")) track.observations.push_back({o.at(0), Vec2(o.at(1).get<double>(), o.at(2).get<double>())});
      if (track.observations.empty()) return unreadable(fmt::format("Track {} has no observations.", track.id));
      set.tracks.push_back(std::move(track));
    }
    if (const Status fine = settle(set); !fine.ok()) return fine.error();
    set.first_frame = json.at("first"), set.last_frame = json.at("last");
    set.used_frames = json.at("frames").get<std::vector<int>>();
  } catch (const std::exception& problem) {
    return unreadable(fmt::format("The tracks cannot be read: {}.", problem.what()));
  }
  return set;
}

}  // namespace dusky
