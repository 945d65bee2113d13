#include "settings.h"

#include <stdexcept>

#include "annealing.h"
#include "bfgs.h"
#include "brent.h"
#include "cma_es.h"
#include "conjugate_gradient.h"
#include "differential_evolution.h"
#include "gauss_newton.h"
#include "gradient_descent.h"
#include "grid_scan.h"
#include "lbfgs.h"
#include "levenberg_marquardt.h"
#include "nelder_mead.h"
#include "newton.h"
#include "powell.h"
#include "smoothed_newton.h"
#include "sqp.h"

namespace tundrel {

std::unique_ptr<Solver> make_solver(const std::string& name, const SolverSettings& s) {
  const double tolerance = s.number("tolerance");
  if (name == "levenberg_marquardt")
    return std::make_unique<LevenbergMarquardt>(LevenbergMarquardt::Settings{s.number("first_radius"), s.number("geodesic") != 0, tolerance});
  if (name == "gauss_newton") return std::make_unique<GaussNewton>(GaussNewton::Settings{tolerance});
  if (name == "newton") return std::make_unique<Newton>(Newton::Settings{s.number("first_radius"), tolerance});
  if (name == "smoothed_newton") return std::make_unique<SmoothedNewton>(Newton::Settings{s.number("first_radius"), tolerance});
  if (name == "bfgs") return std::make_unique<Bfgs>(Bfgs::Settings{tolerance});
  if (name == "lbfgs") return std::make_unique<Lbfgs>(Lbfgs::Settings{tolerance, static_cast<int>(s.number("memory"))});
  if (name == "conjugate_gradient") return std::make_unique<ConjugateGradient>(ConjugateGradient::Settings{tolerance});
  if (name == "nelder_mead") return std::make_unique<NelderMead>(NelderMead::Settings{s.number("size"), s.simplex, tolerance});
  if (name == "powell") return std::make_unique<Powell>(Powell::Settings{tolerance});
  if (name == "brent") return std::make_unique<Brent>(Brent::Settings{tolerance});
  if (name == "sqp") return std::make_unique<Sqp>(Sqp::Settings{s.number("first_radius"), tolerance});
  if (name == "gradient_descent")
    return std::make_unique<GradientDescent>(
        GradientDescent::Settings{s.number("rate"), s.number("momentum"), false, 0, tolerance});
  if (name == "adam")
    return std::make_unique<GradientDescent>(
        GradientDescent::Settings{s.number("rate"), s.number("momentum"), true, s.number("memory"), tolerance});
  if (auto population = make_population_solver(name, s)) return population;
  throw std::invalid_argument("unknown solver: " + name);
}

std::unique_ptr<PopulationSolver> make_population_solver(const std::string& name, const SolverSettings& s) {
  const auto whole = [&](const char* key) { return static_cast<int>(s.number(key)); };
  const PopulationSolver::Common common{s.number("seed")};
  if (name == "cma_es")
    return std::make_unique<CovarianceAdaptation>(
        CovarianceAdaptation::Settings{whole("population"), s.number("spread"), whole("agreeing"), whole("restarts")}, common);
  if (name == "differential_evolution")
    return std::make_unique<DifferentialEvolution>(DifferentialEvolution::Settings{whole("population"), whole("agreeing")}, common);
  if (name == "annealing")
    return std::make_unique<Annealing>(Annealing::Settings{s.number("cooling"), whole("chains"), whole("sweeps")}, common);
  if (name == "grid") return std::make_unique<GridScan>(GridScan::Settings{whole("points")}, common);
  return nullptr;
}

}  // namespace tundrel
