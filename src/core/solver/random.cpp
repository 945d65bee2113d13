#include "random.h"

#include <cmath>
#include <numeric>
#include <utility>

namespace tundrel {
namespace {

std::uint64_t rotated(std::uint64_t x, int k) { return (x << k) | (x >> (64 - k)); }

}  // namespace

Random::Random(std::uint64_t seed) {
  for (std::uint64_t& word : state_) {
    seed += 0x9e3779b97f4a7c15ULL;
    std::uint64_t z = seed;
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
    word = z ^ (z >> 31);
  }
}

std::uint64_t Random::next() {
  const std::uint64_t out = rotated(state_[1] * 5, 7) * 9, shifted = state_[1] << 17;
  state_[2] ^= state_[0];
  state_[3] ^= state_[1];
  state_[1] ^= state_[2];
  state_[0] ^= state_[3];
  state_[2] ^= shifted;
  state_[3] = rotated(state_[3], 45);
  return out;
}

double Random::uniform() { return (static_cast<double>(next() >> 12) + 0.5) * 0x1p-52; }

double Random::normal() {
  while (true) {
    const double u = 2 * uniform() - 1, v = 2 * uniform() - 1, s = u * u + v * v;
    if (s < 1 && s > 0) return u * std::sqrt(-2 * std::log(s) / s);
  }
}

double Random::cauchy() { return std::tan(3.14159265358979323846 * (uniform() - 0.5)); }

int Random::below(int n) { return static_cast<int>(uniform() * n); }

Eigen::VectorXd Random::normals(int n) {
  Eigen::VectorXd out(n);
  for (int i = 0; i < n; ++i) out[i] = normal();
  return out;
}

std::vector<int> Random::permutation(int n) {
  std::vector<int> out(n);
  std::iota(out.begin(), out.end(), 0);
  for (int i = n - 1; i > 0; --i) std::swap(out[i], out[below(i + 1)]);
  return out;
}

// A double holds 32 bits of a word exactly.
void Random::visit(StateVisitor& visitor) {
  Eigen::VectorXd halves(8);
  for (int k = 0; k < 4; ++k) {
    halves[2 * k] = static_cast<double>(state_[k] >> 32);
    halves[2 * k + 1] = static_cast<double>(state_[k] & 0xffffffffULL);
  }
  visitor.within("random", halves, 8, 0, 0xffffffffu);
  // a state of nothing but zeros draws nothing else
  visitor.require(halves == halves.array().floor().matrix() && halves.sum() > 0, "random");
  for (int k = 0; k < 4; ++k)
    state_[k] = static_cast<std::uint64_t>(halves[2 * k]) << 32 | static_cast<std::uint64_t>(halves[2 * k + 1]);
}

}  // namespace tundrel
