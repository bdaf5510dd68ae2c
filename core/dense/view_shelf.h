#pragma once
#include <list>
#include <map>
#include <memory>

#include "core/dense/dense.h"

namespace dusky {

/// So many values by their numbers, those that were asked for last.
template <class T>
class Newest {
 public:
  explicit Newest(std::size_t most) : most_(most) {}
  std::shared_ptr<const T> find(std::size_t k) {
    const auto found = places_.find(k);
    if (found == places_.end()) return nullptr;
    order_.splice(order_.begin(), order_, found->second);
    return found->second->second;
  }
  std::shared_ptr<const T> keep(std::size_t k, std::shared_ptr<const T> value) {
    order_.emplace_front(k, value);
    places_[k] = order_.begin();
    if (order_.size() > most_) places_.erase(order_.back().first), order_.pop_back();
    return value;
  }

 private:
  using Order = std::list<std::pair<std::size_t, std::shared_ptr<const T>>>;
  std::size_t most_;
  Order order_;
  std::map<std::size_t, typename Order::iterator> places_;
};

/// Depth maps of keyframes, kept in a folder where there is one, and the newest in memory.
class MapShelf {
 public:
  /// `frames`: of each key. `most`: maps in memory; without a folder all are.
  MapShelf(std::filesystem::path folder, std::vector<int> frames, std::size_t most)
      : folder_(std::move(folder)), frames_(std::move(frames)), newest_(folder_.empty() ? frames_.size() : most) {}

  /// Whether it can be taken from there; what is damaged is not.
  bool has(std::size_t k) { return newest_.find(k) || (!folder_.empty() && load(k)); }
  /// Errors: CannotWrite.
  Status put(std::size_t k, FusedViewPtr view);
  /// Errors: Unreadable: its file went away.
  Result<FusedViewPtr> at(std::size_t k);

 private:
  FusedViewPtr load(std::size_t k);

  std::filesystem::path folder_;
  std::vector<int> frames_;
  Newest<FusedView> newest_;
};

}  // namespace dusky
