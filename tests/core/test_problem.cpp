#include <Eigen/QR>
#include <catch2/catch.hpp>

#include "fixture.h"
#include "problem/segments.h"
#include "problem/triangular_factor.h"

using namespace tundrel;

namespace {

Eigen::MatrixXd folded(const Eigen::MatrixXd& whole) {
  TriangularFactor factor(static_cast<int>(whole.cols()), 256);
  for (int first = 0; first < whole.rows(); first += 256) {
    std::vector<const double*> columns;
    for (int j = 0; j < whole.cols(); ++j) columns.push_back(whole.col(j).data() + first);
    factor.fold(columns.data(), std::min(256, static_cast<int>(whole.rows()) - first));
  }
  return factor.triangle();
}

}  // namespace

TEST_CASE("columns that are next to nothing leave the length of the others alone") {
  Eigen::MatrixXd whole(20, 4);
  for (int i = 0; i < 20; ++i) whole.row(i) << 1, std::cos(i) * 1e-160, std::sin(2 * i) * 1e-155, 3 + std::cos(3 * i);
  const Eigen::MatrixXd triangle = folded(whole);
  CHECK(triangle.col(3).norm() == Approx(whole.col(3).norm()).epsilon(1e-14));
  CHECK(std::fabs(triangle(0, 3)) == Approx(std::fabs(whole.col(3).sum()) / std::sqrt(20)).epsilon(1e-14));
  whole(7, 1) = std::numeric_limits<double>::quiet_NaN();
  CHECK_FALSE(folded(whole).allFinite());
}

TEST_CASE("what is found at a point is given again, until other measurements are read") {
  const DecayData data(60), other(61);
  const auto problem = decay_problem(data, no_bounds(2));
  const Eigen::VectorXd x = vec({4, 0.3});
  const Linearisation first = problem->squares()->linearise(x), again = problem->squares()->linearise(x);
  CHECK(problem->work.evaluations == 2);
  CHECK(again.factor == first.factor);
  CHECK(again.projected == first.projected);
  problem->read({{other.x.data(), other.y.data()}, 61});
  CHECK(problem->squares()->linearise(x).value == decay_problem(other, no_bounds(2))->squares()->linearise(x).value);
  CHECK(problem->squares()->linearise(x).value != first.value);
}

TEST_CASE("a copy has memory of its own, and is the same to the last bit when what it was copied from has gone") {
  for (int rows : {30, 700}) {
    const DecayData data(rows);
    auto first = decay_problem(data, no_bounds(2));
    const Eigen::VectorXd x = vec({4, 0.3}), elsewhere = vec({2, 0.7});
    const auto looked = [](Problem& problem, const Eigen::VectorXd& at) {
      Eigen::MatrixXd curvature;
      problem.squares()->expect_curvature(true);
      const Linearisation found = problem.squares()->linearise(at);
      REQUIRE(problem.squares()->residual_curvature(at, curvature));
      problem.squares()->expect_curvature(false);
      Eigen::VectorXd all(13);
      all << problem.squares()->linearise(at + at).value, found.value, problem.value(at), found.projected, Eigen::Map<const Eigen::VectorXd>(found.factor.data(), 4),
          Eigen::Map<const Eigen::VectorXd>(curvature.data(), 4);
      return all;
    };
    const Eigen::VectorXd expected = looked(*first, x);
    looked(*first, elsewhere);
    const auto second = first->clone();
    // both go on by turns, then the copy alone
    CHECK(looked(*first, x) == expected);
    CHECK(looked(*second, x) == expected);
    looked(*first, elsewhere);
    first.reset();
    CHECK(looked(*second, x) == expected);
  }
}

TEST_CASE("the value beside the triangle is the sum of squares, of any size") {
  for (int rows : {2, 30, 256, 257, 5000})
    for (double size : {1e-150, 1.0, 1e140}) {
      DecayData data(rows);
      for (double& y : data.y) y *= size;
      const auto problem = decay_problem(data, no_bounds(2));
      const Eigen::VectorXd x = vec({3 * size, 0.5});
      const Linearisation at = problem->squares()->linearise(x);
      double sum = 0;
      for (int i = 0; i < rows; ++i) {
        const double residual = x[0] * std::exp(-x[1] * data.x[i]) - data.y[i];
        sum += residual * residual;
      }
      INFO(rows << " rows of size " << size);
      CHECK(at.usable);
      CHECK(at.value == Approx(sum).epsilon(1e-13));
      CHECK(problem->value(x) == Approx(at.value).epsilon(1e-13));
      CHECK(at.projected.squaredNorm() + at.remainder * at.remainder == Approx(at.value).epsilon(1e-13));
    }
}

TEST_CASE("whatever column has a number that is not finite, the point is refused") {
  // f = a + b sqrt(c x): of a negative c there is no value, and at zero no slope; others are finite, and their squares are not
  Graph g;
  const int x = g.column(0), y = g.column(1), a = g.parameter(0), b = g.parameter(1), c = g.parameter(2);
  const int root = g.apply(Op::multiply, b, g.apply(Op::sqrt, g.apply(Op::multiply, c, x)));
  const int residual = least_squares_residual(g, y, g.apply(Op::add, a, root), -1);
  const std::vector<double> rows{0.5, 1, 2, 3, 4}, readings{1, 2, 3, 4, 5};
  LeastSquaresProblem problem(std::move(g), residual, y, {{rows.data(), readings.data()}, 5}, no_bounds(3), 1);
  CHECK(problem.squares()->linearise(vec({1, 1, 1})).usable);
  CHECK(problem.work.refused == 0);
  for (const Eigen::VectorXd& at : {vec({1, 1, -1}), vec({1, 1, 0}), vec({1, 1e200, 1}), vec({1e160, 1, 1}), vec({1, 1, NAN})}) {
    const Linearisation found = problem.squares()->linearise(at);
    INFO(at.transpose());
    CHECK_FALSE(found.usable);
    CHECK(found.value == std::numeric_limits<double>::infinity());
  }
  CHECK(problem.work.refused == 5);
  // and nothing of it is left
  CHECK(problem.squares()->linearise(vec({1, 1, 1})).usable);
}

TEST_CASE("curvature found with the first derivatives is to the last bit the one found alone, on any number of threads") {
  for (int rows : {31, 5000})
    for (int threads : {1, 3}) {
      const DecayData data(rows);
      const auto together = decay_problem(data, no_bounds(2), threads), alone = decay_problem(data, no_bounds(2));
      const Eigen::VectorXd x = vec({4, 0.3});
      Eigen::MatrixXd one, other;
      together->expect_curvature(true);
      const Linearisation at = together->linearise(x);
      REQUIRE(together->residual_curvature(x, one));
      REQUIRE(alone->residual_curvature(x, other));
      CHECK(one == other);
      CHECK(at.factor == alone->linearise(x).factor);
      // the height enters linearly
      CHECK(one(0, 0) == 0);
    }
}

TEST_CASE("a matrix folded block by block has the triangle of the whole") {
  // one column says nothing, and one says it all again
  Eigen::MatrixXd whole = Eigen::MatrixXd::Random(1003, 7);
  whole.col(2).setZero();
  whole.col(5) = whole.col(4);
  const Eigen::MatrixXd by_blocks = folded(whole);
  CHECK((by_blocks.transpose() * by_blocks - whole.transpose() * whole).norm() < 1e-11);
  CHECK(by_blocks.isUpperTriangular());
}

TEST_CASE("any number of columns and rows folds into the triangle of the whole") {
  for (int columns : {1, 2, 3, 4, 5, 6, 9, 14})
    for (int rows : {20, 21, 22, 23, 259}) {
      const Eigen::MatrixXd whole = Eigen::MatrixXd::Random(rows, columns);
      const Eigen::MatrixXd triangle = folded(whole), other = Eigen::HouseholderQR<Eigen::MatrixXd>(whole).matrixQR().topRows(columns).triangularView<Eigen::Upper>();
      CHECK(triangle.isUpperTriangular());
      // but for the signs of its rows
      CHECK((triangle.cwiseAbs() - other.cwiseAbs()).norm() < 1e-12 * other.norm());
    }
}

TEST_CASE("folding keeps the accuracy of QR where normal equations lose all digits") {
  // Columns that differ by 1e-9 only: their cross products cannot tell them apart.
  Eigen::MatrixXd whole(300, 2);
  for (int i = 0; i < 300; ++i) whole.row(i) << 1, 1 + 1e-9 * (i % 2);
  CHECK(std::fabs(folded(whole)(1, 1)) == Approx(1e-9 * std::sqrt(75.0)).epsilon(1e-6));
}

TEST_CASE("segments cover all rows once, at block borders, for any number of rows") {
  for (long rows : {1L, 255L, 256L, 257L, 2048L, 2049L, 100000L, 1000003L}) {
    const Segments s(rows);
    long next = 0;
    for (int i = 0; i < s.count; ++i) {
      CHECK(s.first(i) == next);
      CHECK(s.end(i) > s.first(i));
      next = s.end(i);
    }
    CHECK(next == rows);
  }
}

TEST_CASE("the number of threads changes no bit") {
  const DecayData data(50000);
  const Eigen::VectorXd x = vec({4, 0.3});
  const auto one = decay_problem(data, no_bounds(2), 1), three = decay_problem(data, no_bounds(2), 3);
  CHECK(one->value(x) == three->value(x));
  const Linearisation a = one->linearise(x), b = three->linearise(x);
  CHECK(a.value == b.value);
  CHECK(a.factor == b.factor);
  CHECK(a.projected == b.projected);
}

TEST_CASE("a point without finite values is refused and counted") {
  const DecayData data(20);
  const auto problem = decay_problem(data, no_bounds(2));
  CHECK_FALSE(problem->squares()->linearise(vec({1, -1e6})).usable);
  CHECK(problem->work.refused == 1);
  CHECK(problem->work.evaluations == 1);
}

TEST_CASE("residual curvature completes the second derivatives of the value") {
  const DecayData data(60);
  const auto problem = decay_problem(data, no_bounds(2));
  const Eigen::VectorXd x = vec({4, 0.3});
  Eigen::MatrixXd curvature;
  REQUIRE(problem->squares()->residual_curvature(x, curvature));
  const Linearisation at = problem->squares()->linearise(x);
  const Eigen::MatrixXd hessian = 2 * (at.factor.transpose() * at.factor + curvature);
  const double h = 1e-4;
  for (int i = 0; i < 2; ++i) {
    const auto gradient = [&](double step) {
      Eigen::VectorXd to = x;
      to[i] += step;
      const Linearisation there = problem->squares()->linearise(to);
      return Eigen::VectorXd(2 * there.factor.transpose() * there.projected);
    };
    const Eigen::VectorXd by_difference = (gradient(h) - gradient(-h)) / (2 * h);
    CHECK((hessian.col(i) - by_difference).norm() < 1e-6 * hessian.norm());
  }
}
