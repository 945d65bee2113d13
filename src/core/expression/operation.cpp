#include "operation.h"

#include <cmath>

#include "probability.h"
#include "special.h"

namespace tundrel {
namespace {

const OperationInfo kTable[] = {
    {Op::add, "+", 2, 0},          {Op::subtract, "-", 2, 0},
    {Op::multiply, "*", 2, 0},     {Op::divide, "/", 2, 0},
    {Op::power, "^", 2, 0},        {Op::less, "<", 2, 0},
    {Op::less_equal, "<=", 2, 0},  {Op::greater, ">", 2, 0},
    {Op::greater_equal, ">=", 2, 0}, {Op::equal, "==", 2, 0},
    {Op::not_equal, "!=", 2, 0},   {Op::both, "&", 2, 0},
    {Op::either, "|", 2, 0},       {Op::negation, "!", 1, 0},
    {Op::select, "ifelse", 3, 0},  {Op::exp, "exp", 1, 0},
    {Op::expm1, "expm1", 1, 0},    {Op::log, "log", 1, 0},
    {Op::log1p, "log1p", 1, 0},    {Op::log2, "log2", 1, 0},
    {Op::log10, "log10", 1, 0},    {Op::sqrt, "sqrt", 1, 0},
    {Op::abs, "abs", 1, 0},        {Op::sign, "sign", 1, 0},
    {Op::floor, "floor", 1, 0},    {Op::ceiling, "ceiling", 1, 0},
    {Op::sin, "sin", 1, 0},        {Op::cos, "cos", 1, 0},
    {Op::tan, "tan", 1, 0},        {Op::asin, "asin", 1, 0},
    {Op::acos, "acos", 1, 0},      {Op::atan, "atan", 1, 0},
    {Op::atan2, "atan2", 2, 0},    {Op::sinh, "sinh", 1, 0},
    {Op::cosh, "cosh", 1, 0},      {Op::tanh, "tanh", 1, 0},
    {Op::asinh, "asinh", 1, 0},    {Op::acosh, "acosh", 1, 0},
    {Op::atanh, "atanh", 1, 0},    {Op::gamma, "gamma", 1, 0},
    {Op::lgamma, "lgamma", 1, 0},  {Op::polygamma, "digamma", 1, 0},
    {Op::polygamma, "trigamma", 1, 1}, {Op::beta, "beta", 2, 0},
    {Op::erf, "erf", 1, 0},        {Op::erfc, "erfc", 1, 0},
    {Op::pnorm, "pnorm", 1, 0},    {Op::dnorm, "dnorm", 1, 0},
    {Op::plogis, "plogis", 1, 0},  {Op::qlogis, "qlogis", 1, 0},
    {Op::bessel_j, "bessel_j0", 1, 0}, {Op::bessel_j, "bessel_j1", 1, 1},
    {Op::voigt, "voigt", 2, 0},
    {Op::min, "pmin", 2, 0},       {Op::max, "pmax", 2, 0},
};

}  // namespace

const OperationInfo* operation_table(int& count) {
  count = static_cast<int>(sizeof(kTable) / sizeof(kTable[0]));
  return kTable;
}

int arity_of(Op op) {
  switch (op) {
    case Op::constant: case Op::parameter: case Op::column: case Op::tabled: case Op::solved:
      return 0;
    case Op::add: case Op::subtract: case Op::multiply: case Op::divide: case Op::power:
    case Op::voigt: case Op::voigt_companion:
    case Op::atan2: case Op::min: case Op::max: case Op::beta: case Op::gated:
    case Op::unit_deviance: case Op::log_gamma_lower: case Op::log_gamma_upper:
    case Op::less: case Op::less_equal: case Op::greater: case Op::greater_equal: case Op::equal:
    case Op::not_equal: case Op::both: case Op::either:
      return 2;
    case Op::select:
      return 3;
    default:
      return 1;
  }
}

double evaluate_scalar(Op op, double value, double a, double b, double c) {
  const auto truth = [](bool t) { return t ? 1.0 : 0.0; };
  // A comparison with a missing number is missing, as in R, and not false.
  const bool missing = std::isnan(a) || std::isnan(b);
  switch (op) {
    case Op::constant: return value;
    case Op::parameter: case Op::column: case Op::tabled: case Op::solved: return NAN;
    case Op::add: return a + b;
    case Op::subtract: return a - b;
    case Op::multiply: return a * b;
    case Op::divide: return a / b;
    case Op::power: return std::pow(a, b);
    case Op::negate: return -a;
    case Op::exp: return std::exp(a);
    case Op::expm1: return std::expm1(a);
    case Op::log: return std::log(a);
    case Op::log1p: return std::log1p(a);
    case Op::log2: return std::log2(a);
    case Op::log10: return std::log10(a);
    case Op::sqrt: return std::sqrt(a);
    case Op::abs: return std::fabs(a);
    case Op::sign: return a > 0 ? 1 : a < 0 ? -1 : a;
    case Op::floor: return std::floor(a);
    case Op::ceiling: return std::ceil(a);
    case Op::sin: return std::sin(a);
    case Op::cos: return std::cos(a);
    case Op::tan: return std::tan(a);
    case Op::asin: return std::asin(a);
    case Op::acos: return std::acos(a);
    case Op::atan: return std::atan(a);
    case Op::sinh: return std::sinh(a);
    case Op::cosh: return std::cosh(a);
    case Op::tanh: return std::tanh(a);
    case Op::asinh: return std::asinh(a);
    case Op::acosh: return std::acosh(a);
    case Op::atanh: return std::atanh(a);
    case Op::gamma: return std::tgamma(a);
    case Op::lgamma: return log_gamma(a);
    case Op::polygamma: return polygamma(static_cast<int>(value), a);
    case Op::erf: return std::erf(a);
    case Op::erfc: return std::erfc(a);
    case Op::pnorm: return normal_probability(a);
    case Op::dnorm: return normal_density(a);
    case Op::plogis: return logistic_probability(a);
    case Op::qlogis: return std::log(a / (1 - a));
    case Op::bessel_j: return bessel_j(static_cast<int>(value), a);
    case Op::log_normal_probability: return log_normal_probability(a);
    case Op::normal_hazard: return normal_hazard(a);
    case Op::stirling_error: return stirling_error(static_cast<int>(value), a);
    case Op::unit_deviance: return unit_deviance(a, b);
    case Op::log_gamma_lower: return log_incomplete_gamma(false, static_cast<int>(value), a, b);
    case Op::log_gamma_upper: return log_incomplete_gamma(true, static_cast<int>(value), a, b);
    case Op::voigt: return faddeeva(a, b).real();
    case Op::voigt_companion: return faddeeva(a, b).imag();
    case Op::atan2: return std::atan2(a, b);
    case Op::min: return missing ? NAN : a < b ? a : b;
    case Op::max: return missing ? NAN : a > b ? a : b;
    case Op::beta: return std::exp(log_gamma(a) + log_gamma(b) - log_gamma(a + b));
    case Op::gated: return a == 0 || b == 0 ? 0 : a * b;
    case Op::less: return missing ? NAN : truth(a < b);
    case Op::less_equal: return missing ? NAN : truth(a <= b);
    case Op::greater: return missing ? NAN : truth(a > b);
    case Op::greater_equal: return missing ? NAN : truth(a >= b);
    case Op::equal: return missing ? NAN : truth(a == b);
    case Op::not_equal: return missing ? NAN : truth(a != b);
    case Op::both: return missing ? NAN : truth(a != 0 && b != 0);
    case Op::either: return missing ? NAN : truth(a != 0 || b != 0);
    case Op::negation: return std::isnan(a) ? NAN : truth(a == 0);
    case Op::select: return std::isnan(a) ? NAN : a != 0 ? b : c;
  }
  return NAN;
}

}  // namespace tundrel
