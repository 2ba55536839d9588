#include "assay/stats/segments.hpp"

#include <algorithm>
#include <boost/math/distributions/chi_squared.hpp>
#include <boost/math/distributions/normal.hpp>
#include <cmath>
#include <iterator>
#include <limits>
#include <map>
#include <mutex>
#include <set>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/location.hpp"
#include "assay/stats/preconditions.hpp"
#include "assay/stats/random.hpp"

namespace assay::stats {

namespace {

double from_half(double share) {
  const auto part = [](double p) { return p > 0 ? p * std::log(2 * p) : 0; };
  return part(share) + part(1 - share);
}

double penalty(std::size_t length, std::size_t n) {
  return std::sqrt(2 * (1 + std::log(static_cast<double>(n) / static_cast<double>(length))));
}

/// The local statistic of a run with `count` signs of one kind.
double local_statistic(std::size_t count, std::size_t length, std::size_t n) {
  const auto m = static_cast<double>(length);
  return std::sqrt(std::max(0.0, 2 * m * from_half(static_cast<double>(count) / m))) - penalty(length, n);
}

double simulate_critical_value(std::size_t n) {
  constexpr std::size_t sequences = 20'000;
  constexpr std::uint64_t seed = 1;
  constexpr double level = 0.95;
  // What each count in a run of each length comes to, so that the simulation only looks it up.
  std::vector<std::vector<double>> statistic;
  for (std::size_t length = 1; length <= n; length *= 2) {
    auto& here = statistic.emplace_back();
    for (std::size_t count = 0; count <= length; ++count) here.push_back(local_statistic(count, length, n));
  }
  std::vector<double> largest(sequences);
  std::vector<std::uint32_t> draws(n);
  std::vector<std::size_t> sums(n + 1, 0);
  Random random(seed);
  for (auto& most : largest) {
    random.fill_below(2, draws);
    for (std::size_t i = 0; i < n; ++i) sums[i + 1] = sums[i] + draws[i];
    most = -std::numeric_limits<double>::infinity();
    std::size_t place = 0;
    for (std::size_t length = 1; length <= n; length *= 2, ++place) {
      // The statistic is largest where the count is farthest from the middle.
      std::size_t low = length, high = 0;
      for (std::size_t i = length; i <= n; ++i) {
        const auto count = sums[i] - sums[i - length];
        low = std::min(low, count);
        high = std::max(high, count);
      }
      most = std::max({most, statistic[place][low], statistic[place][high]});
    }
  }
  return quantile(largest, level);
}

/// The sum of absolute deviations from the median of values that are added one by one.
class Deviations {
 public:
  void add(double value) {
    if (low_.empty() || value <= *low_.rbegin()) {
      low_.insert(value);
      low_sum_ += value;
    } else {
      high_.insert(value);
      high_sum_ += value;
    }
    if (low_.size() > high_.size() + 1) move(low_, std::prev(low_.end()), low_sum_, high_, high_sum_);
    if (high_.size() > low_.size()) move(high_, high_.begin(), high_sum_, low_, low_sum_);
  }
  double sum() const {
    const double middle = low_.empty() ? 0 : *low_.rbegin();
    return high_sum_ - low_sum_ +
           middle * (static_cast<double>(low_.size()) - static_cast<double>(high_.size()));
  }

 private:
  using Values = std::multiset<double>;
  static void move(Values& from, Values::iterator which, double& from_sum, Values& to, double& to_sum) {
    from_sum -= *which;
    to_sum += *which;
    to.insert(*which);
    from.erase(which);
  }
  Values low_, high_;
  double low_sum_ = 0, high_sum_ = 0;
};

/// The levels that the runs beginning at one place allow, by the length of the run; in order of length.
struct Allowed {
  std::size_t length = 0;
  double low = 0, high = 0;
};

std::vector<std::vector<Allowed>> allowed_levels(std::span<const double> values) {
  const auto n = values.size();
  std::vector<std::vector<Allowed>> by_start(n);
  std::vector<double> run;
  for (std::size_t length = 1; length <= n; length *= 2) {
    const auto fewest = fewest_signs(length, n);
    if (fewest == 0) continue;  // any level will do
    for (std::size_t start = 0; start + length <= n; ++start) {
      run.assign(values.begin() + static_cast<std::ptrdiff_t>(start),
                 values.begin() + static_cast<std::ptrdiff_t>(start + length));
      std::ranges::sort(run);
      by_start[start].push_back({length, run[fewest - 1], run[length - fewest]});
    }
  }
  return by_start;
}

}  // namespace

double critical_value_of_signs(std::size_t n) {
  static std::mutex guard;
  static std::map<std::size_t, double> known;
  const std::lock_guard lock(guard);
  const auto [found, fresh] = known.try_emplace(n, 0);
  if (fresh) found->second = simulate_critical_value(n);
  return found->second;
}

std::size_t fewest_signs(std::size_t length, std::size_t n) {
  const double critical = critical_value_of_signs(n);
  std::size_t fewest = 0;
  while (2 * fewest < length && local_statistic(fewest, length, n) > critical) ++fewest;
  return fewest;
}

std::vector<Segment> multiscale_segments(std::span<const double> values) {
  require_finite(values, 0);
  const auto n = values.size();
  if (n == 0) return {};
  const auto allowed = allowed_levels(values);
  const auto whole = [&] {  // the usual case, and much the quickest
    double low = -std::numeric_limits<double>::infinity(), high = std::numeric_limits<double>::infinity();
    for (const auto& runs : allowed)
      for (const auto& run : runs) {
        low = std::max(low, run.low);
        high = std::min(high, run.high);
      }
    return low <= high;
  };
  if (whole()) return {{0, n, median(values)}};
  struct Best {
    std::size_t segments = std::numeric_limits<std::size_t>::max();
    double cost = 0;
    std::size_t from = 0;
  };
  std::vector<Best> best(n + 1);
  best[0] = {0, 0, 0};
  for (std::size_t end = 1; end <= n; ++end) {
    double low = -std::numeric_limits<double>::infinity(), high = std::numeric_limits<double>::infinity();
    Deviations deviations;
    for (std::size_t start = end; start-- > 0;) {
      deviations.add(values[start]);
      for (const auto& here : allowed[start]) {
        if (start + here.length > end) break;
        low = std::max(low, here.low);
        high = std::min(high, here.high);
      }
      if (low > high) break;  // longer ones have more runs yet
      const auto segments = best[start].segments + 1;
      const double cost = best[start].cost + deviations.sum();
      if (segments < best[end].segments || (segments == best[end].segments && cost < best[end].cost))
        best[end] = {segments, cost, start};
    }
  }
  std::vector<Segment> found;
  for (auto end = n; end > 0; end = best[end].from)
    found.push_back({best[end].from, end, median(values.subspan(best[end].from, end - best[end].from))});
  std::ranges::reverse(found);
  return found;
}

namespace {

/// The scale of Laplace noise around levels that change now and then.
double noise_of(std::span<const double> values) {
  std::vector<double> differences;
  for (std::size_t i = 0; i + 1 < values.size(); ++i)
    differences.push_back(std::fabs(values[i + 1] - values[i]));
  // The difference of two Laplace variables of scale 1 has a median size of 1.1462.
  constexpr double of_neighbours = 1.1462;
  return differences.empty() ? 0 : median(differences) / of_neighbours;
}

double bounded_loss(std::span<const double> run, double noise) {
  constexpr double most = 4;
  const double level = median(run);
  double loss = 0;
  for (const double value : run) loss += std::min(most, std::fabs(value - level) / noise);
  return loss;
}

}  // namespace

std::vector<Segment> optimal_partition(std::span<const double> values) {
  require_finite(values, 0);
  const auto n = values.size();
  if (n == 0) return {};
  constexpr std::size_t shortest = 2;
  constexpr double of_a_cut = 2;
  const double noise = noise_of(values);
  if (n < 2 * shortest || noise <= 0) return {{0, n, median(values)}};
  const double penalty_of_cut = of_a_cut * std::log(static_cast<double>(n));
  std::vector<double> best(n + 1, std::numeric_limits<double>::infinity());
  std::vector<std::size_t> from(n + 1, 0);
  best[0] = -penalty_of_cut;
  for (std::size_t end = shortest; end <= n; ++end)
    for (std::size_t start = 0; start + shortest <= end; ++start) {
      if (!std::isfinite(best[start])) continue;
      const double cost =
          best[start] + penalty_of_cut + bounded_loss(values.subspan(start, end - start), noise);
      if (cost < best[end]) {
        best[end] = cost;
        from[end] = start;
      }
    }
  std::vector<Segment> found;
  for (auto end = n; end > 0; end = from[end])
    found.push_back({from[end], end, median(values.subspan(from[end], end - from[end]))});
  std::ranges::reverse(found);
  return found;
}

SingleChange pettitt_test(std::span<const double> values) {
  require_finite(values, 2);
  SingleChange found;
  double u = 0;
  const auto n = values.size();
  for (std::size_t t = 0; t + 1 < n; ++t) {
    for (const double other : values) u += (values[t] > other ? 1 : 0) - (values[t] < other ? 1 : 0);
    if (std::fabs(u) > found.statistic) found = {.after = t + 1, .statistic = std::fabs(u), .p = 1};
  }
  const auto size = static_cast<double>(n);
  found.p = std::min(1.0, 2 * std::exp(-6 * found.statistic * found.statistic / (size * size * (size + 1))));
  return found;
}

double autocorrelation(std::span<const double> values, std::size_t lag) {
  require_finite(values, 2);
  if (lag < 1 || lag >= values.size())
    throw DomainError("a lag must lie between 1 and n - 1", {}, static_cast<double>(lag));
  const double centre = mean(values);
  double together = 0, all = 0;
  for (std::size_t t = 0; t < values.size(); ++t) {
    all += (values[t] - centre) * (values[t] - centre);
    if (t + lag < values.size()) together += (values[t] - centre) * (values[t + lag] - centre);
  }
  return all == 0 ? 0 : together / all;
}

TestResult ljung_box(std::span<const double> values, std::size_t lags) {
  require_finite(values, 2);
  const double n = static_cast<double>(values.size());
  double q = 0;
  for (std::size_t lag = 1; lag <= std::max<std::size_t>(lags, 1); ++lag)
    q += std::pow(autocorrelation(values, lag), 2) / (n - static_cast<double>(lag));
  q *= n * (n + 2);
  const boost::math::chi_squared null(static_cast<double>(std::max<std::size_t>(lags, 1)));
  return {.statistic = q, .p = cdf(complement(null, q)), .exact = false};
}

TrendTest test_trend(std::span<const double> values) {
  require_finite(values, 3);
  std::vector<double> slopes;
  slopes.reserve(values.size() * (values.size() - 1) / 2);
  double s = 0;
  for (std::size_t i = 0; i < values.size(); ++i)
    for (std::size_t j = i + 1; j < values.size(); ++j) {
      const double rise = values[j] - values[i];
      s += rise > 0 ? 1 : rise < 0 ? -1 : 0;
      slopes.push_back(rise / static_cast<double>(j - i));
    }
  // Σ t(t−1)(2t+5) over the groups of t equal values.
  double ties = 0;
  std::vector<double> sorted(values.begin(), values.end());
  std::ranges::sort(sorted);
  for (auto at = sorted.begin(); at != sorted.end();) {
    const auto end = std::upper_bound(at, sorted.end(), *at);
    const auto t = static_cast<double>(end - at);
    ties += t * (t - 1) * (2 * t + 5);
    at = end;
  }
  const double n = static_cast<double>(values.size());
  const double spread = (n * (n - 1) * (2 * n + 5) - ties) / 18;
  TrendTest result{.slope = median(slopes), .test = {.statistic = s, .exact = false}};
  if (spread > 0) {
    const double z = std::max(0.0, std::abs(s) - 1) / std::sqrt(spread);
    result.test.p = std::min(1.0, 2 * cdf(complement(boost::math::normal(), z)));
  }
  return result;
}

Range outlier_fences(std::span<const double> values, double reach) {
  if (!(reach > 0)) throw DomainError("fences need a reach above zero", {}, reach);
  const double q1 = quantile(values, 0.25, QuantileType::type7),
               q3 = quantile(values, 0.75, QuantileType::type7);
  return {q1 - reach * (q3 - q1), q3 + reach * (q3 - q1)};
}

}  // namespace assay::stats
