#pragma once
#include <memory>
#include <optional>
#include <vector>

#include "core/image/frame_source.h"
#include "core/project/undo_stack.h"
#include "core/scene/knowledge_members.h"

namespace dusky {

// Edits that artists make with a selection. Each takes the document as it is and track ids in the order they were picked; an
// edit that would change nothing is dropped by the undo stack.

/// Takes tracks out of the solve, or lets them take part again. Pinned tracks are left as they are.
std::unique_ptr<Edit> setAside(const Document& document, const std::vector<int>& ids);
std::unique_ptr<Edit> bringBack(const Document& document, const std::vector<int>& ids);
std::unique_ptr<Edit> pinTracks(const Document& document, const std::vector<int>& ids, bool pinned);
/// How much tracks count in the solve, kLeastTrackWeight to kMostTrackWeight; 1: as any other.
std::unique_ptr<Edit> weighTracks(const Document& document, const std::vector<int>& ids, double weight);

/// Takes what a choice of rules takes out of the solve, tracks and single sightings, as one step; and every sighting back in.
std::unique_ptr<Edit> setAsideChosen(const Document& document, const PruneChoice& choice);
std::unique_ptr<Edit> bringSightingsBack(const Document& document);

// Picks for the scene; see SceneSettings.
std::unique_ptr<Edit> useAsGround(const Document& document, std::vector<int> ids);
std::unique_ptr<Edit> useAsOrigin(const Document& document, int id);
std::unique_ptr<Edit> useAsDirection(const Document& document, int from, int to);
std::unique_ptr<Edit> useAsLength(const Document& document, int from, int to, double metres);
std::unique_ptr<Edit> changeScene(std::string name, const Document& document, SceneSettings scene);

/// One object on each track.
std::unique_ptr<Edit> placeObjects(const Document& document, ObjectShape shape, const std::vector<int>& tracks, double size);
/// One on the first of these tracks, aligned to the plane of all of them (three or more).
std::unique_ptr<Edit> placeOnPlane(const Document& document, ObjectShape shape, const std::vector<int>& tracks, double size);
/// Puts an object in the place of the one with its id.
std::unique_ptr<Edit> changeObject(const Document& document, const TestObject& object);
std::unique_ptr<Edit> removeObject(const Document& document, int id);
/// Other knowledge of the set.
std::unique_ptr<Edit> changeKnowledge(std::string name, const Document& document, Knowledge knowledge);
/// Says that tracks lie in one plane or on one line; the set gets the next free name.
std::unique_ptr<Edit> addKnownSet(const Document& document, SetKind kind, SetFacing facing, std::vector<int> tracks);
/// Says how far two tracks are apart, beside what sets the scene's scale; a distance between the same two gives way.
std::unique_ptr<Edit> addKnownDistance(const Document& document, int from, int to, double metres);
/// Says that pairs of tracks are equally far apart, or mirror each other: the first with the second, the third with the fourth, and so on.
std::unique_ptr<Edit> addEqualDistances(const Document& document, const std::vector<int>& tracks);
std::unique_ptr<Edit> addMirroredPairs(const Document& document, const std::vector<int>& tracks);
/// Takes what is known of the set over; of the scene's picks those that it speaks of.
std::unique_ptr<Edit> useKnowledge(const Document& document, const FoundKnowledge& found);
std::unique_ptr<Edit> removeObjects(const Document& document);

// The ledger. An empty name: its own again.
std::unique_ptr<Edit> nameRun(const Document& document, int run, std::string name);
/// Kept runs stay when the others are dropped.
std::unique_ptr<Edit> keepRuns(const Document& document, const std::vector<int>& runs, bool kept);
/// They leave the ledger; until the project is opened anew this can be undone.
std::unique_ptr<Edit> dropRuns(const Document& document, const std::vector<int>& runs);

/// Another document in the place of this one, as one step to undo.
std::unique_ptr<Edit> replaceDocument(std::string name, Document document);

// Masks. A new mask gets the next free number.
Mask newMask(const Document& document, MaskShape shape);
/// Puts a mask in place of the one with its id, or adds it.
std::unique_ptr<Edit> changeMask(std::string name, const Document& document, Mask mask);
std::unique_ptr<Edit> removeMask(const Document& document, int id);

/// Makes scalars of the solve known at values, by the names that a sweep has for them: the focal length is locked, the readout time set,
/// other lens parameters stand at theirs.
std::unique_ptr<Edit> takeValues(const Document& document, const FootageInfo& footage, const std::vector<std::pair<std::string, double>>& values);
std::unique_ptr<Edit> knowValue(const Document& document, const std::string& parameter, std::optional<KnownValue> known);

/// Numbers the frames anew; everything in the document that speaks of frames moves along.
std::unique_ptr<Edit> changeFrameOffset(const Document& document, int offset);

/// Frames that are no longer looked at, besides those left out already; and all of them again.
std::unique_ptr<Edit> leaveOutFrames(const Document& document, std::vector<int> frames);
std::unique_ptr<Edit> useAllFrames(const Document& document);

// Tracks added, by hand and mended. `followed_key` is that of the tracks as they were followed (Workspace::followedKey): edits of others are
// dropped then, because their numbers mean other tracks.
std::unique_ptr<Edit> addRun(const Document& document, ExtraRun run);
std::unique_ptr<Edit> removeExtraRuns();
/// A track by hand without points, with the next free number.
HandTrack newHandTrack(const Document& document, const HandTrack& like);
/// Puts a track by hand in place of the one with its id, or adds it.
std::unique_ptr<Edit> changeHandTrack(std::string name, const Document& document, HandTrack track);
/// Brings tracks in as a group of their own, numbered from kFirstImportedId on. Whoever has a project file stores their places.
std::unique_ptr<Edit> importTracks(const Document& document, TrackSet tracks, std::string group);
std::unique_ptr<Edit> removeTracks(const Document& document, const std::vector<int>& ids, const std::string& followed_key);
/// Takes the frames first to last out of tracks.
std::unique_ptr<Edit> removeFrames(const Document& document, const std::vector<int>& ids, int first, int last, const std::string& followed_key);
/// From `frame` on each becomes a track of its own. Tracks by hand are cut as well.
std::unique_ptr<Edit> cutTracks(const Document& document, const std::vector<int>& ids, int frame, const std::string& followed_key);
/// The second goes on in the first. Only automatic tracks; see canJoin().
std::unique_ptr<Edit> joinTracks(const Document& document, int track, int other, const std::string& followed_key);
std::unique_ptr<Edit> nameTrack(const Document& document, int id, std::string name, const std::string& followed_key);
std::unique_ptr<Edit> groupTracks(const Document& document, const std::vector<int>& ids, const std::string& group, const std::string& followed_key);
}  // namespace dusky
