#pragma once
#include "core/project/run.h"

namespace dusky {

/// The runs of a shot: what was solved, oldest first. The solves themselves are stored apart.
class Ledger {
 public:
  Ledger() = default;
  explicit Ledger(std::vector<Run> runs) : runs_(std::move(runs)) {}

  const std::vector<Run>& runs() const { return runs_; }
  /// nullptr: there is none.
  const Run* find(int id) const;
  const Run* withKey(const std::string& own) const;
  /// The run to show for a question: the one that the artist wants shown where it answers it, else the newest that does. Dropped ones answer nothing.
  const Run* answering(const std::string& asked, const LedgerMarks& marks) const;
  /// Adds a run under the next number, which is returned. One of the same own key is the same solve, and stays as it is.
  int add(Run run);
  void remove(int id);

 private:
  std::vector<Run> runs_;
  int last_ = 0;  ///< The highest number given, also of runs that are gone.
};

}  // namespace dusky
