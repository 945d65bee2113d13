#include "least_squares.h"

#include "../expression/term.h"

namespace tundrel {

int least_squares_residual(Graph& graph, int response, int fitted, int root_weight) {
  const int raw = graph.apply(Op::subtract, response, fitted);
  return root_weight < 0 ? raw : graph.apply(Op::multiply, root_weight, raw);
}

int log_ratio(Graph& graph, int response, int fitted, int root_weight) {
  const Term ratio = log(Term{&graph, response} / Term{&graph, fitted});
  return root_weight < 0 ? ratio.node : graph.apply(Op::multiply, root_weight, ratio.node);
}

int share_loss(Graph& graph, int response, int fitted, int root_weight, double reference) {
  const Term y{&graph, response}, f{&graph, fitted}, share = (y - f) / f;
  const Term of_zero = share + log(abs(f) / reference), other_side = share - log(abs(y / f));
  const Term half = choose(share > -1.0, share - log1p(share), choose(y == 0.0, of_zero, other_side));
  const Term loss = 2.0 * half;
  return root_weight < 0 ? loss.node : (square(Term{&graph, root_weight}) * loss).node;
}

}  // namespace tundrel
