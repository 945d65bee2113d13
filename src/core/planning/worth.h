// What readings would be worth for an aim, as a concave function of how many are taken of each candidate (Pukelsheim 2006, Optimal Design of
// Experiments).
#pragma once
#include <Eigen/Core>
#include <vector>

namespace tundrel {

// What a reading at each candidate would tell: derivatives of what is read, in units of its noise. One candidate may give several rows.
struct Candidates {
  Eigen::MatrixXd rows;
  std::vector<Eigen::Index> begin;  // of each candidate its first row, and one past the last
  Eigen::Index count() const { return static_cast<Eigen::Index>(begin.size()) - 1; }
  auto of(Eigen::Index k) const { return rows.middleRows(begin[static_cast<std::size_t>(k)], begin[static_cast<std::size_t>(k) + 1] - begin[static_cast<std::size_t>(k)]); }
  // Those of some places, in that order.
  Candidates some(const std::vector<Eigen::Index>& places) const;
};

// One quantity that readings improve, for one set of values of the parameters.
//   volume       minus the logarithm of the determinant of the covariance of what is `wanted`, for each of these
//   error        minus the logarithm of the sum of their variances
//   discrepancy  the logarithm of the squares that a rival leaves where the model is right: the last column of the rows is the model less the rival,
//                in units of noise, and the others are the rival's derivatives
struct Aim {
  enum class Kind { volume, error, discrepancy };
  Kind kind = Kind::volume;
  Candidates candidates;
  Eigen::MatrixXd known;   // information from before, of as many columns as rows have
  Eigen::MatrixXd wanted;  // slopes in the parameters, a column for each quantity
  double share = 1;        // of what its group is worth
  int group = 0;
};

// Where an aim stands once some readings are taken.
struct Standing {
  double value;
  Eigen::VectorXd slope;   // by one reading more of each candidate
  Eigen::MatrixXd bend;    // second derivatives, where asked for
};

// Information from what was known before and so many readings of each candidate.
Eigen::MatrixXd information(const Aim& aim, const Eigen::VectorXd& amounts);
// The value alone; minus infinity where the readings do not reach the aim.
double worth(const Aim& aim, const Eigen::MatrixXd& information);
Standing standing(const Aim& aim, const Eigen::VectorXd& amounts, bool with_bend);

// Aims of one group add up by their shares; what is made as large as can be is the least of the groups.
struct Aims {
  std::vector<Aim> each;
  int groups() const;
  Eigen::Index candidates() const { return each.front().candidates.count(); }
  double least(const Eigen::VectorXd& amounts) const;
  Aims some(const std::vector<Eigen::Index>& places) const;
};

}  // namespace tundrel
