#include "censoring.h"

#include <cmath>

#include "../expression/term.h"
#include "family.h"

namespace tundrel {
namespace {

// log(exp(a) - exp(b)) for a above b.
Term log_difference(const Term& a, const Term& b) { return a + log(-expm1(b - a)); }

}  // namespace

int censored_loss(Graph& graph, const std::string& family, int exact, const Censoring& censoring, int fitted,
                  const std::vector<int>& others) {
  const auto tail = [&](bool upper, int limit) {
    return Term{&graph, log_tail(graph, family, upper, limit, fitted, others)};
  };
  const auto log_probability = [&](Known kind) {
    if (kind == Known::below) return tail(false, censoring.high);
    if (kind == Known::above) return tail(true, censoring.low);
    // In the smaller tail the difference keeps its digits.
    const Term below_low = tail(false, censoring.low);
    return choose(below_low > std::log(0.5), log_difference(tail(true, censoring.low), tail(true, censoring.high)),
                  log_difference(tail(false, censoring.high), below_low));
  };
  const Term known{&graph, censoring.known};
  Term loss{&graph, exact};
  for (Known kind : censoring.kinds)
    loss = choose(known == static_cast<double>(kind), -log_probability(kind), loss);
  return loss.node;
}

}  // namespace tundrel
