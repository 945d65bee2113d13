#include "robust_loss.h"

#include <stdexcept>

#include "../expression/term.h"

namespace tundrel {

int robust_loss(Graph& graph, const std::string& loss, int scaled, double c) {
  const Term u{&graph, scaled}, share = square(u / c);
  if (loss == "huber") return choose(share <= 1, 0.5 * square(u), c * abs(u) - 0.5 * c * c).node;
  if (loss == "bisquare") {
    const Term left = 1.0 - share;
    return choose(share <= 1, c * c / 6 * (1.0 - left * left * left), u.number(c * c / 6)).node;
  }
  if (loss == "cauchy") return (0.5 * c * c * log1p(share)).node;
  if (loss == "pseudo_huber") return (c * c * (sqrt(1.0 + share) - 1)).node;
  throw std::invalid_argument("unknown loss: " + loss);
}

}  // namespace tundrel
