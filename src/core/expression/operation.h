// The operations of the model language: what a node of an expression can do.
#pragma once
#include <string>

namespace tundrel {

enum class Op {
  // leaves
  constant, parameter, column,
  tabled,  // a value found for all rows of a table at once; see table_function.h
  solved,  // a value that a function of rows finds from any number of others; see row_function.h
  // arithmetic
  add, subtract, multiply, divide, power, negate,
  // elementary functions of one argument
  exp, expm1, log, log1p, log2, log10, sqrt, abs, sign, floor, ceiling,
  sin, cos, tan, asin, acos, atan, sinh, cosh, tanh, asinh, acosh, atanh,
  // special functions of one argument
  gamma, lgamma, erf, erfc, pnorm, dnorm, plogis, qlogis,
  polygamma,  // order in the node's value, 0 for digamma
  bessel_j,   // order in the node's value
  // of probability; see probability.h
  log_normal_probability, normal_hazard,
  stirling_error,  // order in the node's value
  // two arguments
  voigt,            // real part of the Faddeeva function at a + i b, b not negative
  voigt_companion,  // its imaginary part
  atan2, min, max, beta,
  unit_deviance,
  log_gamma_lower, log_gamma_upper,  // log of the incomplete gamma function; order in the node's value
  gated,  // a * b, but 0 where either is 0: keeps branches that are not taken, and infinities that nothing follows from, out of derivatives
  less, less_equal, greater, greater_equal, equal, not_equal, both, either,
  // three arguments
  select,     // a is true ? b : c
  // not of one argument
  negation
};

// Name, number of arguments and derivability of one operation as users write it.
struct OperationInfo {
  Op op;
  const char* name;  // as in the model language; empty when users cannot write it
  int arity;
  double value;      // fixed value that the node carries: an order
};

// All operations users can call, in the order of the documentation.
const OperationInfo* operation_table(int& count);

int arity_of(Op op);

// One evaluation on plain numbers, used for folding and for what does not depend on rows.
double evaluate_scalar(Op op, double value, double a, double b, double c);

}  // namespace tundrel
