#pragma once
#include <list>
#include <memory>
#include <string>
#include <utility>

namespace dusky {

/// The results used last, by their keys, newest first.
template <class T>
class RecentResults {
 public:
  using Pointer = std::shared_ptr<const T>;

  /// nullptr: it is not here.
  Pointer find(const std::string& key) {
    for (auto at = results_.begin(); at != results_.end(); ++at) {
      if (at->first != key) continue;
      results_.splice(results_.begin(), results_, at);
      return at->second;
    }
    return nullptr;
  }
  Pointer keep(const std::string& key, Pointer result) {
    results_.remove_if([&](const auto& one) { return one.first == key; });
    results_.emplace_front(key, std::move(result));
    return results_.front().second;
  }
  /// Lets the oldest go: they can be read again from the project.
  void shrinkTo(std::size_t most) {
    while (results_.size() > most) results_.pop_back();
  }

 private:
  std::list<std::pair<std::string, Pointer>> results_;
};

}  // namespace dusky
