#include "core/track/track_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <map>
#include <sstream>

#include "core/base/atomic_file.h"
#include "core/base/json_text.h"

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

/// A wrong number in a file must not make a shot of a billion frames of it.
Status checkSpan(int first, int last) {
  constexpr std::int64_t kMost = 200'000;
  const std::int64_t frames = std::int64_t{last} - first + 1;
  if (frames <= kMost) return Done{};
  return unreadable(
      fmt::format("Its frames reach from {} to {}: that is {} frames, and at most {} make a shot. Is one of the numbers wrong?", first, last, frames, kMost));
}

/// One field of a line, up to `end_of_field`; plain numbers whatever the language is set to.
template <class Number>
bool takeField(const char*& at, const char* end, char end_of_field, Number& value) {
  while (at != end && *at == ' ') ++at;
  const auto [stop, failed] = std::from_chars(at, end, value);
  if (failed != std::errc()) return false;
  at = stop;
  while (at != end && *at == ' ') ++at;
  if (end_of_field == '\0') return at == end;
  return at != end && *at++ == end_of_field;
}

/// Sorted and whole: ids ascending, frames ascending and each only once.
Status settle(TrackSet& set) {
  if (set.tracks.empty()) return unreadable("There are no tracks in it.");
  std::sort(set.tracks.begin(), set.tracks.end(), [](const Track& a, const Track& b) { return a.id < b.id; });
  const auto same = std::adjacent_find(set.tracks.begin(), set.tracks.end(), [](const Track& a, const Track& b) { return a.id == b.id; });
  if (same != set.tracks.end()) return unreadable(fmt::format("There are two tracks with the id {}.", same->id));
  set.first_frame = std::numeric_limits<int>::max(), set.last_frame = std::numeric_limits<int>::min();
  for (Track& track : set.tracks) {
    auto& seen = track.observations;
    std::sort(seen.begin(), seen.end(), [](const Observation& a, const Observation& b) { return a.frame < b.frame; });
    const auto twice = std::adjacent_find(seen.begin(), seen.end(), [](const Observation& a, const Observation& b) { return a.frame == b.frame; });
    if (twice != seen.end()) return unreadable(fmt::format("Track {} is twice in frame {}.", track.id, twice->frame));
    for (const Observation& o : seen) {
      if (!o.position.allFinite()) return unreadable(fmt::format("Track {} has no place in frame {}: a number is missing or not finite.", track.id, o.frame));
    }
    set.first_frame = std::min(set.first_frame, track.firstFrame());
    set.last_frame = std::max(set.last_frame, track.lastFrame());
  }
  return checkSpan(set.first_frame, set.last_frame);
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
    int id = 0, frame = 0;
    double x = 0, y = 0;
    const char *at = line.data(), *end = at + line.size();
    if (!takeField(at, end, ',', id) || !takeField(at, end, ',', frame) || !takeField(at, end, ',', x) || !takeField(at, end, '\0', y) ||
        !std::isfinite(x + y)) {
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
    const auto json = parsedJson<Json>(text);
    if (json.at("format") != "dusky-moth-tracks") return unreadable("It is not a file of tracks.");
    if (json.at("version") != 1) return unreadable("It was written by a newer Dusky Moth.");
    set.width = json.at("width"), set.height = json.at("height");
    for (const Json& t : json.at("tracks")) {
      Track track{.id = t.at("id")};
      if (t.contains("rgb")) track.color = {t["rgb"].at(0), t["rgb"].at(1), t["rgb"].at(2)};
      track.born_frame = t.value("found_in", kFromFirst);
      track.size = named<FeatureSize>(kSizes, t.value("size", "medium"));
      track.start = named<StopReason>(kReasons, t.value("starts", "range"));
      track.stop = named<StopReason>(kReasons, t.value("stops", "range"));
      const auto place = [](const Json& number) { return number.is_null() ? kUnknown : number.get<double>(); };
      for (const Json& o : t.at("observations")) track.observations.push_back({o.at(0), Vec2(place(o.at(1)), place(o.at(2)))});
      if (track.observations.empty()) return unreadable(fmt::format("Track {} has no observations.", track.id));
      set.tracks.push_back(std::move(track));
    }
    if (const Status fine = settle(set); !fine.ok()) return fine.error();
    const int first = json.value("first", set.first_frame), last = json.value("last", set.last_frame);
    if (set.first_frame < first || set.last_frame > last)
      return unreadable(fmt::format("There are places in frames {}–{}, outside of its own range {}–{}.", set.first_frame, set.last_frame, first, last));
    if (const Status fine = checkSpan(first, last); !fine.ok()) return fine.error();
    set.first_frame = first, set.last_frame = last;
    set.used_frames = json.value("frames", std::vector<int>{});
  } catch (const std::exception& problem) {
    return unreadable(fmt::format("The tracks cannot be read: {}.", whyUnreadable(problem)));
  }
  return set;
}

bool isTrackFile(const std::filesystem::path& path) { return path.extension() == ".json" || path.extension() == ".csv"; }

namespace {

/// A place that is further outside than the picture is large is no place of this picture.
Status checkPlaces(const TrackSet& set) {
  const Vec2 size(set.width, set.height);
  for (const Track& track : set.tracks) {
    for (const Observation& o : track.observations) {
      if ((o.position.array() >= -size.array()).all() && (o.position.array() <= 2 * size.array()).all()) continue;
      return unreadable(fmt::format("Track {} lies at {:.0f}, {:.0f} in frame {}, far outside of the picture of {}×{}. Is the size right?", track.id,
                                    o.position.x(), o.position.y(), o.frame, set.width, set.height));
    }
  }
  return Done{};
}

Status takeSize(TrackSet& set, int width, int height) {
  if (width == 0 && set.width == 0) return unreadable("It does not say how large the picture is. Give the size, like 1920x1080.");
  if (width > 0 && set.width > 0 && (set.width != width || set.height != height))
    return unreadable(fmt::format("Its places are of a picture of {}×{}, not {}×{}.", set.width, set.height, width, height));
  if (width > 0) set.width = width, set.height = height;
  if (set.width < 16 || set.height < 16 || set.width > 100000 || set.height > 100000)
    return unreadable(fmt::format("A picture of {}×{} px cannot be meant.", set.width, set.height));
  return Done{};
}

Status fitForASolve(TrackSet& set, int width, int height) {
  if (const Status fine = takeSize(set, width, height); !fine.ok()) return fine;
  for (const Track& track : set.tracks) {
    const auto beyond = std::find_if(track.observations.begin(), track.observations.end(), [&](const Observation& o) { return set.indexOf(o.frame) < 0; });
    if (beyond != track.observations.end()) return unreadable(fmt::format("Track {} is in frame {}, which is not among its frames.", track.id, beyond->frame));
  }
  if (const Status fine = checkPlaces(set); !fine.ok()) return fine;
  constexpr int kLeastLife = 3;
  if (std::none_of(set.tracks.begin(), set.tracks.end(), [](const Track& t) { return t.life() >= kLeastLife; }))
    return unreadable(fmt::format("None of its {} tracks lives {} frames: no camera can be found from them.", set.tracks.size(), kLeastLife));
  return Done{};
}

}  // namespace

Result<TrackSet> readTrackFile(const std::filesystem::path& path, int width, int height) {
  const auto fail = [&](const std::string& why) { return unreadable(fmt::format("Tracks {}: {}", path.string(), why)); };
  if (!isTrackFile(path)) return fail("The name must end in .json or .csv.");
  const auto text = readFile(path);
  if (!text.ok()) return text.error();
  auto read = path.extension() == ".csv" ? tracksFromCsv(*text) : tracksFromJson(*text);
  if (!read.ok()) return fail(read.error().message);
  if (const Status fine = fitForASolve(*read, width, height); !fine.ok()) return fail(fine.error().message);
  read->summary.termination = Termination::Settled, read->summary.frames = read->frames();
  return read;
}

Status checkInFootage(const TrackSet& tracks, const FootageInfo& footage) {
  for (const Track& track : tracks.tracks) {
    for (const Observation& o : track.observations) {
      if (footage.has(o.frame)) continue;
      return invalidInput(fmt::format("Track {} is in frame {}, and the footage has the frames {}–{}. Are the numbers the footage's own?", track.id, o.frame,
                                      footage.first, footage.last));
    }
  }
  return Done{};
}

}  // namespace dusky
