#include <fmt/format.h>

#include "apps/cli/cli.h"
#include "apps/cli/footage_arguments.h"
#include "core/base/json_text.h"
#include "core/media/frame_check.h"
#include "core/pipeline/workspace.h"

namespace dusky::cli {
namespace {

struct FramesArguments : FootageArguments {
  bool check = false, json = false;
};

constexpr std::array<std::string_view, 4> kFaults = {"none", "blurred", "repeated", "cut"};

void printJson(const std::vector<CheckedFrame>& frames) {
  nlohmann::ordered_json list = nlohmann::ordered_json::array();
  for (const CheckedFrame& f : frames) {
    list.push_back({{"frame", f.frame},
                    {"sharpness", f.sharpness},
                    {"brightness", f.brightness},
                    {"change", f.change},
                    {"fault", kFaults[static_cast<std::size_t>(f.fault)]},
                    {"sentence", f.sentence}});
  }
  fmt::print("{}\n", nlohmann::ordered_json{{"format", "dusky-moth-frames"}, {"version", 1}, {"frames", list}}.dump(1));
}

void printText(const std::vector<CheckedFrame>& frames) {
  int marked = 0;
  for (const CheckedFrame& f : frames) {
    if (f.fault == FrameFault::None) continue;
    ++marked;
    fmt::print("frame {:6} {}\n", f.frame, f.sentence);
  }
  fmt::print("{} of {} frames marked{}\n", marked, frames.size(), marked ? "; `moth solve` leaves them out with --leave-out" : "");
}

int frames(const FramesArguments& a, std::stop_token stop) {
  if (!a.check) return failWith(invalidInput("Say what to do with the frames: --check looks for blurred and repeated ones and for cuts."));
  Workspace workspace;
  if (const Status ready = a.prepare(workspace); !ready.ok()) return failWith(ready.error());
  auto source = openFootageOf(workspace.document());
  if (!source.ok()) return failWith(source.error());
  const FollowOptions& range = workspace.document().tracking;
  const auto checked = checkFrames(**source, {.range = {range.first_frame, range.last_frame}}, a.makeProgress(stop));
  if (!checked.ok()) return failWith(checked.error());
  a.json ? printJson(*checked) : printText(*checked);
  return kSolved;
}
}  // namespace

void addFrames(CLI::App& app, std::stop_token stop, int& code) {
  auto* command = app.add_subcommand("frames", "Looks through the frames for what spoils a solve: blurred frames, repeated frames, cuts.");
  auto a = std::make_shared<FramesArguments>();
  a->addFootage(*command);
  a->addTone(*command);
  command->add_flag("--check", a->check, "Mark blurred and repeated frames and cuts, each with a sentence");
  command->add_flag("--json", a->json, "One JSON object with sharpness, brightness and change of every frame");
  a->addRunning(*command);
  command->callback([a, stop, &code] { code = frames(*a, stop); });
}
}  // namespace dusky::cli
