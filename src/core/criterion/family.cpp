#include "family.h"

#include <map>
#include <stdexcept>

#include "../expression/term.h"

namespace tundrel {
namespace {

const double kLogRootTwoPi = 0.918938533204672741780329736406;

using Others = std::vector<Term>;

Term unit_deviance(const Term& a, const Term& b) { return a.with(Op::unit_deviance, b); }
Term stirling(const Term& x) { return x.with(Op::stirling_error); }
// log gamma(x) - x log x + x, which stays small where its parts are large.
Term log_gamma_rest(const Term& x) { return stirling(x) - 0.5 * log(x) + kLogRootTwoPi; }
// log of a count's factorial, less what Stirling's leading terms say of it; 0 for a count of zero.
Term count_constant(const Term& y) { return choose(y > 0, stirling(y) + 0.5 * log(y) + kLogRootTwoPi, y.number(0)); }

// The centre of log y, for a mean and a standard deviation of log y.
Term log_centre(const Term& mean, const Term& log_sd) { return log(mean) - 0.5 * square(log_sd); }

Term normal(const Term& y, const Term& mean, const Others& o) {
  return log(o[0]) + 0.5 * square((y - mean) / o[0]) + kLogRootTwoPi;
}

Term lognormal(const Term& y, const Term& mean, const Others& o) {
  return log(y) + normal(log(y), log_centre(mean, o[0]), o);
}

Term student_t(const Term& y, const Term& mean, const Others& o) {
  const Term z = (y - mean) / o[0], half = o[1] / 2.0;
  return log(o[0]) + (half + 0.5) * log1p(square(z) / o[1]) - half * log1p(1.0 / o[1]) - stirling(half + 0.5) +
         stirling(half) + (0.5 + kLogRootTwoPi);
}

Term gamma(const Term& y, const Term& mean, const Others& o) {
  return unit_deviance(o[0], o[0] * y / mean) + log_gamma_rest(o[0]) + log(y);
}

// log of (y over the scale that gives this mean)^shape
Term weibull_log_time(const Term& y, const Term& mean, const Others& o) {
  return o[0] * (log(y) - log(mean) + lgamma(1.0 + 1.0 / o[0]));
}

Term weibull(const Term& y, const Term& mean, const Others& o) {
  const Term t = weibull_log_time(y, mean, o);
  return exp(t) - t - log(o[0]) + log(y);
}

Term exponential(const Term& y, const Term& mean, const Others&) { return log(mean) + y / mean; }

Term poisson(const Term& y, const Term& mean, const Others&) { return unit_deviance(y, mean) + count_constant(y); }

Term negative_binomial(const Term& y, const Term& mean, const Others& o) {
  const Term size = o[0], both = y + size, none = size * log1p(mean / size);
  const Term some = unit_deviance(size, both * size / (size + mean)) + unit_deviance(y, both * mean / (size + mean)) +
                    stirling(size) - stirling(both) + 0.5 * log(both / size) + count_constant(y);
  return where(size > 0, where(mean > 0, choose(y > 0, some, none)));
}

// A share that only rounding has taken below zero is none: c + (1 - c) * x comes to more than one where x is all but one, and is no other model there.
Term unless_by_rounding(const Term& share) {
  const double rounding = 1e-14;
  return choose(share > 0, share, where(share > -rounding, share.number(0)));
}

Term binomial(const Term& y, const Term& share, const Others& o) {
  const Term rest = o[0] - y;
  return unit_deviance(y, o[0] * unless_by_rounding(share)) + unit_deviance(rest, o[0] * unless_by_rounding(1.0 - share)) +
         count_constant(y) + count_constant(rest) - count_constant(o[0]);
}

Term beta(const Term& y, const Term& mean, const Others& o) {
  const Term a = mean * o[0], b = (1.0 - mean) * o[0];
  return unit_deviance(a, o[0] * y) + unit_deviance(b, o[0] * (1.0 - y)) + log_gamma_rest(a) + log_gamma_rest(b) -
         log_gamma_rest(o[0]) + log(y) + log(1.0 - y);
}

Term log_normal_tail(bool upper, const Term& z) { return (upper ? -z : z).with(Op::log_normal_probability); }
// Of a time after which a share exp(-time) is left.
Term log_decay_tail(bool upper, const Term& time) { return upper ? -time : log(-expm1(-time)); }

Others terms(Graph& graph, const std::vector<int>& nodes) {
  Others out;
  for (int node : nodes) out.push_back({&graph, node});
  return out;
}

}  // namespace

RowLoss family_loss(Graph& graph, const std::string& family, int response, int fitted,
                    const std::vector<int>& others) {
  using Density = Term (*)(const Term&, const Term&, const Others&);
  static const std::map<std::string, Density> kDensities = {
      {"normal", normal},           {"lognormal", lognormal},     {"student_t", student_t},
      {"gamma", gamma},             {"weibull", weibull},         {"exponential", exponential},
      {"poisson", poisson},         {"negative_binomial", negative_binomial},
      {"binomial", binomial},       {"beta", beta}};
  const Term y{&graph, response}, mean{&graph, fitted};
  const Others o = terms(graph, others);
  RowLoss loss;
  if (family == "laplace") {
    const Term scale = o.at(0);
    loss.smooth = log(2.0 * scale).node;
    loss.kink = ((y - mean) / scale).node;
    loss.reference = (y / scale).node;
    loss.expected = {{fitted, (1.0 / scale).node}, {scale.node, (1.0 / scale).node}};
  } else {
    loss.smooth = kDensities.at(family)(y, mean, o).node;
  }
  return loss;
}

int log_tail(Graph& graph, const std::string& family, bool upper, int limit, int fitted,
             const std::vector<int>& others) {
  const Term y{&graph, limit}, mean{&graph, fitted};
  const Others o = terms(graph, others);
  if (family == "normal") return log_normal_tail(upper, (y - mean) / o.at(0)).node;
  if (family == "lognormal") return log_normal_tail(upper, (log(y) - log_centre(mean, o.at(0))) / o[0]).node;
  if (family == "weibull") return log_decay_tail(upper, exp(weibull_log_time(y, mean, o))).node;
  if (family == "exponential") return log_decay_tail(upper, y / mean).node;
  if (family == "gamma") return o.at(0).with(upper ? Op::log_gamma_upper : Op::log_gamma_lower, o[0] * y / mean).node;
  throw std::invalid_argument("family cannot be censored: " + family);
}

}  // namespace tundrel
