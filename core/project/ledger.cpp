#include "core/project/ledger.h"

#include <algorithm>

namespace dusky {

const Run* Ledger::find(int id) const {
  const auto found = std::find_if(runs_.begin(), runs_.end(), [id](const Run& run) { return run.id == id; });
  return found != runs_.end() ? &*found : nullptr;
}

const Run* Ledger::withKey(const std::string& own) const {
  const auto found = std::find_if(runs_.begin(), runs_.end(), [&](const Run& run) { return run.keys.own == own; });
  return found != runs_.end() ? &*found : nullptr;
}

const Run* Ledger::answering(const std::string& asked, const LedgerMarks& marks) const {
  const auto answers = [&](const Run& run) { return run.keys.asked == asked && !marks.isDropped(run.id); };
  if (const Run* wanted = find(marks.shown); wanted && answers(*wanted)) return wanted;
  const auto newest = std::find_if(runs_.rbegin(), runs_.rend(), answers);
  return newest != runs_.rend() ? &*newest : nullptr;
}

int Ledger::add(Run run) {
  if (const Run* same = withKey(run.keys.own)) return same->id;
  for (const Run& one : runs_) last_ = std::max(last_, one.id);
  run.id = ++last_;
  runs_.push_back(std::move(run));
  return last_;
}

void Ledger::remove(int id) {
  for (const Run& one : runs_) last_ = std::max(last_, one.id);
  std::erase_if(runs_, [id](const Run& run) { return run.id == id; });
}

}  // namespace dusky
