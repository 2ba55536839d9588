#include "assay/stats/walsh_averages.hpp"

#include <algorithm>
#include <limits>
#include <random>

#include "assay/model/error.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {

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
