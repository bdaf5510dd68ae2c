#pragma once
#include "core/knowledge/knowledge.h"

namespace dusky {

/// One statement of a knowledge.
struct StatementRef {
  enum class Part : std::uint8_t { Set, Relation, Distance, PlaneDistance, Equal, Mirror, Survey, Camera };
  Part part = Part::Set;
  std::size_t index = 0;
};
/// All of them: sets first, then what is said of them, then the rest.
std::vector<StatementRef> statementsOf(const Knowledge& knowledge);

/// As an artist reads it: `rear wall: upright`, `rear wall square to side wall`, `S1: survey point`. `unit`: of the scene.
std::string inWords(const Knowledge& knowledge, StatementRef ref, std::string_view unit);
/// What a solve calls it: the names of its sets, tracks or frames.
std::string nameOf(const KnownRelation& relation);
std::string nameOf(const KnownDistance& distance);
std::string nameOf(const KnownPlaneDistance& distance);
std::string nameOf(const KnownEqual& equal);
std::string nameOf(const KnownMirror& mirror);
std::string nameOf(const KnownCamera& camera);

/// A key of its own for each statement of a knowledge, the same when it is loosened, made exact, or switched: one word for its kind, a space, what a solve
/// calls it.
std::string keyOf(const Knowledge& knowledge, StatementRef ref);

/// "plane 1", "line 2": the next one that no set has.
std::string freeName(const Knowledge& knowledge, SetKind kind);

bool isOn(const Knowledge& knowledge, StatementRef ref);
/// Whether nothing may be off it. What has no deviation of its own, as a camera that moves smoothly, never is.
bool isExact(const Knowledge& knowledge, StatementRef ref);
/// With the planes and lines on that a statement speaks of; and the statement made exact and on as well.
Knowledge withItsSets(Knowledge knowledge, StatementRef ref);
Knowledge withExact(Knowledge knowledge, StatementRef ref);
/// Switching a relation on switches its sets on, switching a set off its relations off.
void switchStatement(Knowledge& knowledge, StatementRef ref, bool on);
/// A set gets another name, in all that speaks of it.
void renameSet(Knowledge& knowledge, std::size_t index, const std::string& name);
/// What speaks of a set goes with it.
void removeStatement(Knowledge& knowledge, StatementRef ref);
/// The tracks it speaks of by itself.
std::vector<int> tracksOf(const Knowledge& knowledge, StatementRef ref);

}  // namespace dusky
