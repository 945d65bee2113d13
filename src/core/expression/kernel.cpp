#include "kernel.h"

#include <Eigen/Core>
#include <cmath>

namespace tundrel {
namespace {

using In = Eigen::Map<const Eigen::ArrayXd>;
using Out = Eigen::Map<Eigen::ArrayXd>;

// Eigen's vectorised exponential saturates where the true one overflows or underflows; those few
// rows are done again one by one.
constexpr double kSafeExponent = 700;

void exp_block(const double* a, double* out, int n) {
  double kept[kBlockRows];
  const double* source = a;
  const In x(a, n);
  const bool safe = (x.abs() <= kSafeExponent).all();
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

void evaluate_block(Op op, double value, const double* a, const double* b, const double* c,
                    double* out, int n) {
  switch (op) {
    case Op::add: Out(out, n) = In(a, n) + In(b, n); return;
    case Op::subtract: Out(out, n) = In(a, n) - In(b, n); return;
    case Op::multiply: Out(out, n) = In(a, n) * In(b, n); return;
    case Op::divide: Out(out, n) = In(a, n) / In(b, n); return;
    case Op::negate: Out(out, n) = -In(a, n); return;
    case Op::exp: exp_block(a, out, n); return;
    case Op::sqrt: Out(out, n) = In(a, n).sqrt(); return;
    case Op::abs: Out(out, n) = In(a, n).abs(); return;
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
