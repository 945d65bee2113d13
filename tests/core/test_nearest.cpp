// Distances of readings from curves, against closed forms and against differences.
#include <catch2/catch.hpp>
#include <random>

#include "differences.h"
#include "expression/derivative.h"
#include "expression/term.h"
#include "solved/nearest_function.h"

using namespace tundrel;

namespace {

// Readings with their predictors and all standard deviations, as the columns of a table.
struct Readings {
  Eigen::MatrixXd table;  // reading, its sd, predictors, their sds, correlations
  Columns columns() const {
    Columns out;
    out.rows = table.rows();
    for (int k = 0; k < table.cols(); ++k) out.data.push_back(table.col(k).data());
    return out;
  }
};

using Shape = std::function<Term(const std::vector<Term>& x, const std::vector<Term>& p)>;

std::shared_ptr<const NearestSearch> search_of(int q, int p, const Shape& shape) {
  Curve curve;
  curve.predictors = q;
  curve.others = p;
  std::vector<Term> x, others;
  for (int k = 0; k < q; ++k) x.push_back({&curve.graph, curve.graph.parameter(k)});
  for (int k = 0; k < p; ++k) others.push_back({&curve.graph, curve.graph.parameter(q + k)});
  curve.node = shape(x, others).node;
  return std::make_shared<NearestSearch>(std::move(curve));
}

// An output of the search, as a node of `g` over a table and parameters.
int node_of(Graph& g, const NearestSearch& search, int output) {
  std::vector<int> inputs;
  for (int k = 0; k < search.other(0); ++k) inputs.push_back(g.column(k));
  for (int k = 0; k < search.curve().others; ++k) inputs.push_back(g.parameter(k));
  return g.solved(search.function(output), inputs);
}

Eigen::MatrixXd evaluated(const Graph& g, const std::vector<int>& nodes, const Columns& columns, const std::vector<double>& at) {
  const Program program(g, nodes);
  Program::Workspace space;
  program.prepare(at.data(), columns, space);
  program.run_block(space, columns, 0, static_cast<int>(columns.rows));
  Eigen::MatrixXd out(columns.rows, nodes.size());
  for (std::size_t k = 0; k < nodes.size(); ++k) out.col(k) = Eigen::Map<const Eigen::VectorXd>(space.output(static_cast<int>(k)), columns.rows);
  return out;
}

Eigen::MatrixXd with_derivatives(Graph& g, int node, int p, const Columns& columns, const std::vector<double>& at) {
  std::vector<int> nodes{node};
  for (int one : gradient_nodes(g, node, p)) nodes.push_back(one);
  for (int one : hessian_nodes(g, node, p)) nodes.push_back(one);
  return evaluated(g, nodes, columns, at);
}

double uniform(std::mt19937& engine, double from, double to) { return from + (to - from) * (static_cast<double>(engine()) / 4294967296.0); }

}  // namespace

TEST_CASE("distances from a straight line are those of the closed form, with derivatives") {
  std::mt19937 engine(1);
  Readings data{Eigen::MatrixXd(20, 5)};
  for (int i = 0; i < 20; ++i)
    data.table.row(i) << uniform(engine, -5, 5), uniform(engine, 0.1, 2), uniform(engine, -3, 3), i % 5 == 0 ? 0 : uniform(engine, 0.1, 2), uniform(engine, -0.9, 0.9);
  const auto search = search_of(1, 2, [](const auto& x, const auto& p) { return p[0] + p[1] * x[0]; });
  Graph g;
  const int found = node_of(g, *search, NearestSearch::kDistance);
  const auto column = [&](int k) { return Term{&g, g.column(k)}; };
  const Term a{&g, g.parameter(0)}, b{&g, g.parameter(1)};
  // of y - a - b x, whose variance is sy^2 - 2 b r sy sx + b^2 sx^2
  const Term exact = (column(0) - a - b * column(2)) / sqrt(square(column(1)) - 2.0 * b * column(4) * column(1) * column(3) + square(b * column(3)));
  const Eigen::MatrixXd one = with_derivatives(g, found, 2, data.columns(), {0.4, -1.3}), other = with_derivatives(g, exact.node, 2, data.columns(), {0.4, -1.3});
  CHECK((one - other).cwiseAbs().maxCoeff() < 1e-11);
}

TEST_CASE("distances from a circle and a sphere are those from the middle, less the radius") {
  std::mt19937 engine(2);
  for (int q : {1, 2, 3}) {
    // readings about the upper half, all errors alike
    Readings data{Eigen::MatrixXd::Zero(25, 2 + 2 * q + q * (q + 1) / 2)};
    for (int i = 0; i < 25; ++i) {
      Eigen::VectorXd direction(q + 1);
      for (int k = 0; k < q; ++k) direction[k] = uniform(engine, -0.7, 0.7);
      direction[q] = 1.5;
      direction *= uniform(engine, 1.5, 2.6) / direction.norm();
      data.table(i, 0) = direction[q];
      data.table(i, 1) = 0.25;
      for (int k = 0; k < q; ++k) {
        data.table(i, 2 + k) = direction[k] + 0.3;
        data.table(i, 2 + q + k) = 0.25;
      }
    }
    // radius, and the middle along the first predictor
    const auto search = search_of(q, 2, [q](const auto& x, const auto& p) {
      Term rest = square(p[0]) - square(x[0] - p[1]);
      for (int k = 1; k < q; ++k) rest = rest - square(x[k] - 0.3);
      return sqrt(rest);
    });
    Graph g;
    const int found = node_of(g, *search, NearestSearch::kDistance);
    Term sum = square(Term{&g, g.column(0)}) + square(Term{&g, g.column(2)} - Term{&g, g.parameter(1)});
    for (int k = 1; k < q; ++k) sum = sum + square(Term{&g, g.column(2 + k)} - 0.3);
    const Term exact = (sqrt(sum) - Term{&g, g.parameter(0)}) / 0.25;
    const std::vector<double> at{2, 0.25};
    const Eigen::MatrixXd one = with_derivatives(g, found, 2, data.columns(), at), other = with_derivatives(g, exact.node, 2, data.columns(), at);
    INFO(q);
    CHECK((one - other).cwiseAbs().maxCoeff() < 1e-9);
  }
}

TEST_CASE("where errors are correlated, the nearest place of a bent curve is that of a fine grid, and derivatives are those of differences") {
  std::mt19937 engine(3);
  Readings data{Eigen::MatrixXd(30, 5)};
  for (int i = 0; i < 30; ++i) data.table.row(i) << uniform(engine, 0, 3), uniform(engine, 0.1, 0.4), uniform(engine, 0, 4), uniform(engine, 0.1, 0.8), uniform(engine, -0.8, 0.8);
  const auto shape = [](double x, double top, double rate) { return top * std::exp(-rate * x * x); };
  const auto search = search_of(1, 2, [](const auto& x, const auto& p) { return p[0] * exp(-(p[1] * square(x[0]))); });
  Graph g;
  const int found = node_of(g, *search, NearestSearch::kDistance);
  const std::vector<double> at{2.5, 0.3};
  const Eigen::MatrixXd exact = with_derivatives(g, found, 2, data.columns(), at);
  for (int i = 0; i < 30; ++i) {
    const auto row = data.table.row(i);
    double least = INFINITY;
    for (int k = -80000; k <= 80000; ++k) {
      const double dx = k / 1e4, dy = (row[0] - shape(row[2] - row[3] * dx, at[0], at[1])) / row[1];
      least = std::min(least, (dx * dx - 2 * row[4] * dx * dy + dy * dy) / (1 - row[4] * row[4]));
    }
    INFO(i);
    CHECK(std::fabs(exact(i, 0)) <= std::sqrt(least) + 1e-9);
    CHECK(std::fabs(exact(i, 0)) >= std::sqrt(least) - 1e-3);
  }
  const auto value = [&](int i, double top, double rate, int output) { return evaluated(g, {node_of(g, *search, output)}, data.columns(), {top, rate})(i, 0); };
  const std::vector<int> places = [&] {
    std::vector<int> nodes{node_of(g, *search, 1)};
    for (int one : gradient_nodes(g, nodes[0], 2)) nodes.push_back(one);
    return nodes;
  }();
  const Eigen::MatrixXd moved = evaluated(g, places, data.columns(), at);
  for (int i : {0, 7, 12, 21, 29}) {
    INFO(i);
    for (int output : {0, 1}) {
      const Eigen::MatrixXd& whole = output == 0 ? exact : moved;
      CHECK(whole(i, 1) == Approx(difference([&](double x) { return value(i, x, at[1], output); }, at[0])).epsilon(1e-6).margin(1e-7));
      CHECK(whole(i, 2) == Approx(difference([&](double x) { return value(i, at[0], x, output); }, at[1])).epsilon(1e-6).margin(1e-7));
    }
    const auto slope = [&](double top, double rate) { return with_derivatives(g, found, 2, data.columns(), {top, rate}).row(i).eval(); };
    CHECK(exact(i, 3) == Approx(difference([&](double x) { return slope(x, at[1])[1]; }, at[0])).epsilon(1e-6).margin(1e-7));
    CHECK(exact(i, 4) == Approx(difference([&](double x) { return slope(x, at[1])[2]; }, at[0])).epsilon(1e-6).margin(1e-7));
    CHECK(exact(i, 5) == Approx(difference([&](double x) { return slope(at[0], x)[2]; }, at[1])).epsilon(1e-6).margin(1e-7));
  }
}

TEST_CASE("there is no distance where the curve is no number, or errors depend on each other wholly") {
  Readings data{Eigen::MatrixXd(3, 5)};
  data.table << 1, 0.1, -3, 0.1, 0,  // below zero there is no curve
      1, 0.1, 2, 0.1, 1,             // perfectly correlated
      1, 0.1, -0.05, 0.1, 0;         // measured below zero, but the curve is near
  const auto search = search_of(1, 1, [](const auto& x, const auto& p) { return p[0] * log(x[0]) + 4.0; });
  Graph g;
  const Eigen::MatrixXd found = evaluated(g, {node_of(g, *search, NearestSearch::kDistance)}, data.columns(), {1});
  CHECK(std::isnan(found(0, 0)));
  CHECK(std::isnan(found(1, 0)));
  CHECK(std::isfinite(found(2, 0)));
}
