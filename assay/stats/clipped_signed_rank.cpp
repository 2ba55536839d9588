#include "assay/stats/clipped_signed_rank.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>

#include "assay/stats/null_distribution.hpp"
#include "assay/stats/preconditions.hpp"

namespace assay::stats {
namespace {

std::size_t eighth(std::size_t n) { return (n + 7) / 8; }

double smallest(std::vector<double>& values, std::size_t rank) {
  const auto at = values.begin() + static_cast<std::ptrdiff_t>(rank) - 1;
  std::ranges::nth_element(values, at);
  return *at;
}

}  // namespace

ClippedSignedRank::ClippedSignedRank(std::span<const double> a, std::span<const double> b, Use use)
    : a_(a.begin(), a.end()), b_(b.begin(), b.end()), top_(a.size()), rows_(a.size()) {
  require_same_length(a, b);
  require_finite(a);
  require_finite(b);
  const bool fast = use == Use::clipped || (use == Use::choose && clipping_helps());
  ceiling_rank_ = fast ? eighth(n()) : n();
  for (std::size_t r = 0; r < n(); ++r) rows_[r].round = r;
}

/// Would it sharpen a comparison of each round's sum with the next one's?
bool ClippedSignedRank::clipping_helps() const {
  const auto count = n();
  if (count < 3) return false;
  std::vector<double> sums(count), top(count);
  for (std::size_t r = 0; r < count; ++r) sums[r] = a_[r] + b_[r];
  const auto next = [&](std::size_t r) { return sums[r + 1 == count ? 0 : r + 1]; };
  for (std::size_t r = 0; r < count; ++r) top[r] = std::max(sums[r], next(r));
  const double c = smallest(top, eighth(count));
  double all = 0, clipped = 0, below = 0;
  for (std::size_t r = 0; r < count; ++r) {
    const double x = sums[r], y = next(r), g = std::min(y, c) - std::min(x, c);
    all += (y - x) * (y - x);
    clipped += g * g;
    below += x < c ? 1 : 0;
  }
  const auto size = static_cast<double>(count);
  return below > 0 && all > 0 && below * below * all >= size * size * clipped;
}

/// Sorts the rows, which are nearly in order when the shift before was near.
void ClippedSignedRank::order() {
  constexpr std::size_t few = 64;
  if (n() > few) {
    std::ranges::sort(rows_, [](const Row& one, const Row& other) { return one.before(other); });
    return;
  }
  for (std::size_t i = 1; i < n(); ++i) {
    const Row row = rows_[i];
    std::size_t j = i;
    for (; j > 0 && row.before(rows_[j - 1]); --j) rows_[j] = rows_[j - 1];
    rows_[j] = row;
  }
}

ClippedSignedRank::Counts ClippedSignedRank::counts(double shift) {
  double c = std::numeric_limits<double>::infinity();
  if (is_clipped()) {
    for (std::size_t r = 0; r < n(); ++r) top_[r] = std::max(a_[r], b_[r] - shift);
    c = smallest(top_, ceiling_rank_);
  }
  for (auto& row : rows_) {
    const double x = a_[row.round], y = b_[row.round] - shift, d = y - x;
    row.g = std::abs(std::min(y, c) - std::min(x, c));
    row.d = std::abs(d);
    row.sign = (d > 0) - (d < 0);
  }
  order();
  std::uint64_t above = 0, below = 0;
  for (std::size_t i = 0; i < n();) {
    std::uint64_t up = 0, down = 0;
    std::size_t j = i;
    for (; j < n() && !rows_[i].before(rows_[j]); ++j) {
      up += rows_[j].sign > 0 ? 1U : 0U;
      down += rows_[j].sign < 0 ? 1U : 0U;
    }
    above += up * i + up * (up + 1) / 2;
    below += down * i + down * (down + 1) / 2;
    i = j;
  }
  return {.at_or_below = total() - above, .at_or_above = total() - below};
}

std::uint64_t ClippedSignedRank::count(double shift) {
  const auto both = counts(shift);
  return std::min(both.at_or_below, both.at_or_above);
}

/// The j-th smallest shift at which a pair changes sides, by bisection: as the upper end of an interval, the
/// largest shift found accepted, else the smallest.
double ClippedSignedRank::threshold(std::uint64_t j, bool upper, std::span<const double> anchors) {
  double low = std::numeric_limits<double>::infinity(), high = -low;
  for (std::size_t r = 0; r < n(); ++r) {
    low = std::min(low, b_[r] - a_[r]);
    high = std::max(high, b_[r] - a_[r]);
  }
  if (low == high) return low;
  const double slack = 1e-12 * std::max(std::abs(low), std::abs(high));
  low -= slack;
  high += slack;
  const auto halve = [&](double at) {
    const auto both = counts(at);
    const bool lies_below = upper ? both.at_or_above >= total() + 1 - j : both.at_or_below < j;
    (lies_below ? low : high) = at;
  };
  for (const double at : anchors)
    if (low < at && at < high) halve(at);
  constexpr int most_halvings = 60;
  for (int i = 0; i < most_halvings; ++i) {
    const double middle = 0.5 * (low + high);
    if (middle <= low || middle >= high || high - low <= 1e-14 + 1e-13 * std::abs(middle)) break;
    halve(middle);
  }
  return upper ? low : high;
}

double ClippedSignedRank::estimate() {
  constexpr std::array none = {0.0};
  return 0.5 * threshold((total() + 1) / 2, false, none) + 0.5 * threshold(total() / 2 + 1, true, none);
}

Range ClippedSignedRank::interval(std::uint64_t c, std::span<const double> anchors) {
  constexpr double open = std::numeric_limits<double>::infinity();
  if (c == 0) return {-open, open};
  return {threshold(c, false, anchors), threshold(total() + 1 - c, true, anchors)};
}

SlowRoundTest test_slow_rounds(std::span<const double> a, std::span<const double> b, double shift,
                               std::size_t rank) {
  std::vector<double> low(a.size()), x, y;
  for (std::size_t r = 0; r < a.size(); ++r) low[r] = -std::min(a[r], b[r] - shift);
  const double floor = -smallest(low, rank);
  for (std::size_t r = 0; r < a.size(); ++r) {
    const double u = std::max(a[r], floor), v = std::max(b[r] - shift, floor);
    if (u == v) continue;
    x.push_back(u);
    y.push_back(v);
  }
  if (x.empty()) return {};
  ClippedSignedRank test(x, y, ClippedSignedRank::Use::all);
  const auto [below, above] = test.counts(0);
  return {.p = SignedRank(x.size()).p_two_sided(std::min(below, above)),
          .direction = (below < above) - (below > above),
          .rounds = x.size()};
}

}  // namespace assay::stats
