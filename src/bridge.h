// Translation between R's lists and the core's types. Only files of the bridge include this.
#ifndef TUNDREL_BRIDGE_H
#define TUNDREL_BRIDGE_H
#include <Rcpp/Lightest>

#include <memory>

#include "core/criterion/row_loss.h"
#include "core/expression/graph.h"
#include "core/expression/program.h"
#include "core/problem/bounds.h"
#include "core/problem/halted.h"
#include "core/problem/joint_normal.h"
#include "core/problem/problem.h"
#include "core/problem/varying_curves.h"
#include "core/solver/many_starts.h"
#include "core/solver/run_loop.h"
#include "core/solver/solver_table.h"
#include "mapped_file.h"

namespace tundrel {

// Builds the graph that R's flat list of nodes describes; `node` gives the place in the graph of
// each entry of that list.
struct TranslatedGraph {
  Graph graph;
  std::vector<int> node;
};
TranslatedGraph graph_from_r(const Rcpp::List& nodes);

// The file in which a vector lies; null for one that lies in memory.
MappedFile* mapped_file(SEXP vector);

// Columns stay where they are in R's memory: the list must outlive the result.
Columns columns_from_r(const Rcpp::List& columns, double rows);

// Limits and typical sizes of the parameters, from a list that holds them among others.
Bounds bounds_from_r(const Rcpp::List& problem);

// Normal readings that depend on each other.
std::unique_ptr<JointNormal> joint_normal_from_r(const Rcpp::List& problem, Bounds bounds);

// Curves that vary about a common one.
std::unique_ptr<VaryingCurves> varying_curves_from_r(const Rcpp::List& problem, Bounds bounds, int threads);

// The loss of a row that R describes by its kind and the places of its nodes.
RowLoss loss_from_r(const Rcpp::List& problem, TranslatedGraph& graph);

// Conditions between parameters.
std::shared_ptr<const JointConditions> joint_from_r(const Rcpp::List& joint, int n_parameters);

// Places of parameters, counted from 0; none where the list has none of this name.
std::vector<int> places_from_r(const Rcpp::List& problem, const char* name);

Rcpp::List calls_to_r(const CallLog& log);
std::unique_ptr<Problem> problem_from_r(const Rcpp::List& problem, int threads);

Budget budget_from_r(const Rcpp::List& budget);
SolverSettings settings_from_r(const Rcpp::List& settings);
SolverMaker solver_maker_from_r(const std::string& name, const Rcpp::List& settings);

// TRUE if the user has asked R to stop: R is asked now and then, on its own thread only, without leaving C++ in the middle; or R
// noted it while it evaluated a function of the user's. Either way what is under way ends in good order.
bool interrupted();
bool take_interrupt();
// Ends the call as an interrupt of R's does.
[[noreturn]] void give_way_to_interrupt();
// TRUE while there is a problem of the core's, which looks for interrupts itself.
bool core_is_at_work();
void begin_work();
void end_work();

// Does work that has nothing to keep when the user stops it: then R's own interrupt takes its course.
template <class Work>
void or_interrupt(const Work& work) {
  try {
    work();
  } catch (const Halted&) {
    take_interrupt();
    give_way_to_interrupt();
  }
  if (take_interrupt()) give_way_to_interrupt();
}

Eigen::VectorXd vector_from_r(const Rcpp::NumericVector& x);
Rcpp::NumericVector vector_to_r(const Eigen::VectorXd& x);
Eigen::MatrixXd matrix_from_r(const Rcpp::NumericMatrix& x);
Rcpp::NumericMatrix matrix_to_r(const Eigen::MatrixXd& x);

}  // namespace tundrel

#endif
