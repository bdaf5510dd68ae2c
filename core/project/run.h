#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/base/progress.h"

namespace dusky {

/// What a solve was made under.
struct SolveKeys {
  std::string tracks;  ///< The followed tracks that it was made from.
  std::string asked;   ///< The question that it answers: the tracks and all settings that may change the result.
  std::string own;     ///< Its own: `asked`, or, carried on from another solve, that and the other's own.
  bool operator==(const SolveKeys&) const = default;
};

/// What a solve came to: what the ledger shows of it without reading it.
struct RunSummary {
  double rms_px = kUnknown, holdout_rms_px = kUnknown, noise_floor_px = kUnknown;
  std::string verdict, sentence;      ///< "trust", "check" or "reject", and what it rests on.
  double likely_slip_px = kUnknown;   ///< How far an insert is likely to slip.
  double stability_px = kUnknown;     ///< The same between two halves of the tracks.
  double explained_share = kUnknown;  ///< Of the sightings.
  std::string motion, lens;           ///< As reports call them.
  bool zooms = false;                 ///< Then the focal length is that of the middle frame.
  double focal_px = kUnknown, sigma_focal_px = kUnknown;
  int placed = 0, frames = 0;                   ///< Frames with a camera, of those worked on.
  int kept = 0, tracks = 0;                     ///< Tracks that take part, of all.
  int thinnest_frame = 0, thinnest_tracks = 0;  ///< The frame with fewest of them.
  double total_s = kUnknown;
  bool operator==(const RunSummary&) const = default;
};

/// One solve in the ledger. The solve itself is stored apart, under its own key.
struct Run {
  int id = 0;               ///< From 1 on, in the order they were made; never given twice in a project.
  int parent = 0;           ///< The run that it was carried on from, or whose settings were changed for it; 0: the first.
  bool carried_on = false;  ///< It began with the parent's camera.
  std::string made;         ///< When, UTC: 2026-11-29T08:15:00Z.
  SolveKeys keys;
  std::string document;  ///< The document that it was made for, as JSON.
  RunSummary summary;
};

/// What the artist said about runs. Part of the document, so that it can be undone.
struct LedgerMarks {
  int shown = 0;                     ///< The run to show where it answers what is asked; 0: the newest that does.
  std::map<int, std::string> names;  ///< By run.
  std::vector<int> kept;             ///< Stay when the others are dropped; ascending.
  std::vector<int> dropped;          ///< Out of the ledger; they go for good when the project is opened next. Ascending.
  bool operator==(const LedgerMarks&) const = default;

  bool isKept(int run) const;
  bool isDropped(int run) const;
  /// The name it was given, else "Run 3".
  std::string nameOf(int run) const;
};

std::string runSummaryToJson(const RunSummary& summary);
/// What is missing or damaged stays unknown.
RunSummary runSummaryFromJson(const std::string& text);

}  // namespace dusky
