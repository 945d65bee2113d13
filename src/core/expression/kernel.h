// One operation over one block of rows.
#pragma once
#include "operation.h"

namespace tundrel {

// Rows handled at a time: small enough that a model's intermediate results stay in cache.
constexpr int kBlockRows = 256;

// What an operation reads: a number for each row (step 1), or one for all (step 0).
struct Input {
  const double* data = nullptr;
  int step = 1;

  double operator[](int i) const { return data[i * step]; }
};

// out[i] = op(a[i], b[i], c[i]) for i < n; arguments beyond the operation's arity are not read.
// `out` may be one of the arguments that have a number for each row.
void evaluate_block(Op op, double value, Input a, Input b, Input c, double* out, int n);

}  // namespace tundrel
