#include "bridge.h"

#include <atomic>
#include <chrono>
#include <cstdint>
#include <map>
#include <set>
#include <thread>

#include "core/criterion/least_squares.h"
#include "core/dynamics/dynamics.h"
#include "core/expression/substitute.h"
#include "core/expression/term.h"
#include "core/problem/function_model.h"
#include "core/problem/grouped_squares.h"
#include "core/problem/joint_normal.h"
#include "core/problem/least_squares_problem.h"
#include "core/problem/penalty.h"
#include "core/problem/row_model_loss.h"
#include "core/problem/row_model_squares.h"
#include "core/problem/row_sum_problem.h"
#include "core/problem/sum_problem.h"
#include "core/problem/value_function_problem.h"
#include "core/solved/integral_function.h"
#include "core/solved/nearest_function.h"
#include "core/solved/root_function.h"
#include "core/solved/smeared_function.h"
#include "core/solver/eliminated_problem.h"
#include "core/threads.h"
#include "core/problem/squares.h"

namespace tundrel {

namespace {

std::shared_ptr<const RowFunction> row_function_from_r(const Rcpp::List& solved) {
  const TranslatedGraph t = graph_from_r(solved["nodes"]);
  const Rcpp::IntegerVector inputs = solved["inputs"];
  const std::string kind = solved["kind"];
  const Template of{t.graph, t.node.at(Rcpp::as<int>(solved["root"]) - 1), static_cast<int>(inputs.size()) - (kind == "smeared" ? 1 : 2)};
  if (kind == "smeared")
    return std::make_shared<SmearedFunction>(of, Spline{Rcpp::as<std::vector<double>>(solved["place"]), matrix_from_r(solved["powers"])});
  if (kind == "root_of") return std::make_shared<RootFunction>(of);
  return std::make_shared<IntegralFunction>(of);
}

std::shared_ptr<const NearestSearch> nearest_from_r(const Rcpp::List& solved) {
  const TranslatedGraph t = graph_from_r(solved["nodes"]);
  return std::make_shared<NearestSearch>(Curve{t.graph, t.node.at(Rcpp::as<int>(solved["root"]) - 1), Rcpp::as<int>(solved["predictors"]), Rcpp::as<int>(solved["others"])});
}

// Which parameters from `first` on take part in some nodes.
std::vector<int> parameters_in(const Graph& graph, const std::vector<int>& nodes, int first) {
  std::set<int> found;
  Graph spare;
  copied(graph, nodes, spare, [&](Graph&, const Node& leaf) {
    if (leaf.op == Op::parameter && leaf.index >= first) found.insert(leaf.index);
    return -1;
  });
  return {found.begin(), found.end()};
}

// In its nodes the first parameters are the states, and those of the whole problem follow.
std::shared_ptr<const TableFunction> dynamics_from_r(const Rcpp::List& dynamics) {
  const TranslatedGraph t = graph_from_r(dynamics["nodes"]);
  const int states = dynamics["states"], columns = dynamics["columns"];
  const auto roots = [&](const Rcpp::IntegerVector& places) {
    std::vector<int> out;
    for (int place : places) out.push_back(t.node.at(place - 1));
    return out;
  };
  std::vector<std::vector<int>> systems{roots(dynamics["rates"]), roots(dynamics["begin"])};
  for (const Rcpp::IntegerVector change : Rcpp::List(dynamics["changes"])) systems.push_back(roots(change));
  std::vector<int> all;
  for (const std::vector<int>& system : systems) all.insert(all.end(), system.begin(), system.end());
  const std::vector<int> taking_part = parameters_in(t.graph, all, states);
  std::vector<RateSystem> made;
  for (const std::vector<int>& system : systems) {
    Graph own;
    const std::vector<int> nodes = copied(t.graph, system, own, [&](Graph& to, const Node& leaf) {
      if (leaf.op != Op::parameter || leaf.index < states) return -1;
      return to.parameter(states + static_cast<int>(std::lower_bound(taking_part.begin(), taking_part.end(), leaf.index) - taking_part.begin()));
    });
    made.emplace_back(own, nodes, states, static_cast<int>(taking_part.size()), columns);
  }
  std::vector<int> acting;
  for (int parameter : taking_part) acting.push_back(parameter - states);
  std::vector<Experiment> experiments;
  for (const Rcpp::List one : Rcpp::List(dynamics["experiments"])) {
    Experiment experiment;
    experiment.key = Rcpp::as<std::vector<double>>(one["key"]);
    experiment.from = one["from"];
    experiment.knots = Rcpp::as<std::vector<double>>(one["knots"]);
    experiment.at_knots = matrix_from_r(one["at_knots"]);
    const Rcpp::NumericVector times = one["event_times"];
    const Rcpp::IntegerVector becomes = one["event_changes"];
    for (R_xlen_t i = 0; i < times.size(); ++i) experiment.events.push_back({times[i], becomes[i] - 1});
    experiments.push_back(experiment);
  }
  std::vector<int> keys;
  for (int key : Rcpp::IntegerVector(dynamics["keys"])) keys.push_back(key - 1);
  std::vector<int> steady;
  for (int state : Rcpp::IntegerVector(dynamics["steady"])) steady.push_back(state - 1);
  return std::make_shared<Dynamics>(made[0], made[1], std::vector<RateSystem>(made.begin() + 2, made.end()), acting, experiments, Rcpp::as<int>(dynamics["time"]) - 1, keys,
                                    steady, dynamics.containsElementNamed("coarse"));
}

}  // namespace

TranslatedGraph graph_from_r(const Rcpp::List& nodes) {
  int n_operations = 0;
  const OperationInfo* table = operation_table(n_operations);
  const Rcpp::IntegerVector op = nodes["op"], a = nodes["a"], b = nodes["b"], c = nodes["c"];
  const Rcpp::NumericVector value = nodes["value"];
  TranslatedGraph out;
  if (nodes.containsElementNamed("dynamics") && !Rf_isNull(nodes["dynamics"])) out.graph.set_table(dynamics_from_r(nodes["dynamics"]));
  const auto place = [&](int i) { return i > 0 ? out.node.at(i - 1) : -1; };
  const auto inputs_of = [&](const Rcpp::List& solved) {
    std::vector<int> inputs;
    for (int input : Rcpp::IntegerVector(solved["inputs"])) inputs.push_back(place(input));
    return inputs;
  };
  std::map<int, std::shared_ptr<const NearestSearch>> searches;
  for (R_xlen_t i = 0; i < op.size(); ++i) {
    if (op[i] == 0) {
      out.node.push_back(out.graph.constant(value[i]));
    } else if (op[i] == -1) {
      out.node.push_back(out.graph.parameter(a[i] - 1));
    } else if (op[i] == -2) {
      out.node.push_back(out.graph.column(a[i] - 1));
    } else if (op[i] == -4) {
      out.node.push_back(out.graph.tabled(a[i] - 1));
    } else if (op[i] == -3) {
      const Rcpp::List solved = Rcpp::List(nodes["solved"])[a[i] - 1];
      out.node.push_back(out.graph.solved(row_function_from_r(solved), inputs_of(solved)));
    } else if (op[i] == -5) {
      const Rcpp::List solved = Rcpp::List(nodes["solved"])[a[i] - 1];
      std::shared_ptr<const NearestSearch>& search = searches[a[i]];
      if (!search) search = nearest_from_r(solved);
      out.node.push_back(out.graph.solved(search->function(b[i]), inputs_of(solved)));
    } else {
      if (op[i] < 0 || op[i] > n_operations) Rcpp::stop("unknown operation %d", op[i]);
      const OperationInfo& info = table[op[i] - 1];
      out.node.push_back(out.graph.apply(info.op, place(a[i]), place(b[i]), place(c[i]), info.value));
    }
  }
  return out;
}

Columns columns_from_r(const Rcpp::List& columns, double rows) {
  Columns out;
  out.rows = static_cast<std::int64_t>(rows);
  std::vector<const MappedFile*> mapped;
  for (R_xlen_t i = 0; i < columns.size(); ++i) {
    const SEXP column = columns[i];
    if (TYPEOF(column) != REALSXP || Rf_xlength(column) != out.rows)
      Rcpp::stop("column %d is not %.0f numbers", static_cast<int>(i + 1), rows);
    out.data.push_back(REAL_RO(column));
    if (MappedFile* file = mapped_file(column)) {
      file->look_for_changes();
      mapped.push_back(file);
    }
  }
  if (!mapped.empty()) {
    out.passed = [mapped](std::int64_t first, std::int64_t end) {
      for (const MappedFile* file : mapped) file->let_go(first, end);
    };
  }
  return out;
}

Bounds bounds_from_r(const Rcpp::List& problem) {
  Bounds bounds;
  bounds.lower = vector_from_r(problem["lower"]);
  bounds.upper = vector_from_r(problem["upper"]);
  bounds.typical = vector_from_r(problem["typical"]);
  bounds.lower_open = Rcpp::as<std::vector<bool>>(problem["lower_open"]);
  bounds.upper_open = Rcpp::as<std::vector<bool>>(problem["upper_open"]);
  if (problem.containsElementNamed("precision") && !Rf_isNull(problem["precision"])) bounds.precision = problem["precision"];
  return bounds;
}

namespace {

// The R function never fails: what goes wrong in the user's own comes back as NaN.
std::unique_ptr<RowModel> function_model_from_r(const Rcpp::List& problem, const char* name) {
  const Rcpp::Function values = problem[name];
  const auto call = [values](const Eigen::VectorXd& x, Eigen::VectorXd& out) {
    const Rcpp::NumericVector found = values(vector_to_r(x));
    for (Eigen::Index i = 0; i < out.size(); ++i) out[i] = i < found.size() ? found[i] : R_NaN;
  };
  FunctionModel::Slopes slopes;
  if (problem.containsElementNamed("slope_function") && !Rf_isNull(problem["slope_function"])) {
    const Rcpp::Function own = problem["slope_function"];
    slopes = [own](const Eigen::VectorXd& x) { return matrix_from_r(own(vector_to_r(x))); };
  }
  const double rows = problem["rows"];
  return std::make_unique<FunctionModel>(call, static_cast<int>(rows), bounds_from_r(problem), places_from_r(problem, "acting"), slopes);
}

// A function that gives residuals, or fitted values of which the criterion is a loss.
std::unique_ptr<Problem> residual_problem_from_r(const Rcpp::List& problem) {
  const double response_norm = problem["response_norm"];
  return std::make_unique<RowModelSquares>(function_model_from_r(problem, "residual_function"), Eigen::VectorXd(), Eigen::VectorXd(),
                                           bounds_from_r(problem), response_norm);
}

// The same of what its values miss readings by.
std::unique_ptr<Problem> fitted_squares_from_r(const Rcpp::List& problem) {
  const double response_norm = problem["response_norm"];
  return std::make_unique<RowModelSquares>(function_model_from_r(problem, "fitted_function"), vector_from_r(problem["function_readings"]),
                                           vector_from_r(problem["function_weights"]), bounds_from_r(problem), response_norm);
}

std::unique_ptr<Problem> fitted_problem_from_r(const Rcpp::List& problem) {
  TranslatedGraph t = graph_from_r(problem["nodes"]);
  const RowLoss loss = loss_from_r(problem, t);
  const int fitted = Rcpp::as<int>(problem["fitted_column"]) - 1;
  return std::make_unique<RowModelLoss>(function_model_from_r(problem, "fitted_function"), std::move(t.graph), loss, fitted,
                                        columns_from_r(problem["columns"], problem["rows"]), bounds_from_r(problem));
}

// The same for a function that gives the value itself, and its gradient or NULL.
std::unique_ptr<Problem> value_problem_from_r(const Rcpp::List& problem) {
  const Rcpp::Function value = problem["value_function"];
  VectorFunction slopes;
  if (!Rf_isNull(problem["gradient_function"])) {
    const Rcpp::Function gradient = problem["gradient_function"];
    slopes = [gradient](const Eigen::VectorXd& x) { return vector_from_r(gradient(vector_to_r(x))); };
  }
  // What goes wrong in the user's own code refuses the point.
  const auto call = [value](const Eigen::VectorXd& x) {
    try {
      const Rcpp::RObject found = value(vector_to_r(x));
      return Rf_isNumeric(found) && Rf_length(found) == 1 ? Rcpp::as<double>(found) : R_NaN;
    } catch (const std::exception&) {
      return R_NaN;
    }
  };
  return std::make_unique<ValueFunctionProblem>(call, slopes, bounds_from_r(problem));
}

// Groups of rows whose models read their parameters from the columns of `place`.
std::unique_ptr<Problem> grouped_problem_from_r(const Rcpp::List& problem, int threads) {
  const Rcpp::List groups = problem["groups"];
  const Rcpp::NumericVector first = groups["first"];
  const Rcpp::IntegerMatrix place = groups["place"];
  const Eigen::MatrixXi places = Eigen::Map<const Eigen::MatrixXi>(place.begin(), place.nrow(), place.ncol()).array() - 1;
  TranslatedGraph t = graph_from_r(problem["nodes"]);
  const RowLoss loss = loss_from_r(problem, t);
  const Columns columns = columns_from_r(problem["columns"], problem["rows"]);
  const Bounds bounds = bounds_from_r(problem);
  auto model = std::make_unique<LeastSquaresProblem>(std::move(t.graph), loss.kink, loss.reference, columns, Bounds::none(places.rows()), 1);
  auto out = std::make_unique<GroupedSquares>(std::move(model), columns, Grouping(std::vector<std::int64_t>(first.begin(), first.end()), places, static_cast<int>(bounds.lower.size())), bounds);
  out->work.threads = threads;
  return out;
}

}  // namespace

// Readings that depend on each other.
std::unique_ptr<JointNormal> joint_normal_from_r(const Rcpp::List& problem, Bounds bounds) {
  TranslatedGraph t = graph_from_r(problem["nodes"]);
  const auto node = [&](const char* name) {
    const int place = problem[name];
    return place > 0 ? t.node.at(place - 1) : -1;
  };
  const bool scaled = problem["scaled"];
  JointNormalNodes nodes;
  const Term residual{&t.graph, least_squares_residual(t.graph, node("response"), node("fitted"), node("root_weight"))};
  nodes.residual = residual.node;
  if (!scaled) {
    const Term sd{&t.graph, node("sd")};
    // a negative spread is none
    nodes.residual = (residual / where(sd > 0, sd)).node;
    nodes.log_sd = log(sd).node;
  }
  if (node("sd_there") >= 0) nodes.restricted_sd = log(Term{&t.graph, node("sd_there")}).node;
  nodes.range = node("range");
  nodes.nugget = node("nugget");
  const Rcpp::List given = problem["sequence"];
  Sequence sequence;
  for (const int row : Rcpp::as<std::vector<int>>(given["order"])) sequence.order.push_back(row - 1);
  sequence.distance = Rcpp::as<std::vector<double>>(given["distance"]);
  return std::make_unique<JointNormal>(std::move(t.graph), nodes, columns_from_r(problem["columns"], problem["rows"]), sequence, matrix_from_r(problem["slopes"]), scaled,
                                       std::move(bounds));
}

// Curves that vary about a common one.
std::unique_ptr<VaryingCurves> varying_curves_from_r(const Rcpp::List& problem, Bounds bounds, int threads) {
  TranslatedGraph t = graph_from_r(problem["nodes"]);
  Rcpp::List varied(Rf_shallow_duplicate(problem));  // long columns are not copied
  varied["kind"] = "likelihood";
  varied["fitted"] = problem["fitted_varied"];
  varied["others"] = problem["others_varied"];
  const RowLoss loss = loss_from_r(varied, t);
  const Rcpp::List curves = problem["curves"];
  CurveRows rows;
  for (const int row : Rcpp::as<std::vector<int>>(curves["order"])) rows.order.push_back(row - 1);
  for (const int row : Rcpp::as<std::vector<int>>(curves["first"])) rows.first.push_back(row);
  CurveSlopes slopes;
  const bool restricted = problem.containsElementNamed("common_slopes");
  if (restricted) {
    slopes.common = matrix_from_r(problem["common_slopes"]);
    slopes.own = matrix_from_r(problem["own_slopes"]);
    for (const int root : Rcpp::as<std::vector<int>>(problem["root"])) slopes.root.push_back(t.node.at(root - 1));
    slopes.log_sd = log(Term{&t.graph, t.node.at(Rcpp::as<int>(problem["sd_there"]) - 1)}).node;
  }
  Graph graph = t.graph;
  auto out = std::make_unique<VaryingCurves>(std::move(t.graph), loss.smooth, Rcpp::as<int>(problem["own_variables"]), Rcpp::as<int>(problem["nodes_each"]),
                                             columns_from_r(problem["columns"], problem["rows"]), std::move(rows), std::move(bounds));
  if (restricted) out->restrict_to(std::move(graph), slopes);
  out->work.threads = threads;
  return out;
}

namespace {

std::unique_ptr<Problem> plain_problem_from_r(const Rcpp::List& problem, int threads) {
  if (problem.containsElementNamed("sequence") && Rcpp::as<std::string>(problem["kind"]) == "dependent") return joint_normal_from_r(problem, bounds_from_r(problem));
  if (problem.containsElementNamed("curves") && Rcpp::as<std::string>(problem["kind"]) == "varying") return varying_curves_from_r(problem, bounds_from_r(problem), threads);
  if (problem.containsElementNamed("groups")) return grouped_problem_from_r(problem, threads);
  if (problem.containsElementNamed("residual_function")) return residual_problem_from_r(problem);
  if (problem.containsElementNamed("function_readings")) return fitted_squares_from_r(problem);
  if (problem.containsElementNamed("fitted_function")) return fitted_problem_from_r(problem);
  if (problem.containsElementNamed("value_function")) return value_problem_from_r(problem);
  TranslatedGraph t = graph_from_r(problem["nodes"]);
  const RowLoss loss = loss_from_r(problem, t);
  const Columns columns = columns_from_r(problem["columns"], problem["rows"]);
  const Bounds bounds = bounds_from_r(problem);
  const std::string kind = problem["kind"];
  // a value without measurements is the sum over one row of no columns
  if (kind == "value") return std::make_unique<RowSumProblem>(std::move(t.graph), loss, columns_from_r(problem["columns"], 1), bounds, threads);
  if (kind == "squares")
    return std::make_unique<LeastSquaresProblem>(std::move(t.graph), loss.kink, loss.reference, columns, bounds, threads);
  return std::make_unique<RowSumProblem>(std::move(t.graph), loss, columns, bounds, threads);
}

}  // namespace

// Conditions between parameters, in a list of nodes of their own; equalities first.
std::shared_ptr<const JointConditions> joint_from_r(const Rcpp::List& joint, int n_parameters) {
  TranslatedGraph t = graph_from_r(joint["nodes"]);
  std::vector<int> conditions;
  for (int root : Rcpp::as<std::vector<int>>(joint["roots"])) conditions.push_back(t.node.at(root - 1));
  return std::make_shared<JointConditions>(std::move(t.graph), conditions, joint["n_equalities"], n_parameters);
}

namespace {

SearchBox box_from_r(const Rcpp::List& box) {
  SearchBox out;
  out.lower = vector_from_r(box["lower"]);
  out.upper = vector_from_r(box["upper"]);
  out.log = Rcpp::as<std::vector<bool>>(box["log"]);
  if (box.containsElementNamed("near")) out.near = vector_from_r(box["near"]);
  return out;
}

bool has(const Rcpp::List& list, const char* name) { return list.containsElementNamed(name) && !Rf_isNull(list[name]); }

}  // namespace

std::vector<int> places_from_r(const Rcpp::List& problem, const char* name) {
  std::vector<int> out;
  if (has(problem, name))
    for (int place : Rcpp::as<std::vector<int>>(problem[name])) out.push_back(place - 1);
  return out;
}

namespace {

std::atomic<bool> noted{false};
std::atomic<int> at_work{0};

}  // namespace

// What was noted before is none of this work's business.
void begin_work() {
  if (at_work++ == 0) noted = false;
}
void end_work() { --at_work; }

namespace {

// As long as a problem lasts.
struct AtWork {
  AtWork() { begin_work(); }
  ~AtWork() { end_work(); }
  AtWork(const AtWork&) = delete;
  AtWork& operator=(const AtWork&) = delete;
};

}  // namespace

namespace {

// A criterion that is a sum of others: `parts` holds further blocks of rows, `penalties` what was known of the parameters.
std::unique_ptr<Problem> whole_problem_from_r(const Rcpp::List& problem, int threads) {
  std::vector<std::unique_ptr<Problem>> parts;
  parts.push_back(plain_problem_from_r(problem, threads));
  const bool squares = parts[0]->squares() != nullptr;
  if (has(problem, "parts"))
    for (const Rcpp::List part : Rcpp::List(problem["parts"])) parts.push_back(plain_problem_from_r(part, threads));
  if (has(problem, "penalties")) {
    const auto terms = joint_from_r(problem["penalties"], parts[0]->size());
    if (squares)
      parts.push_back(std::make_unique<Penalty>(terms, bounds_from_r(problem)));
    else
      parts.push_back(std::make_unique<PenaltyLoss>(terms, bounds_from_r(problem)));
  }
  if (parts.size() == 1) return std::move(parts[0]);
  std::unique_ptr<Problem> out;
  if (squares)
    out = std::make_unique<SumOfSquares>(std::move(parts));
  else
    out = std::make_unique<SumOfLosses>(std::move(parts));
  out->work.threads = threads;
  return out;
}

}  // namespace

namespace {

// Calls that were made before, a column of `x` each.
void read_calls(const Rcpp::List& calls, CallLog& log) {
  const Eigen::MatrixXd x = matrix_from_r(calls["x"]), results = matrix_from_r(calls["results"]);
  const Eigen::VectorXd value = vector_from_r(calls["value"]), seconds = vector_from_r(calls["seconds"]);
  const std::vector<bool> failed = Rcpp::as<std::vector<bool>>(calls["failed"]);
  const std::vector<int> reason = Rcpp::as<std::vector<int>>(calls["reason"]);
  for (Eigen::Index k = 0; k < x.cols(); ++k) {
    const auto place = static_cast<std::size_t>(k);
    Call call{x.col(k), Eigen::VectorXd(), value[k], failed[place], seconds[k], static_cast<CallReason>(reason[place])};
    if (results.cols() == x.cols() && results.rows() > 0 && !std::isnan(results(0, k))) call.result = results.col(k);
    log.add(std::move(call));
  }
}

}  // namespace

// The same for R.
Rcpp::List calls_to_r(const CallLog& log) {
  const std::vector<Call>& calls = log.calls();
  const auto n = static_cast<Eigen::Index>(calls.size());
  Eigen::Index rows = 0;
  for (const Call& call : calls) rows = std::max(rows, call.result.size());
  Eigen::MatrixXd x(n ? calls[0].x.size() : 0, n), results = Eigen::MatrixXd::Constant(rows, n, R_NaN);
  Eigen::VectorXd value(n), seconds(n);
  Rcpp::LogicalVector failed(calls.size());
  Rcpp::IntegerVector reason(calls.size());
  for (Eigen::Index k = 0; k < n; ++k) {
    const Call& call = calls[static_cast<std::size_t>(k)];
    x.col(k) = call.x;
    if (call.result.size() == rows) results.col(k) = call.result;
    value[k] = call.value;
    seconds[k] = call.seconds;
    failed[k] = call.failed;
    reason[k] = static_cast<int>(call.reason);
  }
  using Rcpp::_;
  return Rcpp::List::create(_["x"] = matrix_to_r(x), _["results"] = matrix_to_r(results), _["value"] = vector_to_r(value), _["seconds"] = vector_to_r(seconds), _["failed"] = failed, _["reason"] = reason);
}

std::unique_ptr<Problem> problem_from_r(const Rcpp::List& problem, int threads) {
  std::unique_ptr<Problem> out = whole_problem_from_r(problem, threads);
  const std::vector<int> eliminated = places_from_r(problem, "eliminated");
  if (!eliminated.empty()) {
    out = std::make_unique<EliminatedProblem>(std::move(out), eliminated, vector_from_r(problem["start"]));
    out->work.threads = threads;
  }
  if (has(problem, "joint")) out->joint = joint_from_r(problem["joint"], out->size());
  if (has(problem, "box")) out->box = box_from_r(problem["box"]);
  if (out->calls_user() && eliminated.empty() && !has(problem, "parts") && !has(problem, "penalties")) {
    out->work.log = std::make_shared<CallLog>();
    if (has(problem, "known_calls")) read_calls(problem["known_calls"], *out->work.log);
    if (has(problem, "journal")) {
      const Rcpp::Function journal = problem["journal"];
      out->work.log->added = [journal](const Call& call) {
        journal(vector_to_r(call.x), vector_to_r(call.result), call.value, call.seconds, call.failed, static_cast<int>(call.reason));
      };
    }
  }
  out->work.halted = [work = std::make_shared<AtWork>()] { return interrupted(); };
  if (has(problem, "sparing")) out->sparing = Rcpp::as<bool>(problem["sparing"]);
  if (has(problem, "batch_function")) {
    const Rcpp::Function values = problem["batch_function"];
    Evaluation* work = &out->work;
    const auto ask = [work](const Rcpp::Function& whom, const Eigen::MatrixXd& points) {
      const Rcpp::NumericVector found = whom(matrix_to_r(points));
      work->batch_results.resize(0, 0);
      if (found.hasAttribute("results")) work->batch_results = matrix_from_r(found.attr("results"));
      return found;
    };
    work->batch = [values, ask](const Eigen::MatrixXd& points) { return vector_from_r(ask(values, points)); };
    const Rcpp::Function some = problem["late_function"];
    work->late = [some, ask](const Eigen::MatrixXd& points, std::vector<bool>& to_come) {
      const Rcpp::NumericVector found = ask(some, points);
      to_come.assign(static_cast<std::size_t>(found.size()), false);
      for (R_xlen_t k = 0; k < found.size(); ++k) to_come[static_cast<std::size_t>(k)] = R_IsNA(found[k]);
      return vector_from_r(found);
    };
  }
  return out;
}

namespace {

// R's own: the one that loads the package.
const std::thread::id r_thread = std::this_thread::get_id();
constexpr std::chrono::milliseconds kAskEvery{50};

void check_interrupt(void*) { R_CheckUserInterrupt(); }

}  // namespace

bool core_is_at_work() { return at_work > 0; }

bool interrupted() {
  static std::chrono::steady_clock::time_point asked;
  if (noted || std::this_thread::get_id() != r_thread) return noted;
  const auto now = std::chrono::steady_clock::now();
  if (now - asked < kAskEvery) return false;
  asked = now;
  if (R_ToplevelExec(check_interrupt, nullptr) == FALSE) noted = true;
  return noted;
}
bool take_interrupt() {
  return noted.exchange(false);
}

void give_way_to_interrupt() {
  const Rcpp::Function interrupt = Rcpp::Environment::namespace_env("rlang")["interrupt"];
  interrupt();
  Rcpp::stop("The interrupt was held back.");
}

Eigen::VectorXd vector_from_r(const Rcpp::NumericVector& x) {
  return Eigen::Map<const Eigen::VectorXd>(x.begin(), x.size());
}

Rcpp::NumericVector vector_to_r(const Eigen::VectorXd& x) {
  return Rcpp::NumericVector(x.data(), x.data() + x.size());
}

Eigen::MatrixXd matrix_from_r(const Rcpp::NumericMatrix& x) {
  return Eigen::Map<const Eigen::MatrixXd>(x.begin(), x.nrow(), x.ncol());
}

Rcpp::NumericMatrix matrix_to_r(const Eigen::MatrixXd& x) {
  return Rcpp::NumericMatrix(static_cast<int>(x.rows()), static_cast<int>(x.cols()), x.data());
}

void note_interrupt() { noted = true; }

}  // namespace tundrel

// Several problems are made in one work, whose interrupts are kept for all of them.
// [[Rcpp::export(rng = false)]]
void core_begin_work() { tundrel::begin_work(); }

// [[Rcpp::export(rng = false)]]
void core_end_work() { tundrel::end_work(); }

// Notes an interrupt, for the walk that is under way.
// [[Rcpp::export(rng = false)]]
void core_note_interrupt() { tundrel::note_interrupt(); }

// FALSE if there is no such walk: then an interrupt takes its course.
// [[Rcpp::export(rng = false)]]
bool core_at_work() { return tundrel::core_is_at_work(); }

// TRUE if one was noted since it was last asked.
// [[Rcpp::export(rng = false)]]
bool core_take_interrupt() { return tundrel::take_interrupt(); }

// TRUE if the machine has refused to start a thread since it was last asked.
// [[Rcpp::export(rng = false)]]
bool core_take_refused_threads() { return tundrel::take_refused_threads(); }
