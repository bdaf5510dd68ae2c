#include "core/pipeline/dense_pace.h"

#include <cmath>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/base/atomic_file.h"
#include "core/base/json_text.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

/// Empty: the system says of none.
fs::path paceFile() {
  const char* cache = std::getenv("XDG_CACHE_HOME");
  const char* home = std::getenv("HOME");
  const fs::path folder = cache && *cache ? fs::path(cache) : home && *home ? fs::path(home) / ".cache" : fs::path();
  return folder.empty() ? folder : folder / "dusky-moth" / "pace.json";
}

/// 8.5 s on one core of a machine of 2022.
double guess() { return 8.5 / std::max(1U, std::thread::hardware_concurrency()); }

std::optional<double> kept() {
  const auto text = readFile(paceFile());
  if (!text.ok()) return std::nullopt;
  try {
    const double pace = parsedJson<nlohmann::json>(*text).at("dense_s_per_megapixel").get<double>();
    return pace > 1e-3 && pace < 1e4 ? std::optional(pace) : std::nullopt;
  } catch (const std::exception&) {
    return std::nullopt;
  }
}

}  // namespace

double densePace() { return kept().value_or(guess()); }

void learnDensePace(double seconds_per_megapixel) {
  const fs::path path = paceFile();
  if (path.empty() || !std::isfinite(seconds_per_megapixel) || !(seconds_per_megapixel > 0)) return;
  const auto known = kept();
  const double pace = known ? (*known + seconds_per_megapixel) / 2 : seconds_per_megapixel;
  std::error_code failed;
  fs::create_directories(path.parent_path(), failed);
  if (!failed) (void)writeFileAtomically(path, nlohmann::json{{"dense_s_per_megapixel", pace}}.dump());
}

}  // namespace dusky
