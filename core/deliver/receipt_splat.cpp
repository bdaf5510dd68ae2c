// The receipt of a splat set.
#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "core/base/atomic_file.h"
#include "core/base/json_text.h"
#include "core/deliver/receipt_pictures.h"
#include "core/media/write_picture.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;
constexpr const char* kSet = "splat-set";

/// The frame that a picture is of, by its name.
int frameOf(const std::string& name) { return std::stoi(fs::path(name).filename().string()); }

struct ReadSet {
  ReadScene scene;
  std::set<std::string> names;
  int width = 0, height = 0;
};

/// Both transforms files and the points; pictures' sizes.
Result<ReadSet> readSet(const fs::path& folder, bool tests, bool dense) {
  ReadSet set;
  auto points = readBackPly(folder / "points.ply");
  if (!points.ok()) return points.error();
  set.scene = std::move(*points);
  // Dense points belong to no track; they stand where the same numbers put the others.
  if (dense) std::erase_if(set.scene.points, [](const ReadScene::Point& point) { return point.track == -1; });
  for (const char* file : {"transforms_train.json", "transforms_test.json"}) {
    auto read = readBackTransforms(folder / file);
    if (!read.ok()) return read.error();
    if (read->names.empty() && (tests || std::string_view(file) == "transforms_train.json")) return unreadable(fmt::format("{} has no pictures.", file));
    for (std::size_t k = 0; k < read->names.size(); ++k) {
      if (!set.names.insert(read->names[k]).second) return unreadable(fmt::format("{} is both for training and for testing.", read->names[k]));
      const auto picture = readStoredPicture(folder / (read->names[k] + ".png"));
      if (!picture.ok()) return picture.error();
      if (set.width == 0) set.width = picture->width, set.height = picture->height;
      if (picture->width != set.width || picture->height != set.height)
        return unreadable(fmt::format("{} is of another size than the first picture.", read->names[k]));
      ReadScene::Key key = read->keys[k];
      key.frame = frameOf(read->names[k]);
      key.half_view.y() = key.half_view.x() * set.height / set.width;
      set.scene.keys.push_back(key);
    }
  }
  std::sort(set.scene.keys.begin(), set.scene.keys.end(), [](const auto& a, const auto& b) { return a.frame < b.frame; });
  return set;
}

/// Only frames that have a picture of their own: between them the set says nothing.
ReadScene onlyKeys(const ReadScene& scene, double frame) {
  ReadScene one;
  for (const auto& key : scene.keys) {
    if (std::abs(key.frame - frame) < 0.5) one.keys.push_back(key);
  }
  return one;
}

Drift driftOfSet(const ReceiptTruth& truth, const ReadSet& set, double focal) {
  const std::map<int, Vec3> places = placesOf(set.scene);
  Drift all;
  double squares = 0, own = 0;
  for (const auto& key : set.scene.keys) {
    const Drift one = driftOf(truth, onlyKeys(set.scene, key.frame), places, {set.width, set.height, focal, 1}, 0);
    if (one.count == 0) continue;
    squares += one.count * one.rms_px * one.rms_px, own += one.count * one.own_px * one.own_px;
    all.count += one.count, all.max_px = std::fmax(all.max_px, one.max_px);
  }
  if (all.count > 0) all.rms_px = std::sqrt(squares / all.count), all.own_px = std::sqrt(own / all.count);
  return all;
}

void noteReadiness(const fs::path& file, Receipt& receipt) {
  const auto text = readFile(file);
  if (!text.ok()) return;
  try {
    const auto json = parsedJson<nlohmann::json>(*text);
    for (const auto& concern : json.at("readiness").at("concerns")) receipt.notes.push_back("Splat training: " + concern.at("sentence").get<std::string>());
  } catch (const std::exception&) {
    receipt.checks.push_back(checked(kSet, "reading", false, "cameras.json is damaged."));
  }
}

}  // namespace

std::vector<ReceiptCheck> checkSplatSet(const DeliveryInput& input, const DeliveryChoices& choices, const ReceiptTruth& truth, const fs::path& folder,
                                        Receipt& receipt) {
  const auto set = readSet(folder, choices.splat.test_every > 0, choices.splat.dense);
  if (!set.ok()) return {checked(kSet, "reading", false, set.error().message)};
  const int width = input.footage.width / choices.splat.reduced;
  if (set->width != width) return {checked(kSet, "size", false, fmt::format("pictures are {} px wide, not {}.", set->width, width))};
  // The focal length that all share: the shortest of the shot, at their size.
  double focal = std::numeric_limits<double>::infinity();
  for (const SolvedFrame& frame : input.solution.frames) {
    if (frame.placed) focal = std::min(focal, input.solution.lensAt(frame).focal_px);
  }
  focal /= choices.splat.reduced;
  const Drift drift = driftOfSet(truth, *set, focal);
  receipt.drift_rms_px = std::fmax(receipt.drift_rms_px, drift.rms_px), receipt.drift_max_px = std::fmax(receipt.drift_max_px, drift.max_px);
  noteReadiness(folder / "cameras.json", receipt);
  return {checked(kSet, "size", true,
                  fmt::format("{} pictures of {}×{} px, {} of them for testing.", set->names.size(), set->width, set->height,
                              std::count_if(set->names.begin(), set->names.end(), [](const std::string& n) { return n.find("/test/") != std::string::npos; }))),
          checkDrift(truth, kSet, drift)};
}

}  // namespace dusky
