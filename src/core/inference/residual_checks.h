// Statistics of standardised residuals, and how often chance gives one as far out.
#pragma once
#include <Eigen/Core>
#include <vector>

namespace tundrel {

// What is asked of the residuals of n rows. Places count from 0.
struct CheckPlan {
  struct Pattern {
    std::vector<int> order;  // rows along a predictor
    std::vector<char> last;  // whether a sum may be read off behind this one of them
  };
  std::vector<int> order;        // rows as they are each other's neighbours
  std::vector<double> level;     // with which the size of residuals may go; none where that is not asked
  std::vector<double> scores;    // normal scores of n rows
  std::vector<int> replicates;   // which setting each row has, none where there are too few replicates
  double freedom = 0;            // of the fit
  std::vector<Pattern> patterns;
};

// The largest residual of a set: as it stands, or in units of the bulk of them, of which so many are zero by the fit.
enum class Furthest { none, plain, robust };

// Of each test the statistic, and the shares of simulated sets with one at most and at least as large; not numbers where it was not asked
// or residuals do not vary. Tests are those of sign_runs, lag_correlation, size_correlation, normal_scores, replicate_ratio, then the patterns.
struct CheckOutcome {
  std::vector<double> statistic, low, high;
  double expected_runs = 0;
  std::vector<double> outlying;  // of each row the share of sets that come as far out
};

constexpr int kTestsBeforePatterns = 5;

// Residuals of one set in a row of `z`; `sets` has a set in each row.
CheckOutcome check_residuals(const Eigen::RowVectorXd& z, const Eigen::MatrixXd& sets, const CheckPlan& plan, Furthest furthest, int zeros);

// The part of each set (a row) that is upright on the plane spanned by the columns of `basis`, which are of length one and upright on each other,
// each row of the plane's making up for what that takes away.
Eigen::MatrixXd upright_on(const Eigen::MatrixXd& sets, const Eigen::MatrixXd& basis);

}  // namespace tundrel
