#include "arrow_columns.h"

#include <cmath>

namespace tundrel {

ArrowColumns::ArrowColumns(const Problem& problem, const Grouping& grouping, const std::vector<Linearisation>& at, const Eigen::VectorXd& x)
    : norms(Eigen::VectorXd::Zero(x.size())), slope(Eigen::VectorXd::Zero(x.size())), held(static_cast<std::size_t>(x.size()), 0) {
  Eigen::VectorXd of_group, lengths;
  for (int k = 0; k < grouping.count(); ++k) {
    const Linearisation& one = at[static_cast<std::size_t>(k)];
    one.slope(of_group);
    one.column_norms(lengths);
    value += one.value;
    for (Eigen::Index i = 0; i < of_group.size(); ++i) {
      const int place = grouping.place(i, k);
      slope[place] += 2 * of_group[i];
      norms[place] = std::hypot(norms[place], lengths[i]);
    }
  }
  for (int i = 0; i < x.size(); ++i) held[static_cast<std::size_t>(i)] = problem.bounds().holds(i, x[i], slope[i]);
}

}  // namespace tundrel
