#include "assay/stats/strata.hpp"

#include <algorithm>
#include <boost/math/distributions/fisher_f.hpp>
#include <map>
#include <string>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/random.hpp"
#include "assay/stats/rank_sum.hpp"

namespace assay::stats {
namespace {

void require_strata(std::span<const double> values, std::span<const int> strata) {
  require_finite(values);
  if (strata.size() != values.size())
    throw DomainError("as many strata as values are needed", {}, static_cast<double>(strata.size()));
  for (std::size_t i = 0; i < strata.size(); ++i)
    if (strata[i] < 0) throw DomainError("strata are numbered from 0", i, strata[i]);
}

std::map<int, std::vector<double>> by_stratum(std::span<const double> values, std::span<const int> strata) {
  std::map<int, std::vector<double>> groups;
  for (std::size_t i = 0; i < values.size(); ++i) groups[strata[i]].push_back(values[i]);
  return groups;
}

}  // namespace

std::vector<double> excess_levels(std::span<const double> middles, std::span<const int> strata, int main) {
  require_strata(middles, strata);
  std::map<int, double> level;
  for (auto& [stratum, values] : by_stratum(middles, strata)) {
    auto sorted = values;
    const auto place = static_cast<std::ptrdiff_t>((values.size() + 7) / 8 - 1);
    std::ranges::nth_element(sorted, sorted.begin() + place);
    level[stratum] = sorted[static_cast<std::size_t>(place)];
  }
  const double base = level[main];
  std::vector<double> excess;
  excess.reserve(strata.size());
  for (const int stratum : strata) excess.push_back(level[stratum] - base);
  return excess;
}

TestResult kruskal_wallis(std::span<const double> values, std::span<const int> strata, std::size_t draws,
                          std::uint64_t seed) {
  require_strata(values, strata);
  const auto ranks = doubled_ranks(values);
  std::vector<int> of(strata.begin(), strata.end());
  const auto strata_end = static_cast<std::size_t>(std::ranges::max(of)) + 1;
  std::vector<double> count(strata_end, 0), sum(strata_end);
  for (const int stratum : of) ++count[static_cast<std::size_t>(stratum)];
  const auto sum_of_squares = [&] {
    std::ranges::fill(sum, 0);
    for (std::size_t i = 0; i < ranks.size(); ++i)
      sum[static_cast<std::size_t>(of[i])] += 0.5 * static_cast<double>(ranks[i]);
    double total = 0;
    for (std::size_t j = 0; j < strata_end; ++j)
      if (count[j] > 0) total += sum[j] * sum[j] / count[j];
    return total;
  };
  const auto n = static_cast<double>(values.size());
  double squares = 0;  // of ranks less their mean: 12 of these over n(n + 1) is n − 1 without ties
  for (const auto rank : ranks) {
    const double off = 0.5 * static_cast<double>(rank) - 0.5 * (n + 1);
    squares += off * off;
  }
  const double seen = sum_of_squares();
  if (squares == 0 || std::ranges::count_if(count, [](double c) { return c > 0; }) < 2)
    return {.statistic = 0, .p = 1};
  const double statistic = (n - 1) * (seen - n * (n + 1) * (n + 1) / 4) / squares;
  constexpr double rounding = 1e-12;  // of sums that are equal but for the order of adding
  Random random(seed);
  std::size_t as_large = 1;
  for (std::size_t draw = 0; draw < draws; ++draw) {
    random.shuffle(std::span(of));
    as_large += sum_of_squares() >= seen * (1 - rounding) ? 1U : 0U;
  }
  return {.statistic = statistic,
          .p = static_cast<double>(as_large) / static_cast<double>(draws + 1),
          .exact = false};
}

TestResult welch_anova(std::span<const double> values, std::span<const int> strata) {
  require_strata(values, strata);
  const auto groups = by_stratum(values, strata);
  if (groups.size() < 2)
    throw DomainError("at least two strata are needed", {}, static_cast<double>(groups.size()));
  std::vector<double> means, weights, counts;
  bool varies = false, one_does_not = false;
  for (const auto& [stratum, of] : groups) {
    require_finite(of, 2);
    const double spread = variance(of), count = static_cast<double>(of.size());
    (spread > 0 ? varies : one_does_not) = true;
    means.push_back(mean(of));
    counts.push_back(count);
    weights.push_back(spread > 0 ? count / spread : 0);
  }
  if (one_does_not) {
    const bool differ = std::ranges::any_of(means, [&](double m) { return m != means.front(); });
    return {.statistic = 0, .p = !varies && differ ? 0.0 : 1.0};
  }
  const auto k = static_cast<double>(groups.size());
  double total = 0, weighted = 0;
  for (std::size_t j = 0; j < means.size(); ++j) {
    total += weights[j];
    weighted += weights[j] * means[j];
  }
  double between = 0, uncertain = 0;
  for (std::size_t j = 0; j < means.size(); ++j) {
    const double off = means[j] - weighted / total, rest = 1 - weights[j] / total;
    between += weights[j] * off * off;
    uncertain += rest * rest / (counts[j] - 1);
  }
  uncertain /= k * k - 1;
  const double f = between / ((k - 1) * (1 + 2 * (k - 2) * uncertain));
  const boost::math::fisher_f null(k - 1, 1 / (3 * uncertain));
  return {.statistic = f, .p = cdf(complement(null, f)), .exact = false};
}

}  // namespace assay::stats
