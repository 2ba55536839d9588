#include "assay/stats/hodges_lehmann.hpp"

#include <algorithm>
#include <boost/math/distributions/normal.hpp>
#include <cmath>
#include <limits>
#include <random>
#include <vector>

#include "assay/model/error.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {

namespace {

/// The m·n differences of two samples, selected from without writing them down: rows are the values of x,
/// columns the values of y from the largest down, so that each row grows.
class Differences {
 public:
  Differences(std::span<const double> x, std::span<const double> y)
      : x_(x.begin(), x.end()), y_(y.begin(), y.end()) {
    require_finite(x);
    require_finite(y);
    std::ranges::sort(x_);
    std::ranges::sort(y_, std::ranges::greater{});
  }

  std::uint64_t total() const { return static_cast<std::uint64_t>(x_.size()) * y_.size(); }

  double select(std::uint64_t k) const {
    std::vector<std::size_t> low(x_.size(), 0), high(x_.size(), y_.size()), below(x_.size()),
        up_to(x_.size());
    std::uint64_t left = total();
    std::mt19937_64 random(k);  // the answer does not depend on the draws
    while (true) {
      std::uint64_t skip = random() % left;
      std::size_t row = 0;
      while (skip >= high[row] - low[row]) skip -= high[row] - low[row], ++row;
      const double pivot = at(row, low[row] + skip);
      std::uint64_t smaller = 0, not_larger = 0;
      std::size_t lt = y_.size(), le = y_.size();  // fall as the rows grow
      for (std::size_t i = 0; i < x_.size(); ++i) {
        while (lt > 0 && at(i, lt - 1) >= pivot) --lt;
        while (le > 0 && at(i, le - 1) > pivot) --le;
        smaller += below[i] = lt;
        not_larger += up_to[i] = le;
      }
      if (smaller < k && k <= not_larger) return pivot;
      left = 0;
      for (std::size_t i = 0; i < x_.size(); ++i) {
        if (k <= smaller)
          high[i] = std::max(low[i], std::min(high[i], below[i]));
        else
          low[i] = std::min(high[i], std::max(low[i], up_to[i]));
        left += high[i] - low[i];
      }
    }
  }

 private:
  double at(std::size_t i, std::size_t j) const { return x_[i] - y_[j]; }
  std::vector<double> x_, y_;
};

/// #{u : 2·P(U ≤ u) ≤ alpha} for U without ties, by the recursion of Mann & Whitney over the values of y.
std::uint64_t critical_count(std::size_t m, std::size_t n, double alpha) {
  const auto pairs = static_cast<std::uint64_t>(m) * n;
  if (pairs > 10'000) {
    const double mean = 0.5 * static_cast<double>(pairs);
    const double sd = std::sqrt(static_cast<double>(pairs) * static_cast<double>(m + n + 1) / 12);
    const double u = mean - 0.5 + quantile(boost::math::normal(), alpha / 2) * sd;
    return u < 0 ? 0 : static_cast<std::uint64_t>(std::floor(u)) + 1;
  }
  // ways[k][u]: of choosing k of the places seen so far, with u pairs in order; places come one by one.
  std::vector<std::vector<double>> ways(m + 1, std::vector<double>(pairs + 1, 0.0));
  ways[0][0] = 1;
  for (std::size_t place = 1; place <= m + n; ++place)
    for (std::size_t k = std::min(place, m); k > 0; --k) {
      const auto before = place - k;  // the others that came earlier
      if (before > n) continue;
      for (std::uint64_t u = before; u <= pairs; ++u) ways[k][u] += ways[k - 1][u - before];
    }
  double all = 0;
  for (const double w : ways[m]) all += w;
  std::uint64_t c = 0;
  double sum = 0;
  while (c <= pairs && 2 * (sum += ways[m][c]) <= alpha * all) ++c;
  return c;
}

}  // namespace

double shift_estimate(std::span<const double> x, std::span<const double> y) {
  const Differences differences(x, y);
  const auto half = differences.total() / 2;
  if (differences.total() % 2 == 1) return differences.select(half + 1);
  return 0.5 * differences.select(half) + 0.5 * differences.select(half + 1);
}

Range shift_interval(std::span<const double> x, std::span<const double> y, double level) {
  require_level(level);
  const Differences differences(x, y);
  const auto c = critical_count(x.size(), y.size(), 1 - level);
  if (c == 0) return {-std::numeric_limits<double>::infinity(), std::numeric_limits<double>::infinity()};
  return {differences.select(c), differences.select(differences.total() + 1 - c)};
}

WalshAverages::WalshAverages(std::span<const double> values) : sorted_(values.begin(), values.end()) {
  require_finite(values);
  std::ranges::sort(sorted_);
}

std::uint64_t WalshAverages::count(double x, bool with_equal) const {
  std::uint64_t found = 0;
  std::size_t end = n();  // row i holds columns i … n−1; its last counted column falls as i grows
  for (std::size_t i = 0; i < n(); ++i) {
    while (end > i && (with_equal ? average(i, end - 1) > x : average(i, end - 1) >= x)) --end;
    if (end <= i) break;
    found += end - i;
  }
  return found;
}

std::uint64_t WalshAverages::at_or_below(double x) const { return count(x, true); }

std::uint64_t WalshAverages::at_or_above(double x) const { return total() - count(x, false); }

double WalshAverages::select(std::uint64_t k) const {
  if (k < 1 || k > total()) throw DomainError("there is no average of this rank", {}, static_cast<double>(k));
  struct Row {
    std::size_t low, high;  // columns still in question
  };
  std::vector<Row> rows(n());
  for (std::size_t i = 0; i < n(); ++i) rows[i] = {i, n()};
  std::vector<std::size_t> below(n()), up_to(n());
  std::uint64_t left = total();
  std::mt19937_64 random(k);  // the answer does not depend on the draws, only the time does
  while (true) {
    std::uint64_t skip = random() % left;
    std::size_t row = 0;
    while (skip >= rows[row].high - rows[row].low) {
      skip -= rows[row].high - rows[row].low;
      ++row;
    }
    const double pivot = average(row, rows[row].low + skip);
    std::size_t lt = n(), le = n();
    std::uint64_t smaller = 0, not_larger = 0;
    for (std::size_t i = 0; i < n(); ++i) {
      while (lt > i && average(i, lt - 1) >= pivot) --lt;
      while (le > i && average(i, le - 1) > pivot) --le;
      below[i] = std::max(lt, i);
      up_to[i] = std::max(le, i);
      smaller += below[i] - i;
      not_larger += up_to[i] - i;
    }
    if (smaller < k && k <= not_larger) return pivot;
    left = 0;
    for (std::size_t i = 0; i < n(); ++i) {
      if (k <= smaller)
        rows[i].high = std::max(rows[i].low, std::min(rows[i].high, below[i]));
      else
        rows[i].low = std::min(rows[i].high, std::max(rows[i].low, up_to[i]));
      left += rows[i].high - rows[i].low;
    }
  }
}

double WalshAverages::median() const {
  const auto half = total() / 2;
  if (total() % 2 == 1) return select(half + 1);
  return 0.5 * select(half) + 0.5 * select(half + 1);
}

Range WalshAverages::interval(std::uint64_t c) const {
  if (c == 0) return {-std::numeric_limits<double>::infinity(), std::numeric_limits<double>::infinity()};
  if (c > (total() + 1) / 2)
    throw DomainError("the critical count is beyond the middle", {}, static_cast<double>(c));
  return {select(c), select(total() + 1 - c)};
}

}  // namespace assay::stats
