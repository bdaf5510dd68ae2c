#include "core/project/run.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/json_text.h"

namespace dusky {
namespace {
using Json = nlohmann::json;

void read(const Json& json, const char* name, double& value) {
  if (const auto at = json.find(name); at != json.end() && at->is_number()) value = at->get<double>();
}

template <class T>
void read(const Json& json, const char* name, T& value) {
  value = json.value(name, value);
}
}  // namespace

bool LedgerMarks::isKept(int run) const { return std::binary_search(kept.begin(), kept.end(), run); }

bool LedgerMarks::isDropped(int run) const { return std::binary_search(dropped.begin(), dropped.end(), run); }

std::string LedgerMarks::nameOf(int run) const {
  const auto named = names.find(run);
  return named != names.end() && !named->second.empty() ? named->second : fmt::format("Run {}", run);
}

std::string runSummaryToJson(const RunSummary& s) {
  return Json{{"rms_px", numberOrNull(s.rms_px)},
              {"holdout_rms_px", numberOrNull(s.holdout_rms_px)},
              {"noise_floor_px", numberOrNull(s.noise_floor_px)},
              {"verdict", s.verdict},
              {"sentence", s.sentence},
              {"likely_slip_px", numberOrNull(s.likely_slip_px)},
              {"stability_px", numberOrNull(s.stability_px)},
              {"explained_share", numberOrNull(s.explained_share)},
              {"motion", s.motion},
              {"lens", s.lens},
              {"zooms", s.zooms},
              {"focal_px", numberOrNull(s.focal_px)},
              {"sigma_focal_px", numberOrNull(s.sigma_focal_px)},
              {"placed", s.placed},
              {"frames", s.frames},
              {"kept", s.kept},
              {"tracks", s.tracks},
              {"thinnest_frame", s.thinnest_frame},
              {"thinnest_tracks", s.thinnest_tracks},
              {"total_s", numberOrNull(s.total_s)}}
      .dump();
}

RunSummary runSummaryFromJson(const std::string& text) {
  RunSummary s;
  try {
    const Json json = parsedJson<Json>(text);
    read(json, "rms_px", s.rms_px), read(json, "holdout_rms_px", s.holdout_rms_px), read(json, "noise_floor_px", s.noise_floor_px);
    read(json, "likely_slip_px", s.likely_slip_px), read(json, "stability_px", s.stability_px), read(json, "explained_share", s.explained_share);
    read(json, "focal_px", s.focal_px), read(json, "sigma_focal_px", s.sigma_focal_px), read(json, "total_s", s.total_s);
    read(json, "verdict", s.verdict), read(json, "sentence", s.sentence), read(json, "motion", s.motion), read(json, "lens", s.lens);
    read(json, "zooms", s.zooms), read(json, "placed", s.placed), read(json, "frames", s.frames), read(json, "kept", s.kept);
    read(json, "tracks", s.tracks), read(json, "thinnest_frame", s.thinnest_frame), read(json, "thinnest_tracks", s.thinnest_tracks);
  } catch (const std::exception&) {
    // A ledger's line is not worth a project: what could be read stands.
  }
  return s;
}

}  // namespace dusky
