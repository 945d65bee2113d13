// Numbers with their first and second derivatives in several variables, as stretches of memory: the value, the first derivatives, the
// lower triangle of the second ones.
#pragma once
#include <cmath>
#include <vector>

namespace tundrel {

class Jets {
 public:
  // `order`: 0 for values alone, 1 with first derivatives, 2 with second ones.
  Jets(int variables, int order) : p_(order > 0 ? variables : 0), second_(order > 1) {}

  int variables() const { return p_; }
  bool second() const { return second_; }
  int length() const { return 1 + p_ + (second_ ? p_ * (p_ + 1) / 2 : 0); }
  // Where the second derivative in i and j <= i stands.
  int place(int i, int j) const { return 1 + p_ + i * (i + 1) / 2 + j; }

  // out = a * b; `out` may be neither.
  void multiply(const double* a, const double* b, double* out) const {
    out[0] = a[0] * b[0];
    for (int i = 1; i <= p_; ++i) out[i] = a[0] * b[i] + a[i] * b[0];
    if (!second_) return;
    for (int i = 0, k = 1 + p_; i < p_; ++i)
      for (int j = 0; j <= i; ++j, ++k) out[k] = a[0] * b[k] + a[k] * b[0] + a[i + 1] * b[j + 1] + a[j + 1] * b[i + 1];
  }
  // out = f(a), from f and its derivatives there; `out` may be `a`.
  void through(const double* a, double f, double f1, double f2, double* out) const {
    if (second_)
      for (int i = p_; i-- > 0;)
        for (int j = i; j >= 0; --j) out[place(i, j)] = f2 * a[i + 1] * a[j + 1] + f1 * a[place(i, j)];
    for (int i = 1; i <= p_; ++i) out[i] = f1 * a[i];
    out[0] = f;
  }
  void exponential(const double* a, double* out) const {
    const double e = std::exp(a[0]);
    through(a, e, e, e, out);
  }
  void logarithm(const double* a, double* out) const { through(a, std::log(a[0]), 1 / a[0], -1 / (a[0] * a[0]), out); }
  void reciprocal(const double* a, double* out) const {
    const double r = 1 / a[0];
    through(a, r, -r * r, 2 * r * r * r, out);
  }
  // out += factor * a
  void add(const double* a, double factor, double* out) const {
    for (int k = 0; k < length(); ++k) out[k] += factor * a[k];
  }

 private:
  int p_;
  bool second_;
};

}  // namespace tundrel
