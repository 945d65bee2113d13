// The loop around every solver: budget, trace, interrupts, and the verified end.
#pragma once
#include <chrono>
#include <cstdint>
#include <limits>
#include <optional>
#include <vector>

#include "../problem/halted.h"
#include "population.h"
#include "../verification/verification.h"

namespace tundrel {

struct Budget {
  double evaluations = std::numeric_limits<double>::infinity();
  double iterations = std::numeric_limits<double>::infinity();
  double seconds = std::numeric_limits<double>::infinity();
  double target = -std::numeric_limits<double>::infinity();  // a value that is low enough
  bool verified = true;  // the answer is looked at afresh; where FALSE the solver's word is taken for it
  // When to pause, for the caller to look, store or go on; pausing changes nothing in the walk.
  double pause_iterations = std::numeric_limits<double>::infinity();
  double pause_seconds = std::numeric_limits<double>::infinity();
};

// What a walk has used so far. With the solver's state, all there is to store.
struct Progress {
  std::int64_t iterations = 0, evaluations = 0, refused = 0;
  double seconds = 0;
  bool refined = false;
  int saddles_left = 0;  // how often the walk ended on a saddle or a maximum, and went on from a lower point
  StopReason reason = StopReason::none;

  void visit(StateVisitor& visitor);
};

struct TraceRow {
  std::int64_t iteration, evaluations;
  double value, gradient_norm, step_norm, infeasibility;
  double seconds;           // since the walk began, pauses not counted
  const char* action;
  Eigen::VectorXd x;
  Eigen::MatrixXd members, spread;  // empty unless kept
};

struct RunResult {
  Eigen::VectorXd x;
  double value = 0;
  bool converged = false;
  StopReason reason = StopReason::none;
  StopReason claim = StopReason::none;  // what the solver said, before it was verified
  double advised_rate = 0;
  Progress progress;
  std::vector<TraceRow> trace;
  Verification verification;
};

// What is kept of the way: nothing, a row an iteration, or with it the points that a solver holds at once.
enum class Keep { nothing, trace, members };

// A walk that can be paused and, with what was stored of solver and progress, gone on with bit for bit.
class Walk {
 public:
  Walk(Problem& problem, Solver& solver, Keep keep = Keep::trace);

  // What evaluations may cost from now on; a walk that begins may cost as much.
  void allow(const Budget& budget);
  // Throws Halted where the user stops it, or its budget ends, before it has begun. `spent` evaluations were made before.
  void begin(const Eigen::VectorXd& start, std::int64_t spent = 0);
  void go_on(const Progress& progress, std::int64_t spent = 0);
  // Iterates until the walk ends, its budget does, or it is time to pause.
  void advance(const Budget& budget);
  // A round of a solver whose values come from outside.
  void record_values(PopulationSolver& solver, const Eigen::VectorXd& values);
  // The answer; verified where the walk has ended.
  RunResult result();

 private:
  bool iterate();
  // Where the solver claims an optimum: verifies it, and goes on from a lower point if it is a saddle or a maximum.
  void check_claim();
  bool may_rest_on_creases() const;
  void take_over(const Progress& progress);
  // Evaluations that no iteration made: counted where each is a call of the user's function.
  void settle_count();
  void halted(Halt why);
  RunResult best_of(RunResult result) const;
  void record(const char* action = nullptr);
  void count();
  // Seconds used; none where nobody wants to know.
  double elapsed() const;
  std::chrono::steady_clock::time_point now() const;

  Problem& problem_;
  Solver& solver_;
  Keep keep_;
  bool go_on_ = true;
  bool looks_ = true;  // at answers, to verify them
  bool timed_ = true;  // somebody wants to know how long it took: in many small fits, asking a clock would cost more than the sums
  Progress progress_;
  std::chrono::steady_clock::time_point began_;  // of the present stretch
  double before_ = 0;                            // seconds used in earlier ones
  std::vector<TraceRow> trace_;
  std::optional<Verification> verified_;  // the claim of the solver as it stands
};

// What is left to say of a walk that ended before it had begun.
RunResult not_begun(const Problem& problem, const Eigen::VectorXd& start, Halt why);

// From start to end in one go.
RunResult run(Problem& problem, Solver& solver, const Eigen::VectorXd& start, const Budget& budget, Keep keep = Keep::trace);

}  // namespace tundrel
