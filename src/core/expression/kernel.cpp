#include "kernel.h"

#include <algorithm>
#include <cmath>

#include "elementary.h"
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
    case Op::sqrt:
      for (int i = 0; i < n; ++i) out[i] = std::sqrt(a[i]);
      return;
    case Op::gated:
      for (int i = 0; i < n; ++i) out[i] = a[i] == 0 || b[i] == 0 ? 0 : a[i] * b[i];
      return;
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
