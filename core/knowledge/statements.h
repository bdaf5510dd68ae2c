#pragma once
#include "core/knowledge/knowledge.h"

namespace dusky {

/// One statement of a knowledge.
struct StatementRef {
  enum class Part : std::uint8_t { Set, Relation, Distance, Survey, Camera };
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
std::string nameOf(const KnownCamera& camera);

/// "plane 1", "line 2": the next one that no set has.
std::string freeName(const Knowledge& knowledge, SetKind kind);

bool isOn(const Knowledge& knowledge, StatementRef ref);
/// Switching a relation on switches its sets on, switching a set off its relations off.
void switchStatement(Knowledge& knowledge, StatementRef ref, bool on);
/// What speaks of a set goes with it.
void removeStatement(Knowledge& knowledge, StatementRef ref);
/// The tracks it speaks of by itself.
std::vector<int> tracksOf(const Knowledge& knowledge, StatementRef ref);

}  // namespace dusky
