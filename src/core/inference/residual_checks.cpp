#include "residual_checks.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>
#include <numeric>

#include "../expression/lanes.h"
#include "../numbers.h"

namespace tundrel {
namespace {

// So many sets are looked at together, one a lane: those of a few dozen rows stay near the processor.
constexpr int kSets = 64;

// Beyond this many rows sorting set by set is faster than comparing each with each.
constexpr int kFewRows = 48;


// Some sets, row by row of the measurements.
struct Block {
  int n;
  std::vector<double> data;
  explicit Block(int rows) : n(rows), data(static_cast<std::size_t>(rows) * kSets) {}
  double* row(int i) { return data.data() + static_cast<std::size_t>(i) * kSets; }
  const double* row(int i) const { return data.data() + static_cast<std::size_t>(i) * kSets; }
};

void zero(double* out) { std::fill(out, out + kSets, 0.0); }

// Without branches, which processors would guess wrongly; `least` is the smallest size of each set: a zero has a sign of its own.
TUNDREL_LANES void sign_changes(const Block& z, const std::vector<int>& order, double* __restrict out, double* __restrict least) {
  const double* __restrict begin = z.row(order[0]);
  for (int s = 0; s < kSets; ++s) {
    out[s] = 1;
    least[s] = std::fabs(begin[s]);
  }
  for (int i = 1; i < z.n; ++i) {
    const double* __restrict a = z.row(order[i]);
    const double* __restrict b = z.row(order[i - 1]);
    for (int s = 0; s < kSets; ++s) {
      const double size = std::fabs(a[s]);
      least[s] = size < least[s] ? size : least[s];
      out[s] += 0.5 - 0.5 * std::copysign(1.0, a[s]) * std::copysign(1.0, b[s]);
    }
  }
}

int sign(double x) { return (x > 0) - (x < 0); }

// Runs of one sign (Wald and Wolfowitz, 1940, Annals of Mathematical Statistics 11, 147-162).
void sign_runs(const Block& z, const std::vector<int>& order, int sets, double* out) {
  double least[kSets];
  sign_changes(z, order, out, least);
  for (int s = 0; s < sets; ++s) {
    if (least[s] > 0) continue;
    out[s] = 1;
    for (int i = 1; i < z.n; ++i) out[s] += sign(z.row(order[i])[s]) != sign(z.row(order[i - 1])[s]);
  }
}

TUNDREL_LANES void add_rows(const Block& z, double* __restrict sum) {
  zero(sum);
  for (int i = 0; i < z.n; ++i) {
    const double* __restrict a = z.row(i);
    for (int s = 0; s < kSets; ++s) sum[s] += a[s];
  }
}

TUNDREL_LANES void add_squares(const Block& z, const double* __restrict middle, double* __restrict sum) {
  zero(sum);
  for (int i = 0; i < z.n; ++i) {
    const double* __restrict a = z.row(i);
    for (int s = 0; s < kSets; ++s) sum[s] += (a[s] - middle[s]) * (a[s] - middle[s]);
  }
}

// Correlation of neighbours.
TUNDREL_LANES void lag_correlation(const Block& z, const std::vector<int>& order, double* __restrict out) {
  double middle[kSets], squares[kSets];
  add_rows(z, middle);
  for (int s = 0; s < kSets; ++s) middle[s] /= z.n;
  add_squares(z, middle, squares);
  zero(out);
  for (int i = 1; i < z.n; ++i) {
    const double* __restrict a = z.row(order[i]);
    const double* __restrict b = z.row(order[i - 1]);
    for (int s = 0; s < kSets; ++s) out[s] += (a[s] - middle[s]) * (b[s] - middle[s]);
  }
  for (int s = 0; s < kSets; ++s) out[s] /= squares[s];
}

// Ranks from 1, the same for ties, less their mean.
std::vector<double> centred_ranks(const std::vector<double>& values) {
  const int n = static_cast<int>(values.size());
  std::vector<int> order(n);
  std::iota(order.begin(), order.end(), 0);
  std::sort(order.begin(), order.end(), [&](int a, int b) { return values[a] < values[b]; });
  std::vector<double> ranks(n);
  for (int i = 0; i < n;) {
    int j = i;
    while (j < n && values[order[j]] == values[order[i]]) ++j;
    for (int k = i; k < j; ++k) ranks[order[k]] = 0.5 * (i + j + 1) - 0.5 * (n + 1);
    i = j;
  }
  return ranks;
}

double sum_of_squares(const std::vector<double>& x) { return std::inner_product(x.begin(), x.end(), x.begin(), 0.0); }

// Sums over the rows of rank times `weight`, from all pairs, where no two sizes of a set are the same. Without branches, which processors would guess
// wrongly.
TUNDREL_LANES void ranks_by_pairs(const Block& sizes, const std::vector<double>& weight, double* __restrict out) {
  double base = 0;
  for (int i = 1; i < sizes.n; ++i)
    for (int j = 0; j < i; ++j) base += 0.5 * (weight[i] + weight[j]);
  std::fill(out, out + kSets, base);
  for (int i = 1; i < sizes.n; ++i) {
    const double* __restrict a = sizes.row(i);
    for (int j = 0; j < i; ++j) {
      const double* __restrict b = sizes.row(j);
      const double half = 0.5 * (weight[i] - weight[j]);
      for (int s = 0; s < kSets; ++s) out[s] += std::copysign(1.0, a[s] - b[s]) * half;
    }
  }
}

double rank_correlation(const Block& sizes, int set, const std::vector<double>& level, double level_squares) {
  std::vector<double> mine(sizes.n);
  for (int i = 0; i < sizes.n; ++i) mine[i] = sizes.row(i)[set];
  const std::vector<double> ranks = centred_ranks(mine);
  return std::inner_product(ranks.begin(), ranks.end(), level.begin(), 0.0) / std::sqrt(sum_of_squares(ranks) * level_squares);
}

// Rank correlation of the size of residuals with a level, given by its centred ranks. Sizes that are the same by chance are so in sets without noise
// of their own: in readings, and where a fit leaves nothing of several rows.
void size_correlation(const Block& sizes, const std::vector<double>& level, int sets, double* out) {
  const double squares = sum_of_squares(level), n = sizes.n;
  const bool pairs = sizes.n <= kFewRows && sets > 1;
  if (pairs) ranks_by_pairs(sizes, level, out);
  const double scale = std::sqrt((n * n * n - n) / 12 * squares);
  for (int s = 0; s < sets; ++s) {
    int zeros = 0;
    for (int i = 0; pairs && i < sizes.n; ++i) zeros += sizes.row(i)[s] == 0;
    out[s] = pairs && zeros < 2 ? out[s] / scale : rank_correlation(sizes, s, level, squares);
  }
}

TUNDREL_LANES void put_in_order(double* __restrict a, double* __restrict b) {
  for (int s = 0; s < kSets; ++s) {
    const double low = a[s] < b[s] ? a[s] : b[s], high = a[s] < b[s] ? b[s] : a[s];
    a[s] = low;
    b[s] = high;
  }
}

// Rows of every set in ascending order: Batcher's odd-even merge sort, whose comparisons do not depend on the numbers; of many rows, set by set.
void sort_rows(Block& z, int sets) {
  const int n = z.n;
  if (n > kFewRows) {
    std::vector<double> mine(n);
    for (int s = 0; s < sets; ++s) {
      for (int i = 0; i < n; ++i) mine[i] = z.row(i)[s];
      std::sort(mine.begin(), mine.end());
      for (int i = 0; i < n; ++i) z.row(i)[s] = mine[i];
    }
    return;
  }
  for (int p = 1; p < n; p *= 2)
    for (int k = p; k >= 1; k /= 2)
      for (int j = k % p; j + k < n; j += 2 * k)
        for (int i = 0; i < std::min(k, n - j - k); ++i)
          if ((i + j) / (2 * p) == (i + j + k) / (2 * p)) put_in_order(z.row(i + j), z.row(i + j + k));
}

// Correlation of the sorted residuals with normal scores (Filliben, 1975, Technometrics 17, 111-117).
TUNDREL_LANES void scores_correlation(const Block& sorted, const std::vector<double>& scores, double* __restrict out) {
  double middle[kSets], squares[kSets];
  add_rows(sorted, middle);
  for (int s = 0; s < kSets; ++s) middle[s] /= sorted.n;
  add_squares(sorted, middle, squares);
  const double of_scores = sum_of_squares(scores);
  zero(out);
  for (int i = 0; i < sorted.n; ++i) {
    const double* __restrict a = sorted.row(i);
    const double score = scores[i];
    for (int s = 0; s < kSets; ++s) out[s] += (a[s] - middle[s]) * score;
  }
  for (int s = 0; s < kSets; ++s) out[s] /= std::sqrt(squares[s] * of_scores);
}

// Mean square between settings of replicates over that within them.
TUNDREL_LANES void replicate_ratio(const Block& z, const std::vector<int>& setting, double freedom, double* __restrict out) {
  const int settings = 1 + *std::max_element(setting.begin(), setting.end());
  Block means(settings);
  std::vector<double> count(settings, 0.0);
  for (int i = 0; i < z.n; ++i) {
    const double* __restrict a = z.row(i);
    double* __restrict mean = means.row(setting[i]);
    count[setting[i]] += 1;
    for (int s = 0; s < kSets; ++s) mean[s] += a[s];
  }
  double between[kSets], within[kSets];
  zero(between);
  zero(within);
  for (int k = 0; k < settings; ++k) {
    double* __restrict mean = means.row(k);
    const double of = count[k];
    for (int s = 0; s < kSets; ++s) {
      mean[s] /= of;
      between[s] += mean[s] * mean[s] * of;
    }
  }
  for (int i = 0; i < z.n; ++i) {
    const double* __restrict a = z.row(i);
    const double* __restrict mean = means.row(setting[i]);
    for (int s = 0; s < kSets; ++s) within[s] += (a[s] - mean[s]) * (a[s] - mean[s]);
  }
  const double between_freedom = settings - (z.n - freedom), within_freedom = z.n - settings;
  for (int s = 0; s < kSets; ++s) out[s] = (between[s] / between_freedom) / (within[s] / within_freedom);
}

// The largest sum of residuals from one end: a curve that lies above the readings over a stretch makes it large (Su and Wei, 1991, Journal of
// the American Statistical Association 86, 420-426).
TUNDREL_LANES void largest_sum(const Block& z, const CheckPlan::Pattern& along, double* __restrict out) {
  double sum[kSets], squares[kSets], nothing[kSets];
  zero(sum);
  zero(nothing);
  zero(out);
  add_squares(z, nothing, squares);
  for (int i = 0; i < z.n; ++i) {
    const double* __restrict a = z.row(along.order[i]);
    for (int s = 0; s < kSets; ++s) sum[s] += a[s];
    if (!along.last[i]) continue;
    for (int s = 0; s < kSets; ++s) {
      const double size = sum[s] < 0 ? -sum[s] : sum[s];
      out[s] = size > out[s] ? size : out[s];
    }
  }
  for (int s = 0; s < kSets; ++s) out[s] /= std::sqrt(squares[s]);
}

Block sizes_of(const Block& z) {
  Block out(z.n);
  for (std::size_t i = 0; i < z.data.size(); ++i) out.data[i] = std::fabs(z.data[i]);
  return out;
}

// The middle one of the sizes of a set that the fit does not make zero.
double bulk(const Eigen::RowVectorXd& set, int zeros) {
  std::vector<double> sizes(set.size());
  for (int i = 0; i < set.size(); ++i) sizes[i] = std::fabs(set[i]);
  std::sort(sizes.begin(), sizes.end());
  const int n = static_cast<int>(sizes.size()), begin = std::min(std::max(0, zeros), n - 1), left = n - begin;
  const double* kept = sizes.data() + begin;
  const double middle = left % 2 ? kept[left / 2] : 0.5 * (kept[left / 2 - 1] + kept[left / 2]);
  return std::max(middle, std::numeric_limits<double>::min());
}

double furthest_of(const Eigen::RowVectorXd& set, Furthest how, int zeros) {
  return set.cwiseAbs().maxCoeff() / (how == Furthest::robust ? bulk(set, zeros) : 1.0);
}

// Statistics of up to kSets sets, a column of `out` a test.
void statistics_of(const Block& z, int sets, const CheckPlan& plan, const std::vector<double>& level, Eigen::MatrixXd& out, std::int64_t first) {
  double found[kSets];
  const auto put = [&](int test) { std::copy(found, found + sets, &out(first, test)); };
  sign_runs(z, plan.order, sets, found);
  put(0);
  lag_correlation(z, plan.order, found);
  put(1);
  if (!level.empty()) {
    size_correlation(sizes_of(z), level, sets, found);
    put(2);
  }
  Block sorted = z;
  sort_rows(sorted, sets);
  scores_correlation(sorted, plan.scores, found);
  put(3);
  if (!plan.replicates.empty()) {
    replicate_ratio(z, plan.replicates, plan.freedom, found);
    put(4);
  }
  for (std::size_t k = 0; k < plan.patterns.size(); ++k) {
    largest_sum(z, plan.patterns[k], found);
    put(kTestsBeforePatterns + static_cast<int>(k));
  }
}

// A row for each set, a column for each test.
Eigen::MatrixXd all_statistics(const Eigen::MatrixXd& sets, const CheckPlan& plan, const std::vector<double>& level) {
  const std::int64_t count = sets.rows();
  const int n = static_cast<int>(sets.cols());
  Eigen::MatrixXd out = Eigen::MatrixXd::Constant(count, kTestsBeforePatterns + static_cast<std::int64_t>(plan.patterns.size()), kNaN);
  Block z(n);
  for (std::int64_t first = 0; first < count; first += kSets) {
    const int some = static_cast<int>(std::min<std::int64_t>(kSets, count - first));
    for (int i = 0; i < n; ++i) {
      std::copy(&sets(first, i), &sets(first, i) + some, z.row(i));
      // the lanes that are left over repeat a set
      std::fill(z.row(i) + some, z.row(i) + kSets, sets(first, i));
    }
    statistics_of(z, some, plan, level, out, first);
  }
  return out;
}

}  // namespace

Eigen::MatrixXd upright_on(const Eigen::MatrixXd& sets, const Eigen::MatrixXd& basis) {
  Eigen::MatrixXd out = sets;
  if (basis.cols() > 0) out.noalias() -= (sets * basis) * basis.transpose();
  for (int i = 0; i < out.cols(); ++i) out.col(i) /= std::sqrt(std::max(1 - basis.row(i).squaredNorm(), 1e-8));
  return out;
}

CheckOutcome check_residuals(const Eigen::RowVectorXd& z, const Eigen::MatrixXd& sets, const CheckPlan& plan, Furthest furthest, int zeros) {
  const std::vector<double> level = plan.level.empty() ? std::vector<double>() : centred_ranks(plan.level);
  const Eigen::MatrixXd observed = all_statistics(z, plan, level), by_chance = all_statistics(sets, plan, level);
  CheckOutcome out;
  out.expected_runs = by_chance.col(0).mean();
  for (int test = 0; test < observed.cols(); ++test) {
    const double at = observed(0, test);
    std::int64_t finite = 0, below = 0, above = 0;
    for (std::int64_t s = 0; s < by_chance.rows(); ++s) {
      const double one = by_chance(s, test);
      if (!std::isfinite(one)) continue;
      ++finite;
      below += one <= at;
      above += one >= at;
    }
    const bool known = std::isfinite(at) && finite > 0;
    out.statistic.push_back(at);
    out.low.push_back(known ? (1.0 + below) / (1.0 + finite) : kNaN);
    out.high.push_back(known ? (1.0 + above) / (1.0 + finite) : kNaN);
  }
  if (furthest == Furthest::none) return out;
  std::vector<double> far(sets.rows());
  for (std::int64_t s = 0; s < sets.rows(); ++s) far[s] = furthest_of(sets.row(s), furthest, zeros);
  std::sort(far.begin(), far.end());
  const double unit = furthest == Furthest::robust ? bulk(z, zeros) : 1.0;
  for (int i = 0; i < z.size(); ++i) {
    const auto beyond = far.end() - std::lower_bound(far.begin(), far.end(), std::fabs(z[i]) / unit);
    out.outlying.push_back((1.0 + beyond) / (1.0 + far.size()));
  }
  return out;
}

}  // namespace tundrel
