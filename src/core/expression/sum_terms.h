// A sum taken apart into what parameters change and what they do not.
#pragma once
#include "graph.h"

namespace tundrel {

struct SplitSum {
  int varying, constant;  // nodes whose sum is the expression
};

// Terms of the sum at the top of `node` that depend on no parameter need to be added up only once.
SplitSum split_constant_terms(Graph& graph, int node);

}  // namespace tundrel
