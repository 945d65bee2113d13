#include <catch2/catch.hpp>
#include <cmath>
#include <thread>

#include "fixture.h"
#include "problem/value_function_problem.h"
#include "solver/annealing.h"
#include "solver/cma_es.h"
#include "solver/differential_evolution.h"
#include "solver/eliminated_problem.h"
#include "solver/grid_scan.h"
#include "solver/many_starts.h"
#include "step/nearest_point.h"
#include "solver/run_loop.h"
#include "solver/solver_table.h"
#include "solver/space_filling.h"
#include "solver/snapshot.h"

using namespace tundrel;

namespace {

// Two valleys of unequal depth: the better one at (1, 3), the other at (-2, 3).
double valleys(const Eigen::VectorXd& x) {
  const double a = std::pow(x[0] - 1, 2) + std::pow(x[1] - 3, 2), b = std::pow(x[0] + 2, 2) + std::pow(x[1] - 3, 2);
  return 5 - 3 * std::exp(-a) - 2 * std::exp(-b / 2);
}

SearchBox box(double low, double high, int n = 2) {
  SearchBox out;
  out.lower = Eigen::VectorXd::Constant(n, low);
  out.upper = Eigen::VectorXd::Constant(n, high);
  out.log.assign(n, false);
  return out;
}

std::unique_ptr<Problem> valley_problem() {
  auto problem = std::make_unique<ValueFunctionProblem>(valleys, VectorFunction(), no_bounds(2));
  problem->box = box(-6, 7);
  return problem;
}

std::unique_ptr<PopulationSolver> make(const std::string& name, double seed) {
  SolverSettings settings;
  settings.number = [seed](const char* key) {
    const std::map<std::string, double> numbers{
        {"seed", seed}, {"tolerance", 1e-10}, {"population", 0}, {"spread", 0.3}, {"agreeing", 3}, {"restarts", 9},
        {"cooling", 0.85}, {"chains", 8}, {"sweeps", 20}, {"points", 30}};
    return numbers.at(key);
  };
  return make_population_solver(name, settings);
}

const std::vector<std::string> kNames{"cma_es", "differential_evolution", "annealing", "grid"};

RunResult searched(Problem& problem, Solver& solver, double evaluations = 50000) {
  Budget budget;
  budget.evaluations = evaluations;
  return run(problem, solver, vec({-5, -5}), budget);
}

}  // namespace

TEST_CASE("the seed is spread as the published generator spreads it") {
  Random random(1234567);
  Snapshot store;
  random.visit(store);
  const Eigen::VectorXd halves = store.vectors.at("random");
  // The first four numbers of splitmix64 from this seed.
  const std::uint64_t published[] = {6457827717110365317ULL, 3203168211198807973ULL, 9817491932198370423ULL, 4593380528125082431ULL};
  for (int k = 0; k < 4; ++k) {
    CHECK(halves[2 * k] == static_cast<double>(published[k] >> 32));
    CHECK(halves[2 * k + 1] == static_cast<double>(published[k] & 0xffffffffULL));
  }
}

TEST_CASE("the published first numbers of the generator come out, and its state is stored exactly") {
  Snapshot store;
  Eigen::VectorXd halves = Eigen::VectorXd::Zero(8);
  for (int k = 0; k < 4; ++k) halves[2 * k + 1] = k + 1;  // the state 1, 2, 3, 4
  store.vectors["random"] = halves;
  store.put_back = true;
  Random random;
  random.visit(store);
  // 11520, 0, 1509978240, 1215971899390074240 as 52 leading bits
  for (std::uint64_t published : {11520ULL, 0ULL, 1509978240ULL, 1215971899390074240ULL})
    CHECK(random.uniform() == (static_cast<double>(published >> 12) + 0.5) * std::ldexp(1.0, -52));
}

TEST_CASE("deviates have the moments of their distributions") {
  Random random(11);
  const int n = 200000;
  double sum = 0, squares = 0, fourth = 0, uniform = 0;
  for (int i = 0; i < n; ++i) {
    const double z = random.normal();
    sum += z;
    squares += z * z;
    fourth += z * z * z * z;
    uniform += random.uniform();
  }
  CHECK(std::fabs(sum / n) < 5 / std::sqrt(n));
  CHECK(std::fabs(squares / n - 1) < 5 * std::sqrt(2.0 / n));
  CHECK(std::fabs(fourth / n - 3) < 5 * std::sqrt(96.0 / n));
  CHECK(std::fabs(uniform / n - 0.5) < 5 / std::sqrt(12.0 * n));
}

TEST_CASE("a Latin hypercube has one point in every slice") {
  Random random(3);
  const Eigen::MatrixXd points = latin_hypercube(4, 50, random);
  for (int i = 0; i < 4; ++i) {
    std::vector<int> count(50, 0);
    for (int k = 0; k < 50; ++k) ++count[static_cast<int>(points(i, k) * 50)];
    CHECK(std::all_of(count.begin(), count.end(), [](int c) { return c == 1; }));
  }
}

TEST_CASE("a box maps to the cube and back, logarithmic sides too") {
  SearchBox b = box(0.01, 100);
  b.log[1] = true;
  CHECK(b.from_unit(vec({0.5, 0.5}))[1] == Approx(1));
  const Eigen::VectorXd x = vec({3, 0.2});
  CHECK((b.from_unit(b.to_unit(x)) - x).norm() < 1e-13);
  CHECK(b.to_unit(vec({-1, 1e9})) == vec({0, 1}));
}

TEST_CASE("every global solver finds the better of two valleys, whatever the seed") {
  for (const std::string& name : kNames)
    for (double seed : {1, 2, 3, 4, 5}) {
      INFO(name << ", seed " << seed);
      const auto problem = valley_problem();
      const auto solver = make(name, seed);
      const RunResult result = searched(*problem, *solver);
      CHECK((result.x - vec({1, 3})).norm() < (name == "grid" ? 0.5 : 0.02));
      CHECK_FALSE(result.converged);  // nothing is verified before it is polished
      CHECK(result.progress.evaluations == problem->work.evaluations);
    }
}

TEST_CASE("a stored population goes on bit for bit, and a seed decides everything") {
  for (const std::string& name : kNames) {
    const auto problem = valley_problem();
    const auto whole = make(name, 9), again = make(name, 9), other = make(name, 10);
    for (const auto& solver : {whole.get(), again.get(), other.get()}) solver->start(*problem, vec({-5, -5}));
    for (int round = 0; round < 40 && whole->status().reason == StopReason::none; ++round) {
      Snapshot store;
      whole->visit(store);
      store.put_back = true;
      const auto restored = make(name, 77);
      restored->visit(store);
      for (const auto& solver : {whole.get(), again.get(), other.get(), restored.get()}) solver->iterate(*problem);
      INFO(name << ", round " << round);
      REQUIRE(restored->status().x == whole->status().x);
      REQUIRE(*restored->members() == *whole->members());
      REQUIRE(again->status().x == whole->status().x);
    }
    if (name != "grid") CHECK(*other->members() != *whole->members());
  }
}

TEST_CASE("values recorded from outside lead the same way") {
  for (const std::string& name : kNames) {
    const auto problem = valley_problem();
    const auto inside = make(name, 4), outside = make(name, 4);
    inside->start(*problem, vec({0, 0}));
    outside->start(*problem, vec({0, 0}));
    for (int round = 0; round < 20 && inside->status().reason == StopReason::none; ++round) {
      inside->iterate(*problem);
      const Eigen::MatrixXd points = outside->propose(*problem);
      CHECK(points == outside->propose(*problem));
      Eigen::VectorXd values(points.cols());
      for (int k = 0; k < points.cols(); ++k) values[k] = valleys(points.col(k));
      CHECK(outside->record(*problem, values));
      REQUIRE(outside->status().x == inside->status().x);
      REQUIRE(outside->status().value == inside->status().value);
    }
  }
}

TEST_CASE("a round that runs out of time is gone on with, not lost") {
  const auto quick = valley_problem(), slow = valley_problem();
  const auto a = make("cma_es", 2), b = make("cma_es", 2);
  a->start(*quick, vec({0, 0}));
  b->start(*slow, vec({0, 0}));
  a->iterate(*quick);
  slow->work.deadline = std::chrono::steady_clock::now();
  int pieces = 0;
  do {
    b->iterate(*slow);
    ++pieces;
  } while (b->under_way());
  CHECK(pieces == a->members()->cols());
  CHECK(b->status().x == a->status().x);
}

TEST_CASE("a search stops at its time") {
  auto problem = std::make_unique<ValueFunctionProblem>(
      [](const Eigen::VectorXd& x) {
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
        return valleys(x);
      },
      VectorFunction(), no_bounds(2));
  problem->box = box(-6, 7);
  const auto solver = make("differential_evolution", 1);
  Budget budget;
  budget.seconds = 0.3;
  const RunResult result = run(*problem, *solver, vec({0, 0}), budget);
  CHECK(result.reason == StopReason::seconds);
  CHECK(result.progress.seconds < 0.33);
}

TEST_CASE("conditions of every kind are honoured by every global solver") {
  // The lowest of (x - 2)^2 + (y - 2)^2 where x^2 + y^2 <= 1, and where x + y = 1 besides.
  Graph g;
  const int x = g.parameter(0), y = g.parameter(1), one = g.constant(1);
  const int sum = g.apply(Op::subtract, g.apply(Op::add, x, y), one);
  const int circle = g.apply(Op::subtract, one, g.apply(Op::add, g.apply(Op::multiply, x, x), g.apply(Op::multiply, y, y)));
  for (const std::string name : {"cma_es", "differential_evolution", "annealing"}) {
    for (bool equality : {false, true}) {
      // moves along one coordinate at a time cannot follow a line: annealing only finds it
      const bool follows = name != "annealing";
      auto problem = std::make_unique<ValueFunctionProblem>(
          [](const Eigen::VectorXd& p) { return std::pow(p[0] - 2, 2) + 2 * std::pow(p[1] - 2, 2); }, VectorFunction(), no_bounds(2));
      problem->box = box(-3, 4);
      problem->joint = std::make_shared<JointConditions>(g, equality ? std::vector<int>{sum, circle} : std::vector<int>{circle}, equality ? 1 : 0, 2);
      const auto solver = make(name, 3);
      const RunResult result = searched(*problem, *solver, 20000);
      INFO(name << (equality ? ", on a line" : ""));
      const Eigen::VectorXd misses = problem->joint->misses(result.x);
      CHECK(misses.maxCoeff() <= (equality ? 1e-3 : 0));
      // On the line: 2 (x - 2) = 4 (y - 2) with y = 1 - x, so x = 0.
      if (equality && !follows) continue;
      if (equality)
        CHECK((result.x - vec({0, 1})).norm() < 0.05);
      else
        CHECK(result.x.norm() == Approx(1).epsilon(1e-3));
    }
  }
}

TEST_CASE("walks from many starts are those that each would be alone, on any number of threads") {
  const DecayData data(200);
  Random random(5);
  SearchBox b = box(0.1, 8);
  const Eigen::MatrixXd starts = b.from_units(latin_hypercube(2, 30, random));
  const SolverMaker maker = [] {
    SolverSettings settings;
    settings.number = [](const char* key) { return std::string(key) == "tolerance" ? 1e-10 : std::string(key) == "first_radius" ? 1.0 : 0.0; };
    return make_solver("levenberg_marquardt", settings);
  };
  Budget budget;
  budget.evaluations = 500;
  std::vector<std::vector<RunResult>> all;
  for (int threads : {1, 2, 3}) {
    const auto problem = decay_problem(data, no_bounds(2), threads);
    all.push_back(walk_from(*problem, maker, starts, starts.cwiseAbs(), budget));
  }
  for (int k = 0; k < 30; ++k) {
    Bounds bounds = no_bounds(2);
    bounds.typical = starts.col(k).cwiseAbs();
    const auto problem = decay_problem(data, bounds);
    const auto solver = maker();
    const RunResult alone = run(*problem, *solver, starts.col(k), budget);
    for (const auto& results : all) {
      CHECK(results[k].x == alone.x);
      CHECK(results[k].value == alone.value);
      CHECK(results[k].progress.evaluations == alone.progress.evaluations);
    }
  }
}

TEST_CASE("points are evaluated the same on any number of threads") {
  const DecayData data(300);
  Random random(6);
  const Eigen::MatrixXd points = box(0, 5).from_units(latin_hypercube(2, 37, random));
  const auto one = decay_problem(data, no_bounds(2), 1), three = decay_problem(data, no_bounds(2), 3);
  CHECK(one->values(points) == three->values(points));
  CHECK(one->work.evaluations == 37);
  CHECK(three->work.evaluations == 37);
}

TEST_CASE("with linear parameters eliminated, a value is the best that they can make it") {
  const DecayData data(100);
  auto inner = decay_problem(data, no_bounds(2));
  Problem& whole = *inner;
  EliminatedProblem reduced(std::move(inner), {0}, vec({1, 1}));
  REQUIRE(reduced.size() == 1);
  for (double b : {0.1, 0.4, 3.0}) {
    const double best = reduced.value(vec({b}));
    const Eigen::VectorXd at = reduced.whole(vec({b}));
    CHECK(at[1] == b);
    CHECK(best == Approx(whole.value(at)).epsilon(1e-12));
    for (double shift : {-1e-3, 1e-3}) CHECK(whole.value(at + vec({shift, 0})) > best);
  }
}

TEST_CASE("starts with a better one close by are no heads") {
  const auto problem = valley_problem();
  const Sample sample = sample_box(*problem, 200, 8, {});
  const long heads = std::count(sample.heads.begin(), sample.heads.end(), true);
  CHECK(heads > 2);
  CHECK(heads < 200);
  int best = 0;
  sample.values.minCoeff(&best);
  CHECK(sample.heads[best]);
}

TEST_CASE("the ground inside a circle is reached from anywhere, in any scaling") {
  Graph g;
  const int x = g.parameter(0), y = g.parameter(1);
  const int circle = g.apply(Op::subtract, g.constant(1.5), g.apply(Op::add, g.apply(Op::multiply, x, x), g.apply(Op::multiply, y, y)));
  const JointConditions conditions(g, {circle}, 0, 2);
  Random random(2);
  for (int k = 0; k < 300; ++k) {
    Bounds bounds = no_bounds(2);
    bounds.typical = vec({std::exp(2 * random.normal()), std::exp(2 * random.normal())});
    Eigen::VectorXd at = 3 * random.normals(2);
    INFO(at.transpose() << " in sizes " << bounds.typical.transpose());
    CHECK(nearest_inside(conditions, bounds, at));
    CHECK(conditions.misses(at).maxCoeff() < 1e-6);
  }
}
