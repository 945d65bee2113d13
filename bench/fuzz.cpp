// Random expressions of the model language, evaluated with their derivatives and fitted to random readings: nothing may crash,
// hang, or touch memory that is not its own. Built with sanitizers by `make sanitize`.
//
//   fuzz COUNT SEED      prints what came of them
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <map>
#include <random>
#include <vector>

#include "criterion/least_squares.h"
#include "problem/least_squares_problem.h"
#include "solver/run_loop.h"
#include "solver/solver_table.h"

using namespace tundrel;

namespace {

constexpr int kColumns = 2, kParameters = 3;
// A fit that takes longer hangs.
constexpr double kMostSeconds = 20;

class Writer {
 public:
  Writer(Graph& graph, std::mt19937_64& random) : graph_(graph), random_(random) { table_ = operation_table(operations_); }

  int expression(int depth) {
    if (depth == 0 || pick(5) == 0) return leaf();
    const OperationInfo& info = table_[pick(operations_)];
    int arguments[3] = {-1, -1, -1};
    for (int k = 0; k < info.arity; ++k) arguments[k] = expression(depth - 1);
    return graph_.apply(info.op, arguments[0], arguments[1], arguments[2], info.value);
  }

 private:
  int pick(int n) { return static_cast<int>(random_() % static_cast<unsigned>(n)); }
  int leaf() {
    switch (pick(4)) {
      case 0: return graph_.column(pick(kColumns));
      case 1: {
        const double odd[] = {0, 1, -1, 2, 0.5, -3, 1e-300, 1e300, 1e-9, 1e9, 10};
        return graph_.constant(odd[pick(11)]);
      }
      default: return graph_.parameter(pick(kParameters));
    }
  }
  Graph& graph_;
  std::mt19937_64& random_;
  const OperationInfo* table_;
  int operations_ = 0;
};

Bounds random_bounds(std::mt19937_64& random) {
  Bounds b;
  const double inf = std::numeric_limits<double>::infinity();
  b.lower = Eigen::VectorXd::Constant(kParameters, -inf);
  b.upper = Eigen::VectorXd::Constant(kParameters, inf);
  b.lower_open = b.upper_open = std::vector<bool>(kParameters, false);
  b.typical = Eigen::VectorXd::Ones(kParameters);
  for (int i = 0; i < kParameters; ++i) {
    if (random() % 3 == 0) b.lower[i] = 0.1;
    if (random() % 3 == 0) b.upper[i] = 3;
    b.lower_open[i] = random() % 2;
    b.upper_open[i] = random() % 2;
  }
  return b;
}

}  // namespace

int main(int argc, char** argv) {
  const int count = argc > 1 ? std::atoi(argv[1]) : 1000;
  std::mt19937_64 random(argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1);
  std::normal_distribution<double> noise;
  const char* solvers[] = {"levenberg_marquardt", "gauss_newton", "newton", "bfgs", "lbfgs", "conjugate_gradient", "nelder_mead", "powell", "gradient_descent"};
  std::map<std::string, int> came;
  double slowest = 0;
  for (int k = 0; k < count; ++k) {
    Graph graph;
    const int fitted = Writer(graph, random).expression(1 + static_cast<int>(random() % 6));
    const long rows = 1 + static_cast<long>(random() % 40);
    std::vector<double> x(rows), y(rows);
    for (long i = 0; i < rows; ++i) {
      x[i] = noise(random) * (random() % 10 == 0 ? 1e3 : 1);
      y[i] = noise(random);
    }
    for (int p = 0; p < kParameters; ++p) graph.parameter(p);
    const int response = graph.column(1);
    const int residual = least_squares_residual(graph, response, fitted, -1);
    LeastSquaresProblem problem(std::move(graph), residual, response, Columns{{x.data(), y.data()}, rows}, random_bounds(random), 1);
    const std::string name = solvers[random() % 9];
    SolverSettings settings;
    settings.number = [](const char* name) {
      const std::map<std::string, double> usual{{"tolerance", 1e-10}, {"first_radius", 1}, {"memory", 6}, {"size", 0.1}, {"rate", 0.01}, {"momentum", 0.5}};
      const auto found = usual.find(name);
      return found == usual.end() ? 0 : found->second;
    };
    const auto solver = make_solver(name, settings);
    Budget budget;
    budget.evaluations = 60;
    const auto began = std::chrono::steady_clock::now();
    const RunResult result = run(problem, *solver, Eigen::VectorXd::Ones(kParameters), budget);
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
    slowest = std::max(slowest, seconds);
    if (seconds > kMostSeconds) {
      std::printf("case %d hangs: %s\n", k, name.c_str());
      return 1;
    }
    // What is called converged is finite, and inside its limits.
    if (result.converged)
      for (int i = 0; i < kParameters; ++i)
        if (!std::isfinite(result.x[i]) || result.x[i] < problem.bounds().lower[i] || result.x[i] > problem.bounds().upper[i]) {
          std::printf("case %d ends outside: %s\n", k, name.c_str());
          return 1;
        }
    ++came[name_of(result.reason)];
  }
  std::printf("%d expressions, slowest %.3f s\n", count, slowest);
  for (const auto& one : came) std::printf("  %-12s %d\n", one.first.c_str(), one.second);
}
