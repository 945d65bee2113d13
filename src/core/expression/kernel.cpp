#include "kernel.h"

#include <algorithm>
#include <cmath>

#include "circular.h"
#include "elementary.h"
#include "logarithm.h"
#include "row_sums.h"

namespace tundrel {
namespace {

// What an operation reads from row i on: a column's numbers, or the same one for all.
struct Column {
  const double* data;
  template <int n>
  TUNDREL_INLINE Rows<n> rows(int i) const { return rows_at<n>(data, i); }
};
struct Number {
  double value;
  template <int n>
  TUNDREL_INLINE Rows<n> rows(int) const { return Rows<n>(value); }
};

template <class Operation>
TUNDREL_INLINE inline void map_rows(const double* a, double* out, int n, const Operation& operation) {
  cover_rows(n, [=](int i, auto width) TUNDREL_INLINE { operation(rows_at<width.rows>(a, i), width).put(out + i); });
}

template <class Operation, class A, class B>
TUNDREL_INLINE inline void map_rows(const A& a, const B& b, double* out, int n, const Operation& operation) {
  cover_rows(n, [=](int i, auto width) TUNDREL_INLINE {
    operation(a.template rows<width.rows>(i), b.template rows<width.rows>(i)).put(out + i);
  });
}

// An operation of two arguments, either of which may be one number for all rows.
template <class Operation>
TUNDREL_INLINE inline void combine(Input a, Input b, double* out, int n, const Operation& operation) {
  if (a.step == 0)
    map_rows(Number{*a.data}, Column{b.data}, out, n, operation);
  else if (b.step == 0)
    map_rows(Column{a.data}, Number{*b.data}, out, n, operation);
  else
    map_rows(Column{a.data}, Column{b.data}, out, n, operation);
}

template <int n>
TUNDREL_INLINE inline Rows<n> rows_of(Input input, int i) {
  return input.step == 0 ? Rows<n>(*input.data) : rows_at<n>(input.data, i);
}

// A function of several rows at once, and, where that gives no finite number, of one by one: the latter knows all cases. A sum tells of most blocks that
// there are none.
template <class Function>
TUNDREL_INLINE inline void map_guarded(Op op, double value, Input a, Input b, double* out, int n, const Function& function) {
  double found[kBlockRows];
  RowSums<1> nothing;
  cover_rows(n, [&](int i, auto width) TUNDREL_INLINE {
    const Rows<width.rows> some = function(rows_of<width.rows>(a, i), rows_of<width.rows>(b, i));
    some.put(found + i);
    nothing.add(0, some - some);
  });
  if (!(nothing.total(0) == 0))
    for (int i = 0; i < n; ++i)
      if (!std::isfinite(found[i])) found[i] = evaluate_scalar(op, value, a[i], b[i], 0);
  std::copy_n(found, n, out);
}

// Beyond kSafeExponent rows are done one by one. The sum of squares tells at once of most blocks that there are none, and of none that has a missing
// number in it.
TUNDREL_INLINE inline void exp_block(const double* a, double* out, int n) {
  double kept[kBlockRows];
  const double* source = a;
  RowSums<1> squares;
  cover_rows(n, [&](int i, auto width) TUNDREL_INLINE { squares.add(0, rows_at<width.rows>(a, i) * rows_at<width.rows>(a, i)); });
  const bool safe = squares.total(0) <= kSafeExponent * kSafeExponent ||
                    std::all_of(a, a + n, [](double x) { return std::fabs(x) <= kSafeExponent; });
  if (!safe && a == out) {
    std::copy(a, a + n, kept);
    source = kept;
  }
  map_rows(source, out, n, [](const auto& x, auto width) TUNDREL_INLINE { return exp_of<width.rows>(x); });
  if (safe) return;
  for (int i = 0; i < n; ++i)
    if (!(std::fabs(source[i]) <= kSafeExponent)) out[i] = std::exp(source[i]);
}

}  // namespace

TUNDREL_LANES void evaluate_block(Op op, double value, Input a, Input b, Input c, double* out, int n) {
  switch (op) {
    case Op::add: combine(a, b, out, n, [](const auto& x, const auto& y) TUNDREL_INLINE { return x + y; }); return;
    case Op::subtract: combine(a, b, out, n, [](const auto& x, const auto& y) TUNDREL_INLINE { return x - y; }); return;
    case Op::multiply: combine(a, b, out, n, [](const auto& x, const auto& y) TUNDREL_INLINE { return x * y; }); return;
    case Op::divide: combine(a, b, out, n, [](const auto& x, const auto& y) TUNDREL_INLINE { return x / y; }); return;
    case Op::negate: map_rows(a.data, out, n, [](const auto& x, auto) TUNDREL_INLINE { return -x; }); return;
    case Op::exp: exp_block(a.data, out, n); return;
    case Op::abs: map_rows(a.data, out, n, [](const auto& x, auto width) TUNDREL_INLINE { return abs_of<width.rows>(x); }); return;
    case Op::expm1: map_guarded(op, value, a, a, out, n, [](const auto& x, const auto&) TUNDREL_INLINE { return expm1_of(x); }); return;
    case Op::log: map_guarded(op, value, a, a, out, n, [](const auto& x, const auto&) TUNDREL_INLINE { return log_of(x); }); return;
    case Op::log1p: map_guarded(op, value, a, a, out, n, [](const auto& x, const auto&) TUNDREL_INLINE { return log1p_of(x); }); return;
    case Op::sin: map_guarded(op, value, a, a, out, n, [](const auto& x, const auto&) TUNDREL_INLINE { return sin_of(x); }); return;
    case Op::cos: map_guarded(op, value, a, a, out, n, [](const auto& x, const auto&) TUNDREL_INLINE { return cos_of(x); }); return;
    case Op::tanh: map_guarded(op, value, a, a, out, n, [](const auto& x, const auto&) TUNDREL_INLINE { return tanh_of(x); }); return;
    case Op::plogis: map_guarded(op, value, a, a, out, n, [](const auto& x, const auto&) TUNDREL_INLINE { return logistic_of(x); }); return;
    case Op::power: map_guarded(op, value, a, b, out, n, [](const auto& x, const auto& y) TUNDREL_INLINE { return power_of(x, y); }); return;
    case Op::sqrt:
      for (int i = 0; i < n; ++i) out[i] = std::sqrt(a[i]);
      return;
    case Op::gated: combine(a, b, out, n, [](const auto& x, const auto& y) TUNDREL_INLINE { return product_or_zero(x, y); }); return;
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
