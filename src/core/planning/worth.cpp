#include "worth.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "../decompositions.h"

namespace tundrel {

Candidates Candidates::some(const std::vector<Eigen::Index>& places) const {
  Candidates out;
  out.begin.push_back(0);
  for (const Eigen::Index k : places) out.begin.push_back(out.begin.back() + of(k).rows());
  out.rows.resize(out.begin.back(), rows.cols());
  for (std::size_t k = 0; k < places.size(); ++k) out.rows.middleRows(out.begin[k], out.begin[k + 1] - out.begin[k]) = of(places[k]);
  return out;
}

Eigen::MatrixXd information(const Aim& aim, const Eigen::VectorXd& amounts) {
  Eigen::MatrixXd out = aim.known;
  for (Eigen::Index k = 0; k < amounts.size(); ++k)
    if (amounts[k] != 0) out.noalias() += amounts[k] * aim.candidates.of(k).transpose() * aim.candidates.of(k);
  return out;
}

namespace {

constexpr double kNone = -std::numeric_limits<double>::infinity();

// Of a discrepancy, the rival's parameters that come nearest to the model, and the squares that are left.
struct Nearest {
  Eigen::VectorXd parameters;
  double squares;
};

Nearest nearest(const Eigen::MatrixXd& information, const Cholesky& rival) {
  const Eigen::Index p = information.cols() - 1;
  const Eigen::VectorXd along = information.col(p).head(p);
  const Eigen::VectorXd found = rival.solve(along);
  return {found, information(p, p) - along.dot(found)};
}

// The part of the information that has to be inverted.
Eigen::MatrixXd inverted_part(const Aim& aim, const Eigen::MatrixXd& information) {
  const Eigen::Index p = information.cols() - (aim.kind == Aim::Kind::discrepancy ? 1 : 0);
  return information.topLeftCorner(p, p);
}

}  // namespace

double worth(const Aim& aim, const Eigen::MatrixXd& information) {
  const Eigen::MatrixXd inverted = inverted_part(aim, information);
  const Cholesky root(inverted);
  if (!root.definite()) return kNone;
  switch (aim.kind) {
    case Aim::Kind::volume: {
      const Eigen::VectorXd diagonal = Cholesky(aim.wanted.transpose() * root.solve(aim.wanted)).diagonal();
      return -2 * diagonal.array().log().mean();
    }
    case Aim::Kind::error:
      return -std::log((aim.wanted.array() * root.solve(aim.wanted).array()).sum());
    default: {
      const double squares = nearest(information, root).squares;
      return squares > 0 ? std::log(squares) : kNone;
    }
  }
}

Standing standing(const Aim& aim, const Eigen::VectorXd& amounts, bool with_bend) {
  const Eigen::Index n = aim.candidates.count();
  const Eigen::MatrixXd all = information(aim, amounts);
  Standing out{worth(aim, all), Eigen::VectorXd::Zero(n), Eigen::MatrixXd()};
  if (!std::isfinite(out.value)) return out;
  const Eigen::MatrixXd inverted = inverted_part(aim, all);
  const Eigen::Index p = inverted.cols();
  const Cholesky root(inverted);
  const Eigen::MatrixXd& rows = aim.candidates.rows;
  const Eigen::MatrixXd spread = root.solve(rows.leftCols(p).transpose());  // of each row, a column
  // of each row, what the aim sees of it; the slope is the sum of its squares over `total`
  Eigen::MatrixXd seen;
  double total;
  switch (aim.kind) {
    case Aim::Kind::volume: {
      const Eigen::MatrixXd covariance = aim.wanted.transpose() * root.solve(aim.wanted);
      seen = lower_solution(Cholesky(covariance).factor().transpose(), (spread.transpose() * aim.wanted).transpose()).transpose();
      total = static_cast<double>(aim.wanted.cols());
      break;
    }
    case Aim::Kind::error:
      seen = spread.transpose() * aim.wanted;
      total = std::exp(-out.value);
      break;
    default:
      seen = rows.col(p) - rows.leftCols(p) * nearest(all, root).parameters;
      total = std::exp(out.value);
  }
  const auto first = [&](Eigen::Index k) { return aim.candidates.begin[static_cast<std::size_t>(k)]; };
  for (Eigen::Index k = 0; k < n; ++k) out.slope[k] = seen.middleRows(first(k), first(k + 1) - first(k)).squaredNorm() / total;
  if (!with_bend) return out;
  const Eigen::MatrixXd between = rows.leftCols(p) * spread, alike = seen * seen.transpose();
  Eigen::MatrixXd bend = alike.array() * between.array() * (-2 / total);
  if (aim.kind == Aim::Kind::volume) bend.array() += alike.array().square() / total;
  if (bend.rows() > n) {  // add up the rows of each candidate
    Eigen::MatrixXd less(n, n);
    for (Eigen::Index j = 0; j < n; ++j)
      for (Eigen::Index k = 0; k < n; ++k) less(j, k) = bend.block(first(j), first(k), first(j + 1) - first(j), first(k + 1) - first(k)).sum();
    bend = less;
  }
  if (aim.kind == Aim::Kind::error) bend += out.slope * out.slope.transpose();
  if (aim.kind == Aim::Kind::discrepancy) bend -= out.slope * out.slope.transpose();
  out.bend = bend;
  return out;
}

int Aims::groups() const {
  int most = 0;
  for (const Aim& aim : each) most = std::max(most, aim.group + 1);
  return most;
}

double Aims::least(const Eigen::VectorXd& amounts) const {
  Eigen::VectorXd sums = Eigen::VectorXd::Zero(groups());
  for (const Aim& aim : each) sums[aim.group] += aim.share * worth(aim, information(aim, amounts));
  return sums.minCoeff();
}

Aims Aims::some(const std::vector<Eigen::Index>& places) const {
  Aims out = *this;
  for (Aim& aim : out.each) aim.candidates = aim.candidates.some(places);
  return out;
}

}  // namespace tundrel
