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
  void setMost(std::size_t most) { most_ = most; }
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

/// A depth map as its file is named: by its frame and those that it is made from.
struct MapName {
  int frame = 0;
  std::vector<int> from;
  std::string file() const;
};

/// Depth maps of keyframes, kept in a folder where there is one, and the newest in memory.
class MapShelf {
 public:
  /// `earlier`: other folders, maps of which may be used. `most`: maps in memory; without a folder all are.
  MapShelf(std::filesystem::path folder, std::vector<std::filesystem::path> earlier, std::vector<MapName> names, std::size_t most)
      : folder_(std::move(folder)), earlier_(std::move(earlier)), names_(std::move(names)), newest_(folder_.empty() ? names_.size() : most) {}

  /// How many maps are in memory from now on; without a folder all are.
  void keep(std::size_t most) {
    if (!folder_.empty()) newest_.setMost(most);
  }
  /// Whether it can be taken from there; what is damaged is not.
  bool has(std::size_t k) { return newest_.find(k) || (!folder_.empty() && load(k)); }
  /// Errors: CannotWrite.
  Status put(std::size_t k, FusedViewPtr view);
  /// Errors: Unreadable: its file went away.
  Result<FusedViewPtr> at(std::size_t k);

 private:
  FusedViewPtr load(std::size_t k);
  std::filesystem::path fileOf(std::size_t k) const { return folder_ / names_[k].file(); }
  /// A file of an earlier folder gets a second name in this one.
  void takeOver(std::size_t k) const;

  std::filesystem::path folder_;
  std::vector<std::filesystem::path> earlier_;
  std::vector<MapName> names_;
  Newest<FusedView> newest_;
};

}  // namespace dusky
