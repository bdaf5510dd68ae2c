#include "core/dense/texture_charts.h"

#include <algorithm>
#include <array>
#include <map>
#include <numeric>

namespace dusky {
namespace {

/// Of each triangle those that it shares an edge with, up to three; itself where there is none.
std::vector<std::array<std::uint32_t, 3>> neighboursIn(const SetMesh& mesh) {
  struct Edge {
    std::uint64_t ends;
    std::uint32_t triangle;
    std::uint32_t side;
  };
  std::vector<Edge> edges;
  edges.reserve(3 * mesh.triangles.size());
  std::vector<std::array<std::uint32_t, 3>> neighbours(mesh.triangles.size());
  for (std::uint32_t t = 0; t < mesh.triangles.size(); ++t) {
    neighbours[t].fill(t);
    for (std::uint32_t side = 0; side < 3; ++side) {
      const auto [low, high] = std::minmax(mesh.triangles[t][side], mesh.triangles[t][(side + 1) % 3]);
      edges.push_back({(std::uint64_t{low} << 32) | high, t, side});
    }
  }
  std::sort(edges.begin(), edges.end(), [](const Edge& a, const Edge& b) { return std::pair(a.ends, a.triangle) < std::pair(b.ends, b.triangle); });
  for (std::size_t e = 1; e < edges.size(); ++e) {
    const Edge &a = edges[e - 1], &b = edges[e];
    if (a.ends != b.ends) continue;
    neighbours[a.triangle][a.side] = b.triangle, neighbours[b.triangle][b.side] = a.triangle;
  }
  return neighbours;
}

}  // namespace

std::vector<int> chosenViews(const SetMesh& mesh, const std::vector<std::vector<TextureChoice>>& choices) {
  constexpr int kSweeps = 8;
  constexpr double kApart = 0.5;  // what a neighbour from another view costs, of what the best view is worth
  const auto neighbours = neighboursIn(mesh);
  std::vector<int> chosen(choices.size(), -1);
  std::vector<double> best(choices.size(), 0);
  for (std::size_t t = 0; t < choices.size(); ++t) {
    for (const TextureChoice& choice : choices[t]) {
      if (choice.worth > best[t]) best[t] = choice.worth, chosen[t] = choice.view;
    }
  }
  for (int sweep = 0; sweep < kSweeps; ++sweep) {
    bool changed = false;
    for (std::size_t t = 0; t < choices.size(); ++t) {
      double least = 1e30;
      int view = -1;
      for (const TextureChoice& choice : choices[t]) {
        double cost = 1 - choice.worth / best[t];
        for (const std::uint32_t n : neighbours[t]) cost += n != t && chosen[n] != choice.view ? kApart : 0;
        if (cost < least) least = cost, view = choice.view;
      }
      changed = changed || view != chosen[t];
      chosen[t] = view;
    }
    if (!changed) break;
  }
  return chosen;
}

std::vector<TextureChart> chartsOf(const SetMesh& mesh, const std::vector<int>& views) {
  const auto neighbours = neighboursIn(mesh);
  std::vector<bool> taken(views.size(), false);
  std::vector<TextureChart> charts;
  for (std::uint32_t first = 0; first < views.size(); ++first) {
    if (taken[first] || views[first] < 0) continue;
    TextureChart chart{views[first], {first}};
    taken[first] = true;
    for (std::size_t k = 0; k < chart.triangles.size(); ++k) {
      for (const std::uint32_t n : neighbours[chart.triangles[k]]) {
        if (!taken[n] && views[n] == chart.view) taken[n] = true, chart.triangles.push_back(n);
      }
    }
    charts.push_back(std::move(chart));
  }
  return charts;
}

}  // namespace dusky
