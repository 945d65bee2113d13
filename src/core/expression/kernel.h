// One operation over one block of rows.
#pragma once
#include "operation.h"

namespace tundrel {

// Rows handled at a time: small enough that a model's intermediate results stay in cache.
constexpr int kBlockRows = 256;

// out[i] = op(a[i], b[i], c[i]) for i < n; arguments beyond the operation's arity are not read.
// `out` may be one of the arguments.
void evaluate_block(Op op, double value, const double* a, const double* b, const double* c,
                    double* out, int n);

}  // namespace tundrel
