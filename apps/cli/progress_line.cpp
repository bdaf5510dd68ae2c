#include "apps/cli/progress_line.h"

#include <fmt/format.h>
#include <unistd.h>

#include <cmath>
#include <cstdio>
#include <memory>

#include "apps/cli/cli.h"
#include "core/base/json_text.h"

namespace dusky::cli {
namespace {

std::string timeLeft(double seconds) {
  if (!std::isfinite(seconds)) return "";
  if (seconds < 90) return fmt::format(" · {:.0f} s left", std::ceil(seconds));
  return fmt::format(" · {:.0f} min left", std::ceil(seconds / 60));
}

void showJson(const ProgressState& state) {
  nlohmann::ordered_json line = {{"fraction", std::round(state.fraction * 1e4) / 1e4}, {"what", state.what}, {"seconds_left", nullptr}};
  if (std::isfinite(state.seconds_left)) line["seconds_left"] = std::round(state.seconds_left * 10) / 10;
  fmt::print(errors(), "{}\n", line.dump());
}

class Line {
 public:
  void show(const ProgressState& state) {
    const int percent = static_cast<int>(100 * state.fraction);
    const bool done = state.fraction >= 1;
    if (terminal_) {
      fmt::print(errors(), "\r\x1b[K{:3d} % {}{}{}", percent, state.what, timeLeft(state.seconds_left), done ? "\n" : "");
    } else if (percent >= last_ + 10 || (done && last_ < 100)) {
      fmt::print(errors(), "{:3d} % {}\n", percent, state.what);
      last_ = percent;
    }
    std::fflush(errors());
  }

 private:
  const bool terminal_ = ::isatty(::fileno(errors())) == 1;
  int last_ = -10;
};

}  // namespace

Progress::Listener progressListener(ProgressStyle style) {
  if (style == ProgressStyle::Quiet) return {};
  if (style == ProgressStyle::Json) return showJson;
  return [line = std::make_shared<Line>()](const ProgressState& state) { line->show(state); };
}

}  // namespace dusky::cli
