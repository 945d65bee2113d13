// An expression of one variable and of other values: the variable is parameter 0 of its graph, the others follow.
#pragma once
#include <vector>

#include "../expression/program.h"

namespace tundrel {

struct Template {
  Graph graph;
  int node = -1;
  int others = 0;

  // Its derivative with respect to parameter `which`, as another template over the same graph.
  Template derivative(int which) const;
  // Over one column, the variable; the others are parameters.
  Program along_variable() const;
  // The expression with nodes of `to` in the place of the variable and of the others.
  int put_into(Graph& to, int variable, const int* others) const;
};

}  // namespace tundrel
