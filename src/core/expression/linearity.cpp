#include "linearity.h"

#include <algorithm>

#include "derivative.h"

namespace tundrel {

std::vector<int> linear_parameters(Graph& graph, int output, int n_parameters) {
  const std::vector<int> hessian = hessian_nodes(graph, output, n_parameters);
  const auto vanishes = [&](int i, int j) {
    const int row = std::max(i, j), column = std::min(i, j);
    return graph.is_constant(hessian[row * (row + 1) / 2 + column], 0);
  };
  std::vector<int> candidates, conflicts(n_parameters, 0);
  for (int i = 0; i < n_parameters; ++i)
    if (vanishes(i, i)) candidates.push_back(i);
  for (int i : candidates)
    for (int j : candidates) conflicts[i] += !vanishes(i, j);
  std::stable_sort(candidates.begin(), candidates.end(),
                   [&](int i, int j) { return conflicts[i] < conflicts[j]; });
  std::vector<int> chosen;
  for (int i : candidates)
    if (std::all_of(chosen.begin(), chosen.end(), [&](int j) { return vanishes(i, j); })) chosen.push_back(i);
  std::sort(chosen.begin(), chosen.end());
  return chosen;
}

}  // namespace tundrel
