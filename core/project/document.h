#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/deliver/delivery_options.h"
#include "core/dense/dense_settings.h"
#include "core/image/tone.h"
#include "core/mask/mask_set.h"
#include "core/project/picks.h"
#include "core/project/run.h"
#include "core/review/prune_rules.h"
#include "core/solve/solve_options.h"
#include "core/track/follow_features.h"
#include "core/track/track_edits.h"

namespace dusky {

/// How the footage is taken and which of its frames are worked on.
struct FootageSettings {
  double fps = 0;                       ///< 0: the footage's own.
  int frame_offset = 0;                 ///< Added to the footage's frame numbers.
  Tone tone;                            ///< How its values are looked at.
  int step = 1;                         ///< Every n-th frame of the range, 1 to 1000.
  std::vector<int> left_out;            ///< Frames not looked at, ascending.
  int width = 0, height = 0;            ///< Of the picture behind tracks that come without footage and do not say it; 0: not said.
  std::string moved_print, made_print;  ///< Footage that was moved: its print where it lies now, and that under which its results were made; empty: none.
  bool operator==(const FootageSettings&) const = default;
};

/// Tracks added to those there are: where and when features are looked for besides.
struct ExtraRun {
  std::vector<Vec2> region;             ///< A closed line, full-size px; empty: anywhere.
  int first_frame = 0, last_frame = 0;  ///< Where they are born, both included; 0, 0: in any frame. They grow as far as they can.
  double density = 2;                   ///< Times the features of the first run, over 0.
  double strength_share = 0.5;          ///< Of its floor of strength, over 0: what is thin is often weak.
  bool operator==(const ExtraRun&) const = default;
};

/// How camera and lens are known, as the artist says it.
struct LensSettings {
  FocalKnowledge focal = FocalKnowledge::Unknown;
  double focal_mm = 35.0;           ///< 1 to 2000; read where it is about known or locked.
  double focal_tolerance_pc = 3.0;  ///< Of what is about known: one standard deviation, per cent, over 0 to 100.
  double sensor_mm = 36.0;          ///< Width of the sensor, 1 to 100.
  CameraMotion motion = CameraMotion::Auto;
  LensChoice lens = LensChoice::Auto;
  std::string known;                         ///< A lens from a chart or an earlier shot, as JSON (lens_file.h); empty: none. It is locked.
  std::map<std::string, Release> releases;   ///< Groups of lens parameters that are forced on or off.
  std::map<std::string, KnownValue> values;  ///< Single lens parameters that are known, by name.
  double pixel_aspect = 0;                   ///< 0: as the footage says.
  double readout_ms = 0;                     ///< Of a rolling shutter, from the first row to the last; 0: unknown.
  bool free_readout = false;                 ///< Found, from readout_ms on.
  bool global_shutter = false;               ///< All rows at once, for certain. Else an unknown readout is looked for where the tracks call for it.
  bool operator==(const LensSettings&) const = default;
};

struct DeliverySettings {
  std::string folder;  ///< Empty: beside the footage.
  DeliveryChoices choices;
  std::vector<DeliveryPreset> presets;  ///< The artist's own.
  bool operator==(const DeliverySettings&) const = default;
};

/// All that the artist decided. The one thing that changes; results are kept apart.
struct Document {
  std::string footage_path;
  FootageSettings footage;
  MaskSettings masks;
  FollowOptions tracking;
  std::vector<ExtraRun> extra_runs;  ///< In the order they are made.
  TrackWork work;                    ///< What was done to tracks by hand.
  LensSettings lens;
  int seed = 1;
  Picks picks;
  MeshSettings mesh;    ///< Of the set; it places nothing by itself.
  DenseSettings dense;  ///< And how they are cleaned up.
  DeliverySettings delivery;
  LedgerMarks ledger;
  PruneRules prune;  ///< What the artist would prune; nothing goes by it before it is asked for.
  bool operator==(const Document&) const = default;
};

/// A file of rules: {"format":"dusky-moth-rules","version":1,...}, see docs/formats.md. Errors: Unreadable, InvalidInput: what is wrong with it.
std::string rulesToJson(const PruneRules& rules);
Result<PruneRules> rulesFromJson(const std::string& text);

std::string documentToJson(const Document& document);
std::string trackWorkToJson(const TrackWork& work);
/// What is known of the set, as text: all that a solve is asked for by it.
std::string knowledgeOfSolve(const Picks& picks);
/// Errors: Unreadable when the text is not a document of this version. With `lost`, parts that cannot be read are left as they are by default and named there;
/// an error then only when nothing can be had.
Result<Document> documentFromJson(const std::string& text, std::vector<std::string>* lost = nullptr);
}  // namespace dusky
