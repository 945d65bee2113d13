#include "kernel.h"

#include <algorithm>
#include <cmath>

#include "row_groups.h"

namespace tundrel {
namespace {

// What an operation reads from row i on: a column's numbers, or the same one for all.
struct Column {
  const double* data;
  template <int n>
  auto rows(int i) const { return rows_at<n>(data, i); }
};
struct Number {
  double value;
  template <int n>
  auto rows(int) const { return Rows<n>::Constant(value); }
};

template <class Operation>
void map_rows(const double* a, double* out, int n, const Operation& operation) {
  cover_rows(n, [=](int i, auto width) TUNDREL_INLINE { rows_at<width.rows>(out, i) = operation(rows_at<width.rows>(a, i)); });
}

template <class Operation, class A, class B>
void map_rows(const A& a, const B& b, double* out, int n, const Operation& operation) {
  cover_rows(n, [=](int i, auto width) TUNDREL_INLINE { rows_at<width.rows>(out, i) = operation(a.template rows<width.rows>(i), b.template rows<width.rows>(i)); });
}

// An operation of two arguments, either of which may be one number for all rows.
template <class Operation>
void combine(Input a, Input b, double* out, int n, const Operation& operation) {
  if (a.step == 0)
    map_rows(Number{*a.data}, Column{b.data}, out, n, operation);
  else if (b.step == 0)
    map_rows(Column{a.data}, Number{*b.data}, out, n, operation);
  else
    map_rows(Column{a.data}, Column{b.data}, out, n, operation);
}

// Eigen's vectorised exponential saturates where the true one overflows or underflows; those few
// rows are done again one by one.
constexpr double kSafeExponent = 700;

// A row on its own is computed as one of two, so that equal rows have equal results.
template <class Some>
auto exp_of(const Some& rows) {
  if constexpr (Some::RowsAtCompileTime == 1)
    return Rows<1>(Rows<2>::Constant(rows[0]).exp()[0]);
  else
    return rows.exp();
}

void exp_block(const double* a, double* out, int n) {
  double kept[kBlockRows];
  const double* source = a;
  // The sum of squares tells at once of most blocks, and of none that has a missing number in it.
  RowGroup squares = RowGroup::Zero();
  cover_rows(n, [&](int i, auto width) TUNDREL_INLINE { squares.head<width.rows>() += rows_at<width.rows>(a, i).square(); });
  const bool safe = squares.sum() <= kSafeExponent * kSafeExponent || (Eigen::Map<const Eigen::ArrayXd>(a, n).abs() <= kSafeExponent).all();
  if (!safe && a == out) {
    std::copy(a, a + n, kept);
    source = kept;
  }
  map_rows(source, out, n, [](const auto& x) { return exp_of(x); });
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
    case Op::negate: map_rows(a.data, out, n, [](const auto& x) { return -x; }); return;
    case Op::exp: exp_block(a.data, out, n); return;
    case Op::sqrt: map_rows(a.data, out, n, [](const auto& x) { return x.sqrt(); }); return;
    case Op::abs: map_rows(a.data, out, n, [](const auto& x) { return x.abs(); }); return;
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
