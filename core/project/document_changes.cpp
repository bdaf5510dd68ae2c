#include "core/project/document_changes.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace dusky {
namespace {

using Words = std::vector<std::string>;

std::string count(std::size_t n, std::string_view one, std::string_view many) { return fmt::format("{} {}", n, n == 1 ? one : many); }

std::string focalOf(const LensSettings& lens) {
  switch (lens.focal) {
    case FocalKnowledge::Unknown: return "focal length: unknown";
    case FocalKnowledge::Near: return fmt::format("focal length: {:g} mm ± {:g} %", lens.focal_mm, lens.focal_tolerance_pc);
    case FocalKnowledge::Locked: return fmt::format("focal length: {:g} mm, fixed", lens.focal_mm);
    case FocalKnowledge::Zoom: return "focal length: zooming";
  }
  return {};
}

std::string_view wordOf(CameraMotion motion) {
  constexpr std::array<std::string_view, 6> kWords = {"automatic", "free", "tripod", "straight line", "flat path", "about a point beside it"};
  return kWords[static_cast<std::size_t>(motion)];
}

std::string_view wordOf(LensChoice lens) {
  constexpr std::array<std::string_view, 5> kWords = {"automatic", "none", "Brown", "fisheye", "anamorphic"};
  return kWords[static_cast<std::size_t>(lens)];
}

std::string shutterOf(const LensSettings& lens) {
  if (lens.global_shutter) return "shutter: global";
  if (lens.free_readout) return fmt::format("readout time: found, from {:g} ms", lens.readout_ms);
  return lens.readout_ms > 0 ? fmt::format("readout time: {:g} ms", lens.readout_ms) : "readout time: automatic";
}

void changesOfLens(const LensSettings& a, const LensSettings& b, Words& words) {
  if (focalOf(a) != focalOf(b)) words.push_back(focalOf(b));
  if (a.sensor_mm != b.sensor_mm) words.push_back(fmt::format("sensor width: {:g} mm", b.sensor_mm));
  if (a.motion != b.motion) words.push_back(fmt::format("camera motion: {}", wordOf(b.motion)));
  if (a.lens != b.lens) words.push_back(fmt::format("lens: {}", wordOf(b.lens)));
  if (a.known != b.known) words.push_back(b.known.empty() ? "no loaded lens" : "lens loaded");
  if (a.pixel_aspect != b.pixel_aspect) words.push_back(b.pixel_aspect > 0 ? fmt::format("pixel aspect: {:g}", b.pixel_aspect) : "pixel aspect: the footage's");
  if (shutterOf(a) != shutterOf(b)) words.push_back(shutterOf(b));
  std::map<std::string, Release> groups = b.releases;
  groups.insert(a.releases.begin(), a.releases.end());
  const auto released = [](const LensSettings& lens, const std::string& group) {
    const auto at = lens.releases.find(group);
    return at != lens.releases.end() ? at->second : Release::Auto;
  };
  for (const auto& [group, unused] : groups) {
    const Release now = released(b, group);
    if (now != released(a, group)) words.push_back(fmt::format("{}: {}", group, now == Release::On ? "on" : now == Release::Off ? "off" : "automatic"));
  }
  for (const auto& [name, known] : b.values) {
    const auto was = a.values.find(name);
    if (was == a.values.end() || !(was->second == known))
      words.push_back(known.sigma > 0 ? fmt::format("{}: {:g} ± {:g}", name, known.value, known.sigma) : fmt::format("{}: {:g}, fixed", name, known.value));
  }
  for (const auto& [name, known] : a.values) {
    if (!b.values.contains(name)) words.push_back(fmt::format("{}: free", name));
  }
}

void changesOfFootage(const Document& a, const Document& b, Words& words) {
  if (a.footage_path != b.footage_path && a.footage.made_print != b.footage.made_print) words.push_back("other footage");
  const FollowOptions &was = a.tracking, &now = b.tracking;
  if (was.first_frame != now.first_frame || was.last_frame != now.last_frame)
    words.push_back(now.first_frame == 0 && now.last_frame == 0 ? "all frames" : fmt::format("frames {} to {}", now.first_frame, now.last_frame));
  if (a.footage.step != b.footage.step) words.push_back(fmt::format("every {}. frame", b.footage.step));
  if (a.footage.left_out != b.footage.left_out)
    words.push_back(b.footage.left_out.empty() ? "no frames left out" : count(b.footage.left_out.size(), "frame left out", "frames left out"));
  if (!(a.footage.tone == b.footage.tone)) words.push_back("values of the picture");
  if (a.footage.fps != b.footage.fps) words.push_back("frames a second");
}

template <class T>
void changesOfList(const std::vector<T>& a, const std::vector<T>& b, std::string_view what, Words& words) {
  const auto named = [&](const T& one) { return one.name.empty() ? fmt::format("{} {}", what, one.id) : fmt::format("{} \"{}\"", what, one.name); };
  const auto find = [](const std::vector<T>& list, int id) { return std::find_if(list.begin(), list.end(), [id](const T& one) { return one.id == id; }); };
  for (const T& one : b) {
    const auto was = find(a, one.id);
    if (was == a.end())
      words.push_back(named(one) + " added");
    else if (!(*was == one))
      words.push_back(named(one) + " changed");
  }
  for (const T& one : a) {
    if (find(b, one.id) == b.end()) words.push_back(named(one) + " removed");
  }
}

/// Lists of ids, ascending.
std::pair<std::size_t, std::size_t> addedAndRemoved(const std::vector<int>& a, const std::vector<int>& b) {
  std::vector<int> added, removed;
  std::set_difference(b.begin(), b.end(), a.begin(), a.end(), std::back_inserter(added));
  std::set_difference(a.begin(), a.end(), b.begin(), b.end(), std::back_inserter(removed));
  return {added.size(), removed.size()};
}

void changesOfTracking(const Document& a, const Document& b, Words& words) {
  FollowOptions was = a.tracking, now = b.tracking;
  was.first_frame = now.first_frame, was.last_frame = now.last_frame;
  if (!(was == now)) words.push_back("tracking settings");
  if (a.extra_runs.size() < b.extra_runs.size()) words.push_back("tracks added in regions");
  if (a.extra_runs.size() > b.extra_runs.size()) words.push_back("added tracks taken back");
  changesOfList(a.work.by_hand, b.work.by_hand, "track by hand", words);
  if (a.work.edits != b.work.edits) words.push_back(count(b.work.edits.size(), "edit of tracks", "edits of tracks"));
  if (a.work.imported.size() != b.work.imported.size()) words.push_back(count(b.work.imported.size(), "group of imported tracks", "groups of imported tracks"));
}

void changesOfKnowledge(const Knowledge& a, const Knowledge& b, Words& words) {
  if (a == b) return;
  const auto on = [](const auto& statements) {
    return static_cast<std::size_t>(std::count_if(statements.begin(), statements.end(), [](const auto& s) { return s.on; }));
  };
  if (!b.says()) return words.push_back("nothing known of the set");
  const std::array<std::pair<std::size_t, std::pair<const char*, const char*>>, 7> parts = {
      {{on(b.sets), {"plane or line", "planes and lines"}},
       {on(b.relations), {"relation", "relations"}},
       {on(b.distances) + on(b.plane_distances), {"distance", "distances"}},
       {on(b.equals), {"group of equal distances", "groups of equal distances"}},
       {on(b.mirrors), {"mirrored group", "mirrored groups"}},
       {on(b.survey), {"survey point", "survey points"}},
       {on(b.camera), {"statement about the camera", "statements about the camera"}}}};
  std::vector<std::string> said;
  for (const auto& [number, names] : parts) {
    if (number > 0) said.push_back(count(number, names.first, names.second));
  }
  words.push_back(fmt::format("known of the set: {}", fmt::join(said, ", ")));
}

void changesOfPicks(const Picks& a, const Picks& b, Words& words) {
  changesOfKnowledge(a.knowledge, b.knowledge, words);
  if (a.key != b.key) {
    if (a.set_aside.size() != b.set_aside.size()) words.push_back(count(b.set_aside.size(), "track set aside", "tracks set aside"));
    return;
  }
  if (a.dropped.size() != b.dropped.size())
    words.push_back(b.dropped.empty() ? "all sightings put back" : count(b.dropped.size(), "sighting dropped", "sightings dropped"));
  const auto [more, fewer] = addedAndRemoved(a.set_aside, b.set_aside);
  if (more > 0) words.push_back(count(more, "track set aside", "tracks set aside"));
  if (fewer > 0) words.push_back(count(fewer, "track put back", "tracks put back"));
  if (a.weights != b.weights) words.push_back(b.weights.empty() ? "all tracks weigh 1" : count(b.weights.size(), "track weighted", "tracks weighted"));
}

}  // namespace

std::vector<std::string> changesBetween(const Document& before, const Document& after) {
  Words words;
  changesOfFootage(before, after, words);
  changesOfList(before.masks.shapes, after.masks.shapes, "mask", words);
  if (!(before.masks.mattes == after.masks.mattes)) words.push_back(after.masks.mattes.folder.empty() ? "no mattes" : "mattes");
  if (!(before.masks.alpha == after.masks.alpha)) words.push_back("alpha channel");
  changesOfTracking(before, after, words);
  changesOfLens(before.lens, after.lens, words);
  if (before.seed != after.seed) words.push_back(fmt::format("seed {}", after.seed));
  changesOfPicks(before.picks, after.picks, words);
  return words;
}

}  // namespace dusky
