#include "core/adjust/camera_order.h"

#include <algorithm>
#include <numeric>

namespace dusky {
namespace {

/// First and one past the last observation of each run of one point.
template <class Visit>
void eachPoint(const Bundle& bundle, const Visit& visit) {
  const auto& all = bundle.observations;
  for (std::size_t i = 0; i < all.size();) {
    std::size_t end = i + 1;
    while (end < all.size() && all[end].point == all[i].point) ++end;
    visit(i, end);
    i = end;
  }
}

CameraOrder orderBy(const Bundle& bundle, std::vector<int> place) {
  CameraOrder order{std::move(place), std::vector<int>(bundle.cameras.size())};
  std::iota(order.first.begin(), order.first.end(), 0);
  const auto reach = [&](int camera, int least) {
    int& first = order.first[order.place[camera]];
    first = std::min(first, least);
  };
  eachPoint(bundle, [&](std::size_t begin, std::size_t end) {
    int least = order.place[bundle.observations[begin].camera];
    for (std::size_t i = begin; i < end; ++i) least = std::min(least, order.place[bundle.observations[i].camera]);
    for (std::size_t i = begin; i < end; ++i) reach(bundle.observations[i].camera, least);
  });
  for (const CameraTie& tie : bundle.ties) {
    const int least = std::min(order.place[tie.a], order.place[tie.b]);
    reach(tie.a, least), reach(tie.b, least);
  }
  return order;
}

/// Work of a factorisation within the envelope, roughly.
double workOf(const CameraOrder& order) {
  double work = 0;
  for (std::size_t i = 0; i < order.first.size(); ++i) work += std::pow(static_cast<double>(i) - order.first[i] + 1, 2);
  return work;
}

/// Cameras next to each other in a track, and the two ends of every track, are neighbours.
std::vector<std::vector<int>> neighbours(const Bundle& bundle) {
  std::vector<std::vector<int>> next(bundle.cameras.size());
  const auto link = [&](int a, int b) {
    if (a != b) next[a].push_back(b), next[b].push_back(a);
  };
  eachPoint(bundle, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin + 1; i < end; ++i) link(bundle.observations[i - 1].camera, bundle.observations[i].camera);
    link(bundle.observations[begin].camera, bundle.observations[end - 1].camera);
  });
  for (auto& list : next) {
    std::sort(list.begin(), list.end());
    list.erase(std::unique(list.begin(), list.end()), list.end());
  }
  return next;
}

std::vector<int> reverseCuthillMcKee(const std::vector<std::vector<int>>& next) {
  std::vector<int> by_degree(next.size()), sequence;
  std::iota(by_degree.begin(), by_degree.end(), 0);
  const auto fewer = [&](int a, int b) { return next[a].size() < next[b].size(); };
  std::stable_sort(by_degree.begin(), by_degree.end(), fewer);
  std::vector<bool> seen(next.size(), false);
  for (const int start : by_degree) {
    if (seen[start]) continue;
    seen[start] = true;
    sequence.push_back(start);
    for (std::size_t at = sequence.size() - 1; at < sequence.size(); ++at) {
      std::vector<int> fresh;
      for (const int n : next[sequence[at]]) {
        if (!seen[n]) seen[n] = true, fresh.push_back(n);
      }
      std::stable_sort(fresh.begin(), fresh.end(), fewer);
      sequence.insert(sequence.end(), fresh.begin(), fresh.end());
    }
  }
  std::vector<int> place(next.size());
  for (std::size_t i = 0; i < sequence.size(); ++i) place[sequence[i]] = static_cast<int>(sequence.size() - 1 - i);
  return place;
}

}  // namespace

CameraOrder orderCameras(const Bundle& bundle) {
  std::vector<int> natural(bundle.cameras.size());
  std::iota(natural.begin(), natural.end(), 0);
  CameraOrder in_time = orderBy(bundle, std::move(natural));
  constexpr std::size_t kWorthwhile = 64;
  if (bundle.cameras.size() < kWorthwhile) return in_time;
  CameraOrder other = orderBy(bundle, reverseCuthillMcKee(neighbours(bundle)));
  return workOf(other) < 0.7 * workOf(in_time) ? other : in_time;
}

}  // namespace dusky
