#include "core/deliver/receipt.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/atomic_file.h"
#include "core/base/json_text.h"
#include "core/deliver/page_text.h"
#include "core/deliver/receipt_dense.h"
#include "core/deliver/receipt_pictures.h"
#include "core/deliver/receipt_scene.h"
#include "core/deliver/writers.h"
#include "core/media/write_picture.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

/// What was written, read back one after the other.
class Checker {
 public:
  Checker(const DeliveryInput& input, const DeliveryChoices& choices, const fs::path& folder)
      : input_(input), choices_(choices), folder_(folder), truth_(input, choices), up_(choices.world.up.value_or(input.scene.up) == UpAxis::Z ? 'Z' : 'Y') {}

  Result<Receipt> run(const Progress& progress) {
    if (wants("camera.glb")) addScene("camera.glb", readBackGlb(folder_ / "camera.glb"), 'Y');
    if (wants("camera.usda")) addScene("camera.usda", readBackUsda(folder_ / "camera.usda", choices_.world.camera, choices_.world.points), up_);
    if (wants("object.glb")) addObject();
    if (wants("points.ply")) addPoints();
    if (wants("camera.csv")) addTable();
    if (wants("points.csv")) addText("points.csv");
    if (wants("report-page")) addText("report-page/index.html");
    for (const char* name : {"lens.json", "report.json"}) {
      if (wants(name)) addJson(name);
    }
    addAll(checkDenseFiles(truth_, choices_, folder_, scaleOfWorld(), up_));
    if (wants("st-maps")) addAll(checkStMaps(input_, choices_, truth_, folder_ / "st-maps"));
    if (wants("plates")) {
      if (const Status fine = addPlates(progress.part(0, 0.9)); !fine.ok()) return fine.error();
    }
    if (wants("splat-set")) addAll(checkSplatSet(input_, choices_, truth_, folder_ / "splat-set", receipt_));
    if (wants("stills")) addStills();
    if (wants("review")) addAll(checkMovie(truth_, folder_ / "review.mp4", reviewFrames()));
    if (const Status drawn = addPicture(progress.part(0.9, 1)); !drawn.ok()) return drawn.error();
    if (progress.stopRequested()) return cancelled();
    addNotes();
    return std::move(receipt_);
  }

 private:
  bool wants(std::string_view name) const { return choices_.wants(name); }
  void add(ReceiptCheck check) { receipt_.checks.push_back(std::move(check)); }
  void addAll(std::vector<ReceiptCheck> checks) {
    for (ReceiptCheck& check : checks) add(std::move(check));
  }

  void addScene(const std::string& name, const Result<ReadScene>& read, char up) {
    if (!read.ok()) return add(checked(name, "reading", false, read.error().message));
    if (read->up != up) return add(checked(name, "up axis", false, fmt::format("says {} is up; it should be {}.", read->up, up)));
    addAll(checkScene(truth_, name, *read, *read, up, receipt_));
    const int wide = input_.footage.width, high = input_.footage.height;
    if (choices_.plates.fit == PlateFit::Frame && (read->width != wide || read->height != high))
      add(checked(name, "size", false, fmt::format("fits a picture of {}×{} px, not of {}×{}.", read->width, read->height, wide, high)));
    fitted_ = {read->width, read->height};
    if (shown_.keys.empty()) shown_ = *read;
  }

  void addObject() {
    const auto read = readBackGlb(folder_ / "object.glb");
    add(checked("object.glb", "reading", read.ok(), read.ok() ? "whole." : read.error().message));
  }

  /// Points have no camera of their own: they are held against the solve's places, up to what was chosen of the world, which leaves distances alike.
  void addPoints() {
    const std::string name = "points.ply";
    const auto read = readBackPly(folder_ / name);
    if (!read.ok()) return add(checked(name, "reading", false, read.error().message));
    if (read->up != up_) return add(checked(name, "up axis", false, fmt::format("says {} is up; it should be {}.", read->up, up_)));
    const double scale = scaleOfWorld();
    double worst = 0, reach = 1e-12;
    for (const ReadScene::Point& point : read->points) {
      const SolvedTrack* track = truth_.track(point.track);
      if (!track) return add(checked(name, "points", false, fmt::format("has a point of track {}, which the solve has not.", point.track)));
      const Vec3 scene = input_.scene.scene_from_solve * track->point;
      const Vec3 there = up_ == 'Z' ? Vec3(scene.x(), -scene.z(), scene.y()) : scene;
      worst = std::max(worst, (point.at / scale - there).norm()), reach = std::max(reach, there.norm());
      const Rgb& c = track->color;
      if (point.color != std::array<double, 3>{double(c.r), double(c.g), double(c.b)})
        return add(checked(name, "colours", false, fmt::format("the point of track {} has another colour than in the footage.", point.track)));
    }
    constexpr double kMost = 1e-5;
    const bool fine = worst <= kMost * reach;
    add(measured(
        name, "points", worst / reach, kMost, "of their reach",
        fine ? fmt::format("{} points where the solve has them, in the footage's colours.", read->points.size()) : "points are not where the solve has them."));
  }

  double scaleOfWorld() const {
    double scale = choices_.world.scale;
    static const std::map<std::string, double> metres = {{"m", 1}, {"cm", 0.01}, {"mm", 0.001}, {"ft", 0.3048}, {"in", 0.0254}};
    if (const auto unit = metres.find(choices_.world.unit); unit != metres.end()) scale /= unit->second;
    return scale;
  }

  /// The table of cameras holds no points and no view: places and turns against the solve.
  void addTable() {
    const std::string name = "camera.csv";
    const auto read = readBackCsv(folder_ / name);
    if (!read.ok()) return add(checked(name, "reading", false, read.error().message));
    const double scale = scaleOfWorld();
    double place = 0, turn = 0, reach = 1e-12;
    for (const ReadScene::Key& key : read->keys) {
      const SolvedFrame* frame = input_.solution.frameAt(static_cast<int>(std::lround(key.frame)) - truth_.shift());
      if (!frame || !frame->placed)
        return add(checked(name, "cameras", false, fmt::format("has a camera in frame {:g}, where the solve has none.", key.frame)));
      const Pose scene = input_.scene.scene_from_solve * frame->pose;
      const Mat3 z_up = (Mat3() << 1, 0, 0, 0, 0, -1, 0, 1, 0).finished(), axes = up_ == 'Z' ? z_up : Mat3::Identity();
      place = std::max(place, (key.place / scale - axes * scene.centre).norm()), reach = std::max(reach, scene.centre.norm());
      const Mat3 told = axes * scene.world_from_camera.toRotationMatrix() * Eigen::DiagonalMatrix<double, 3>(1, -1, -1);
      turn = std::max(turn, (key.turn - told).cwiseAbs().maxCoeff());
    }
    constexpr double kMost = 1e-6;
    const double worst = std::max(place / reach, turn);
    add(measured(name, "cameras", worst, kMost, "",
                 worst <= kMost ? fmt::format("{} cameras as in the solve.", read->keys.size()) : "cameras are not those of the solve."));
    const bool rate = read->keys.size() < 2 || std::abs(read->fps - truth_.fps()) <= 1e-4 * truth_.fps();
    add(checked(name, "rate", rate,
                rate ? fmt::format("{:g} frames a second.", truth_.fps()) : fmt::format("says {:g} frames a second, not {:g}.", read->fps, truth_.fps())));
  }

  void addText(const std::string& name) {
    const auto text = readFile(folder_ / name);
    const bool whole = text.ok() && !text->empty() && text->back() == '\n';
    add(checked(name, "reading", whole, whole ? "whole." : text.ok() ? "is cut off." : text.error().message));
  }

  void addJson(const std::string& name) {
    const auto text = readFile(folder_ / name);
    if (!text.ok()) return add(checked(name, "reading", false, text.error().message));
    try {
      (void)parsedJson<nlohmann::json>(*text);
      add(checked(name, "reading", true, "whole."));
    } catch (const std::exception& problem) {
      add(checked(name, "reading", false, whyUnreadable(problem)));
    }
  }

  void addStills() {
    const std::string name(kStillFolder);
    int whole = 0;
    std::error_code none;
    for (const auto& entry : fs::directory_iterator(folder_ / name, none)) {
      const auto picture = readStoredPicture(entry.path());
      if (!picture.ok()) return add(checked(name, "reading", false, picture.error().message));
      ++whole;
    }
    add(checked(name, "reading", whole > 0, whole > 0 ? fmt::format("{} pictures, whole.", whole) : "there are none."));
  }

  Status addPlates(const Progress& progress) {
    if (choices_.plates.format == PlateFormat::Movie) {
      int frames = 0;
      for (const SolvedFrame& frame : input_.solution.frames) frames += input_.footage.has(frame.frame) && (frame.placed || !input_.solution.zooms());
      addAll(checkMovie(truth_, folder_ / "plates.mp4", frames));
      return Done{};
    }
    auto checks = checkPlates(input_, choices_, truth_, folder_ / "plates", fitted_, progress);
    if (!checks.ok()) return checks.error();
    addAll(std::move(*checks));
    return Done{};
  }

  /// Of the first file that has camera and points, in the frame in the middle.
  Status addPicture(const Progress& progress) {
    if (!input_.open_footage || shown_.keys.empty()) return Done{};
    const int frame = static_cast<int>(std::lround(shown_.keys[shown_.keys.size() / 2].frame)) - truth_.shift();
    if (!input_.footage.has(frame)) return Done{};
    auto picture = drawReceipt(input_, choices_, truth_, shown_, frame, progress);
    if (!picture.ok() && picture.error().kind == ErrorKind::Cancelled) return picture.error();
    // Footage may be gone while its tracks are there: cameras can be delivered all the same.
    if (!picture.ok()) return receipt_.notes.push_back("There is no picture of it: " + picture.error().message), Status(Done{});
    receipt_.picture = std::move(*picture), receipt_.picture_frame = frame + truth_.shift();
    return Done{};
  }

  int reviewFrames() const {
    const FrameRange& asked = choices_.review.frames;
    if (asked != FrameRange()) return asked.last - asked.first + 1;
    const auto& frames = input_.solution.frames;
    return frames.empty() ? 0 : frames.back().frame - frames.front().frame + 1;
  }

  void addNotes() {
    const Plate plate = plateOf(input_.solution, choices_.plates);
    const bool scenes = wants("camera.glb") || wants("camera.usda") || wants("plates") || wants("st-maps");
    if (scenes) receipt_.notes.push_back(fmt::format("Cameras fit the undistorted picture of {}×{} px, not the footage itself.", plate.width, plate.height));
    if (scenes && plate.cut_share > 0.001)
      receipt_.notes.push_back(fmt::format(
          "{:.1f} % of the footage lies outside of the undistorted picture{}.", 100 * plate.cut_share,
          choices_.plates.fit == PlateFit::Frame ? ": deliver it whole (fit \"whole\") to keep it" : ", which the lens sees beyond what a plane can show"));
    if (truth_.shutter_px() > 0.005)
      receipt_.notes.push_back(fmt::format("A rolling shutter of {:.1f} ms stays in the plates: without it, cameras are {:.2f} px (RMS) off.",
                                           1000 * input_.solution.readout / input_.footage.fps, truth_.shutter_px()));
    const int missing = static_cast<int>(input_.solution.frames.size()) - input_.solution.placedFrames();
    if (missing > 0) receipt_.notes.push_back(fmt::format("{} frames have no camera.", missing));
  }

  const DeliveryInput& input_;
  const DeliveryChoices& choices_;
  const fs::path folder_;
  const ReceiptTruth truth_;
  const char up_;
  Receipt receipt_;
  ReadScene shown_;
  std::pair<int, int> fitted_ = {0, 0};  ///< px of the picture that delivered cameras say they fit.
};

}  // namespace

bool Receipt::passed() const {
  return std::all_of(checks.begin(), checks.end(), [](const ReceiptCheck& check) { return check.passed; });
}

std::string Receipt::failure() const {
  const auto failed = std::find_if(checks.begin(), checks.end(), [](const ReceiptCheck& check) { return !check.passed; });
  return failed == checks.end() ? std::string() : fmt::format("{}: {}", failed->file, failed->sentence);
}

std::string Receipt::json() const {
  nlohmann::ordered_json list = nlohmann::ordered_json::array();
  for (const ReceiptCheck& check : checks) {
    nlohmann::ordered_json one{{"file", check.file}, {"check", check.what}, {"passed", check.passed}, {"sentence", check.sentence}};
    if (!std::isnan(check.value)) one["value"] = check.value, one["limit"] = numberOrNull(check.limit), one["unit"] = check.unit;
    list.push_back(std::move(one));
  }
  const nlohmann::ordered_json all{{"format", "dusky-moth-receipt"},
                                   {"version", 1},
                                   {"passed", passed()},
                                   {"drift_rms_px", numberOrNull(drift_rms_px)},
                                   {"drift_max_px", numberOrNull(drift_max_px)},
                                   {"checks", std::move(list)},
                                   {"notes", notes}};
  return all.dump(1) + "\n";
}

std::string Receipt::html(const std::string& shot) const {
  std::string rows, listed;
  for (const ReceiptCheck& check : checks)
    rows += fmt::format("<tr{}><td>{}</td><td>{}</td><td>{}</td><td>{}</td></tr>\n", check.passed ? "" : " class=\"off\"", forPage(check.file),
                        forPage(check.what), check.passed ? "passed" : "failed", forPage(check.sentence));
  for (const std::string& note : notes) listed += fmt::format("<li>{}</li>\n", forPage(note));
  const std::string shown = picture.empty()
                                ? std::string()
                                : fmt::format(
                                      "<figure><img src=\"{}\" width=\"100%\" alt=\"\"><figcaption>Frame {}: points where the delivered camera sees them, "
                                      "the brighter the farther from their tracks.</figcaption></figure>\n",
                                      kReceiptPicture, picture_frame);
  const auto good = std::count_if(checks.begin(), checks.end(), [](const ReceiptCheck& check) { return check.passed; });
  return pageOf(fmt::format("Receipt of {}", shot),
                fmt::format("<p>{}: {} of {} checks passed. Everything was read back from disk.</p>\n{}<table>\n{}</table>\n<ul>\n{}</ul>\n",
                            passed() ? "Good" : "Failed", good, checks.size(), shown, rows, listed));
}

Result<Receipt> checkDelivery(const DeliveryInput& input, const DeliveryChoices& choices, const fs::path& folder, const Progress& progress) {
  return Checker(input, choices, folder).run(progress);
}

}  // namespace dusky
