#include <catch2/catch.hpp>

#include "expression/linearity.h"
#include "fixture.h"
#include "solver/start_search.h"
#include "verification/verification.h"

using namespace tundrel;

TEST_CASE("parameters that enter linearly are told from the others") {
  Graph g;
  const int x = g.column(0), a = g.parameter(0), b = g.parameter(1), c = g.parameter(2), d = g.parameter(3);
  const auto times = [&](int l, int r) { return g.apply(Op::multiply, l, r); };
  // a exp(-b x) + c x + d
  const int node = g.apply(Op::add, g.apply(Op::add, times(a, g.apply(Op::exp, g.apply(Op::negate, times(b, x)))), times(c, x)), d);
  CHECK(linear_parameters(g, node, 4) == std::vector<int>{0, 2, 3});
  // In a product of two parameters only one of them can be eliminated.
  CHECK(linear_parameters(g, times(times(a, b), x), 2).size() == 1);
  CHECK(linear_parameters(g, g.apply(Op::sqrt, a), 1).empty());
}

TEST_CASE("eliminated parameters have their best values, within their bounds") {
  const DecayData data(100);
  const auto best_for = [&](double rate) {
    double top = 0, bottom = 0;
    for (std::size_t i = 0; i < data.x.size(); ++i) {
      const double e = std::exp(-rate * data.x[i]);
      top += e * data.y[i];
      bottom += e * e;
    }
    return top / bottom;
  };
  const auto free = decay_problem(data, no_bounds(2));
  CHECK(eliminate_linear(*free, vec({1, 0.7}), {0})[0] == Approx(best_for(0.7)).epsilon(1e-12));
  Bounds bounds = no_bounds(2);
  bounds.upper[0] = 2;
  const auto bounded = decay_problem(data, bounds);
  CHECK(eliminate_linear(*bounded, vec({1, 0.7}), {0})[0] == 2);
}

TEST_CASE("the best start of many is found, walked on, and not given twice") {
  const DecayData data(100);
  const auto problem = decay_problem(data, no_bounds(2));
  Eigen::MatrixXd points(2, 40);
  for (int k = 0; k < 40; ++k) points.col(k) = vec({1, 0.01 * std::pow(1.3, k)});
  const std::vector<Start> found = search_starts(*problem, points, {0}, 10, 20);
  REQUIRE_FALSE(found.empty());
  CHECK(found[0].x[0] == Approx(5).epsilon(0.02));
  CHECK(found[0].x[1] == Approx(0.4).epsilon(0.02));
  for (std::size_t i = 1; i < found.size(); ++i) {
    CHECK(found[i].value >= found[i - 1].value);
    CHECK((found[i].x - found[0].x).norm() > 1e-3);
  }
}

TEST_CASE("points without finite values are passed over") {
  const DecayData data(100);
  const auto problem = decay_problem(data, no_bounds(2));
  Eigen::MatrixXd points(2, 2);
  points << 1, 1, -1e6, 0.5;
  CHECK(search_starts(*problem, points, {}, 5, 0).size() == 1);
}

TEST_CASE("verification tells an optimum from a point on the way and from a plateau") {
  const DecayData data(100);
  const auto problem = decay_problem(data, no_bounds(2));
  const Eigen::VectorXd best = search_starts(*problem, vec({5, 0.4}), {}, 1, 50)[0].x;
  CHECK(verify(*problem, best).converged);
  CHECK(verify(*problem, best).rank == 2);
  CHECK_FALSE(verify(*problem, vec({4, 0.3})).converged);
  const Verification plateau = verify(*problem, vec({5.05, 1e4}));
  CHECK_FALSE(plateau.converged);
  CHECK(plateau.dead == std::vector<int>{1});
}
