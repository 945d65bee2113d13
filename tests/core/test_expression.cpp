#include <catch2/catch.hpp>
#include <cmath>
#include <limits>
#include <random>
#include <vector>

#include "expression/graph.h"
#include "expression/kernel.h"
#include "expression/program.h"
#include "expression/row_sums.h"
#include "expression/special.h"
#include "problem/triangular_factor.h"

using namespace tundrel;

TEST_CASE("equal subexpressions are one node, whatever the order of what commutes") {
  Graph g;
  const int a = g.parameter(0), x = g.column(0);
  CHECK(g.apply(Op::multiply, a, x) == g.apply(Op::multiply, x, a));
  CHECK(g.apply(Op::subtract, a, x) != g.apply(Op::subtract, x, a));
}

TEST_CASE("constants fold and neutral elements vanish") {
  Graph g;
  const int x = g.column(0);
  CHECK(g.is_constant(g.apply(Op::power, g.constant(2), g.constant(10)), 1024));
  CHECK(g.apply(Op::add, x, g.constant(0)) == x);
  CHECK(g.apply(Op::multiply, g.constant(1), x) == x);
  CHECK(g.apply(Op::power, x, g.constant(1)) == x);
  CHECK(g[g.apply(Op::power, x, g.constant(2))].op == Op::multiply);
  CHECK(g.apply(Op::negate, g.apply(Op::negate, x)) == x);
}

TEST_CASE("every operation gives over blocks what it gives on one number") {
  int count = 0;
  const OperationInfo* table = operation_table(count);
  std::mt19937 random(7);
  std::uniform_real_distribution<double> uniform(-4, 4);
  const int rows = 2 * kBlockRows + 13;  // whole blocks and a part of one
  std::vector<double> data[3];
  for (auto& column : data)
    for (int i = 0; i < rows; ++i) column.push_back(uniform(random));
  for (int i = 0; i < count; ++i) {
    Graph g;
    int x[3] = {-1, -1, -1};
    Columns columns;
    columns.rows = rows;
    for (int k = 0; k < table[i].arity; ++k) {
      x[k] = g.column(k);
      columns.data.push_back(data[k].data());
    }
    std::vector<double> out(rows);
    Program(g, {g.apply(table[i].op, x[0], x[1], x[2], table[i].value)}).run_all(nullptr, columns, out.data());
    int wrong = 0;
    for (int r = 0; r < rows; ++r) {
      const double one = evaluate_scalar(table[i].op, table[i].value, data[0][r], data[1][r], data[2][r]);
      const bool same = std::isnan(one) ? std::isnan(out[r]) : std::fabs(out[r] - one) <= 4e-15 * std::fabs(one);
      wrong += !same;
    }
    INFO(table[i].name);
    CHECK(wrong == 0);
  }
}

TEST_CASE("the Faddeeva function meets its known values on both axes and far out") {
  for (double x : {0.0, 0.3, 1.7, 4.0}) CHECK(faddeeva(x, 0).real() == Approx(std::exp(-x * x)).epsilon(1e-13).margin(1e-14));
  for (double y : {0.1, 1.0, 3.0, 8.0}) CHECK(faddeeva(0, y).real() == Approx(std::exp(y * y) * std::erfc(y)).epsilon(1e-13));
  // continuous where the two ways of computing it meet
  for (double y : {0.0, 0.5, 5.0, 14.0}) {
    const double x = std::sqrt(225 - y * y);
    const std::complex<double> inside = faddeeva(x * (1 - 1e-14), y), outside = faddeeva(x * (1 + 1e-14), y);
    CHECK(std::abs(inside - outside) < 1e-13 * std::abs(outside));
  }
  CHECK(std::isnan(faddeeva(1, -0.1).real()));
}

TEST_CASE("derivatives of log gamma meet known values") {
  const double euler = 0.57721566490153286061, pi = 3.14159265358979323846;
  CHECK(polygamma(0, 1) == Approx(-euler).epsilon(1e-15));
  CHECK(polygamma(0, 0.5) == Approx(-euler - 2 * std::log(2.0)).epsilon(1e-15));
  CHECK(polygamma(1, 1) == Approx(pi * pi / 6).epsilon(1e-15));
  CHECK(polygamma(1, -0.5) == Approx(pi * pi / 2 + 4).epsilon(1e-14));
  CHECK(polygamma(2, 1) == Approx(-2 * 1.2020569031595942854).epsilon(1e-15));
  CHECK(polygamma(3, 1) == Approx(std::pow(pi, 4) / 15).epsilon(1e-15));
  CHECK(std::isnan(polygamma(0, -3)));
}

TEST_CASE("a sign that goes to the factor which is the same for all rows changes no bit, and what else uses the product still does") {
  Graph g;
  const int x = g.column(0), a = g.parameter(0);
  const int product = g.apply(Op::multiply, a, x), turned = g.apply(Op::negate, product);
  std::vector<double> rows;
  for (int i = 0; i < 29; ++i) rows.push_back(std::sin(i) / 3);
  const double parameter = 0.7;
  const Columns columns{{rows.data()}, 29};
  std::vector<double> out(29);
  Program(g, {g.apply(Op::exp, turned)}).run_all(&parameter, columns, out.data());
  for (int i = 0; i < 29; ++i) CHECK(out[i] == Approx(std::exp(-(0.7 * rows[i]))).epsilon(1e-15));
  Program(g, {turned}).run_all(&parameter, columns, out.data());
  for (int i = 0; i < 29; ++i) CHECK(out[i] == -(0.7 * rows[i]));
  Program(g, {g.apply(Op::add, turned, g.apply(Op::sqrt, g.apply(Op::multiply, product, product)))}).run_all(&parameter, columns, out.data());
  for (int i = 0; i < 29; ++i) CHECK(out[i] == -(0.7 * rows[i]) + std::fabs(0.7 * rows[i]));
}

TEST_CASE("equal rows have equal results wherever they stand in a block") {
  Graph g;
  const int root = g.apply(Op::exp, g.column(0));
  for (int n : {1, 2, 3, 5, 6, 7, 257}) {
    const std::vector<double> rows(n, 0.3);
    std::vector<double> out(n);
    Program(g, {root}).run_all(nullptr, {{rows.data()}, n}, out.data());
    for (int i = 1; i < n; ++i) CHECK(out[i] == out[0]);
  }
}

TEST_CASE("sums and triangles of rows are the same bits however wide the machine's vectors") {
  for (int n : {1, 2, 3, 4, 5, 30, 31}) {
    std::vector<std::vector<double>> columns(3, std::vector<double>(n));
    for (int k = 0; k < 3; ++k)
      for (int i = 0; i < n; ++i) columns[k][i] = std::sin(1.3 * i + k) + 0.1 * k;
    std::vector<double> sum(n), product(n);
    evaluate_block(Op::multiply, 0, {columns[0].data(), 1}, {columns[1].data(), 1}, {}, product.data(), n);
    for (int i = 0; i < n; ++i) CHECK(product[i] == columns[0][i] * columns[1][i]);
    // four sums of every fourth row, then the rows that are left
    double part[4] = {0, 0, 0, 0}, rest = 0;
    for (int i = 0; i < n; ++i) (i < n / 4 * 4 ? part[i % 4] : rest) += product[i];
    CHECK(row_product(columns[0].data(), columns[1].data(), n) == ((part[0] + part[1]) + (part[2] + part[3])) + rest);
    // the triangle of one column is its length
    TriangularFactor length(1, n);
    const double* column = columns[0].data();
    length.fold(&column, n);
    CHECK(std::fabs(length.triangle()(0, 0)) == std::sqrt(row_product(column, column, n)));
  }
}
