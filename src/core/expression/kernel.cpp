#include "kernel.h"

#include <Eigen/Core>
#include <cmath>

namespace tundrel {
namespace {

using In = Eigen::Map<const Eigen::ArrayXd>;
using Out = Eigen::Map<Eigen::ArrayXd>;

// An operation of two arguments, either of which may be one number for all rows.
template <class Operation>
void combine(Input a, Input b, double* out, int n, const Operation& operation) {
  if (a.step == 0)
    Out(out, n) = operation(*a.data, In(b.data, n));
  else if (b.step == 0)
    Out(out, n) = operation(In(a.data, n), *b.data);
  else
    Out(out, n) = operation(In(a.data, n), In(b.data, n));
}

// Eigen's vectorised exponential saturates where the true one overflows or underflows; those few
// rows are done again one by one.
constexpr double kSafeExponent = 700;

void exp_block(const double* a, double* out, int n) {
  double kept[kBlockRows];
  const double* source = a;
  const In x(a, n);
  // The sum of squares tells at once of most blocks, and of none that has a missing number in it.
  const bool safe = x.square().sum() <= kSafeExponent * kSafeExponent || (x.abs() <= kSafeExponent).all();
  if (!safe && a == out) {
    std::copy(a, a + n, kept);
    source = kept;
  }
  Out(out, n) = In(source, n).exp();
  if (safe) return;
  for (int i = 0; i < n; ++i)
    if (!(std::fabs(source[i]) <= kSafeExponent)) out[i] = std::exp(source[i]);
}

}  // namespace

void evaluate_block(Op op, double value, Input a, Input b, Input c, double* out, int n) {
  switch (op) {
    case Op::add: combine(a, b, out, n, [](const auto& x, const auto& y) { return x + y; }); return;
    case Op::subtract: combine(a, b, out, n, [](const auto& x, const auto& y) { return x - y; }); return;
    case Op::multiply: combine(a, b, out, n, [](const auto& x, const auto& y) { return x * y; }); return;
    case Op::divide: combine(a, b, out, n, [](const auto& x, const auto& y) { return x / y; }); return;
    case Op::negate: Out(out, n) = -In(a.data, n); return;
    case Op::exp: exp_block(a.data, out, n); return;
    case Op::sqrt: Out(out, n) = In(a.data, n).sqrt(); return;
    case Op::abs: Out(out, n) = In(a.data, n).abs(); return;
    case Op::select:
      for (int i = 0; i < n; ++i) out[i] = std::isnan(a[i]) ? a[i] : a[i] != 0 ? b[i] : c[i];
      return;
    default: break;
  }
  switch (arity_of(op)) {
    case 1:
      for (int i = 0; i < n; ++i) out[i] = evaluate_scalar(op, value, a[i], 0, 0);
      return;
    case 2:
      for (int i = 0; i < n; ++i) out[i] = evaluate_scalar(op, value, a[i], b[i], 0);
      return;
    default:
      for (int i = 0; i < n; ++i) out[i] = evaluate_scalar(op, value, a[i], b[i], c[i]);
  }
}

}  // namespace tundrel
