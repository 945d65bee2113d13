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
  const Term same_side = share - log1p(share), of_zero = share + log(abs(f) / reference);
  // If the signs differ the loss has the same slope as on this side but is larger, and grows again as the fitted value nears zero, so
  // that no fit gains by going through zero to the wrong side of its readings.
  const Term other_side = choose(share > -2.0, share - log(abs(y / f)) + 6.0, 2.0 + 0.5 * square(share + 4.0));
  const Term loss = 2.0 * choose(share > -1.0, same_side, choose(y == 0.0, of_zero, other_side));
  return root_weight < 0 ? loss.node : (square(Term{&graph, root_weight}) * loss).node;
}

}  // namespace tundrel
